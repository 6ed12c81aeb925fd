// @ts-check
/** Everything that sounds, behind one object. It lives in closures, never in reactive data. */

import { Blocks } from "./blocks.js";
import { Click } from "./click.js";
import { HandVoice } from "./hand.js";
import { Mixer } from "./mixer.js";
import { Song } from "./song.js";

export class Engine {
  /** @param {number} rate the project's rate */
  constructor(rate) {
    this.context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
    this.blocks = new Blocks(rate);
    this.mixer = new Mixer(this.context, this.context.destination);
    this.click = new Click(this.context);
    this.song = new Song(this.context, this.blocks, this.mixer, this.click);
    this.hand = new HandVoice(this.context, this.blocks, this.mixer.handGain);
    this.clock = new Worker("/static/js/engine/clock-worker.js");
    this.clock.onmessage = () => {
      this.song.wake();
      this.hand.wake();
    };
  }

  /** Browsers keep audio still until a gesture. */
  async unlock() {
    if (this.context.state !== "running") await this.context.resume();
  }

  get rate() {
    return this.context.sampleRate;
  }
}

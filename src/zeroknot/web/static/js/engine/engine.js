// @ts-check
/** Everything that sounds, behind one object. It lives in closures, never in reactive data. */

import { Blocks } from "./blocks.js";
import { Click } from "./click.js";
import { HandVoice } from "./hand.js";
import { Live } from "./live.js";
import { Mixer, stereoGain } from "./mixer.js";
import { Song } from "./song.js";

const LATENCY_KEPT = "zero-knot-latency";

export class Engine {
  /** @param {number} rate the project's rate */
  constructor(rate) {
    this.context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
    this.blocks = new Blocks(rate);
    this.mixer = new Mixer(this.context, this.context.destination);
    this.click = new Click(this.context);
    /** Seconds from the audio clock to the ear, where it is to be other than the browser says. @type {number | null} */
    this.latencyGiven = Number(localStorage.getItem(LATENCY_KEPT)) || null;
    const latency = () => this.latency;
    this.song = new Song(this.context, this.blocks, this.mixer, this.click, latency);
    const rendered = stereoGain(this.context, 1);
    rendered.connect(this.mixer.hand.node);
    this.hand = new HandVoice(this.context, this.blocks, rendered, latency);
    this.live = new Live(this.context, this.mixer.hand.node, rendered);
    this.clock = new Worker(new URL("./clock-worker.js", import.meta.url));
    const wake = () => {
      this.song.player.wake();
      this.hand.player.wake();
    };
    this.clock.onmessage = wake;
    void this.mixer.ready.then(wake);
    this.blocks.onChange = wake;
  }

  /** Browsers keep audio still until a gesture. */
  async unlock() {
    if (this.context.state !== "running") await this.context.resume();
  }

  /** As somebody tapped it, for this browser from now on. @param {number | null} seconds null: as the browser tells it */
  keepLatency(seconds) {
    this.latencyGiven = seconds;
    if (seconds === null) localStorage.removeItem(LATENCY_KEPT);
    else localStorage.setItem(LATENCY_KEPT, String(seconds));
  }

  get rate() {
    return this.context.sampleRate;
  }

  /** Seconds from the audio clock to the ear, as the browser tells them. */
  get latency() {
    const late = this.latencyGiven ?? (this.context.baseLatency || 0) + (this.context.outputLatency || 0);
    return late + this.mixer.lead / this.context.sampleRate;
  }
}

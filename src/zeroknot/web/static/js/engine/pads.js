// @ts-check
/**
 * Pads: pieces held in memory and struck at once, without asking anybody.
 *
 * One render holds all pieces, one after another. A struck pad sounds from the next frame the audio
 * clock can start; the oldest of too many fades out, and one of a choke group ends the others.
 */

import { BLOCK_FRAMES } from "./schedule.js";
import { getBlock } from "../net/api.js";

/** @typedef {import("../types.js").HandPads} HandPads */
/** @typedef {{pad: number, source: AudioBufferSourceNode, gain: GainNode}} Struck */

const MOST_VOICES = 32;
const MOST_DELAYS = 1000;
const FADE_SECONDS = 0.005;
const LOAD_DUE_MS = 500;

export class Pads {
  /** @param {number} rate frames a second */
  constructor(rate) {
    this.rate = rate;
    /** @type {AudioBuffer | null} */
    this.buffer = null;
    /** @type {HandPads | null} */
    this.known = null;
    /** @type {Struck[]} */
    this.sounding = [];
    /** From striking to the call that starts the sound, ms: the latest of them. @type {number[]} */
    this.delays = [];
  }

  /** Hold the pieces of a render; what sounds goes on. @param {HandPads} pads @param {AbortSignal} signal */
  async load(pads, signal) {
    if (this.known?.digest === pads.digest) return;
    const buffer = new AudioBuffer({ numberOfChannels: pads.channels, length: Math.max(1, pads.frames), sampleRate: this.rate });
    const blocks = Math.ceil(pads.frames / BLOCK_FRAMES);
    for (let index = 0; index < blocks; index += 1) {
      const data = new Float32Array(await getBlock(`/api/renders/${pads.digest}/${index}`, LOAD_DUE_MS, signal));
      const frames = data.length / pads.channels;
      for (let c = 0; c < pads.channels; c += 1) buffer.copyToChannel(data.subarray(c * frames, (c + 1) * frames), c, index * BLOCK_FRAMES);
    }
    if (!signal.aborted) [this.buffer, this.known] = [buffer, pads];
  }

  /**
   * One pad is struck: with what is held, which may be as it was a moment ago.
   * @param {import("./engine.js").Engine} engine @param {number} pad @param {number} velocity 0 to 1 @param {boolean} chokes others end when it begins
   * @param {number} stamp when it was struck @returns {boolean} whether there was something to strike
   */
  strike({ context, mixer }, pad, velocity, chokes, stamp) {
    const { buffer, known } = this;
    const [start, frames] = known?.pads[pad] ?? [0, 0];
    if (!buffer || !frames) return false;
    if (chokes) this.release();
    while (this.sounding.length >= MOST_VOICES) this.fade(/** @type {Struck} */ (this.sounding.shift()));
    const source = new AudioBufferSourceNode(context, { buffer });
    const gain = new GainNode(context, { gain: velocity });
    source.connect(gain).connect(mixer.hand.node);
    const at = context.currentTime;
    source.start(at, start / buffer.sampleRate, frames / buffer.sampleRate);
    this.delays = [...this.delays.slice(1 - MOST_DELAYS), performance.now() - stamp];
    const struck = { pad, source, gain };
    this.sounding.push(struck);
    source.onended = () => {
      gain.disconnect();
      const index = this.sounding.indexOf(struck);
      if (index >= 0) this.sounding.splice(index, 1);
    };
    return true;
  }

  /** End what sounds, or what sounds of one pad. @param {number} [pad] */
  release(pad) {
    for (const struck of this.sounding.filter((s) => pad === undefined || s.pad === pad)) this.fade(struck);
    this.sounding = this.sounding.filter((s) => pad !== undefined && s.pad !== pad);
  }

  /** @param {Struck} struck */
  fade({ source, gain }) {
    const now = source.context.currentTime;
    gain.gain.setValueAtTime(gain.gain.value, now);
    gain.gain.linearRampToValueAtTime(0, now + FADE_SECONDS);
    source.stop(now + FADE_SECONDS);
  }
}

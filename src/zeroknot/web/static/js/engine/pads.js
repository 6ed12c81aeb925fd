// @ts-check
/**
 * Pads: pieces held in memory and struck at once, without asking anybody.
 *
 * One render holds all pieces, one after another. A struck pad sounds from the next frame the audio
 * clock can start; the oldest of too many fades out, and one of a choke group ends the others. How hard
 * it was struck goes to its level, to a filter or to where it starts; its pitch may go by the note.
 */

import { BLOCK_FRAMES } from "./schedule.js";
import { getBlock } from "../net/api.js";

/** @typedef {import("../types.js").HandPads} HandPads */
/** @typedef {{pad: number, group: number, source: AudioBufferSourceNode, gain: GainNode}} Struck */
/**
 * One stroke. pad: by its place; aim: where its velocity goes; group: of which one sounds at a time, 0 for none; chokesAll: it ends all others
 * @typedef {{pad: number, velocity: number, aim: "level" | "filter" | "start" | "none", semitones: number, group: number, chokesAll: boolean, stamp: number}} Stroke
 */

const MOST_VOICES = 32;
const MOST_DELAYS = 1000;
const FADE_SECONDS = 0.005;
const LOAD_DUE_MS = 500;
const [DARKEST_HZ, BRIGHTEST_HZ] = [180, 18_000];
const LATEST_START = 0.5; // share of a piece that the softest stroke leaves out
const TIME_CONSTANTS = 4; // of what falls, after which it is said to be over
const START_SECONDS = 0.003; // over which a piece that begins in its middle comes in

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
   * @param {import("./engine.js").Engine} engine @param {number} piece @param {Stroke} stroke @returns {boolean} whether there was something to strike
   */
  strike({ context, mixer }, piece, { pad, velocity, aim, semitones, group, chokesAll, stamp }) {
    const { buffer, known } = this;
    const [start, frames] = known?.pads[piece] ?? [0, 0];
    if (!buffer || !frames) return false;
    if (chokesAll) this.release();
    else if (group) this.end((s) => s.group === group, FADE_SECONDS);
    while (this.sounding.length >= MOST_VOICES) this.fade(/** @type {Struck} */ (this.sounding.shift()));
    const source = new AudioBufferSourceNode(context, { buffer, playbackRate: 2 ** (semitones / 12) });
    const gain = new GainNode(context, { gain: aim === "level" ? velocity : 1 });
    const at = context.currentTime;
    const skipped = aim === "start" ? Math.round((1 - velocity) * LATEST_START * frames) : 0;
    if (skipped) {
      gain.gain.setValueAtTime(0, at);
      gain.gain.linearRampToValueAtTime(1, at + START_SECONDS);
    }
    if (aim === "filter") {
      const frequency = DARKEST_HZ * (BRIGHTEST_HZ / DARKEST_HZ) ** velocity;
      source.connect(new BiquadFilterNode(context, { type: "lowpass", frequency })).connect(gain);
    } else source.connect(gain);
    gain.connect(mixer.hand.node);
    // What it sends to the room and the echo, beside what is heard of it.
    for (const [bus, db] of known?.sends[piece] ?? []) {
      gain.connect(new GainNode(context, { gain: 10 ** (db / 20) })).connect(mixer.input(`hand>${bus}`));
    }
    source.start(at, (start + skipped) / buffer.sampleRate, (frames - skipped) / buffer.sampleRate);
    this.delays = [...this.delays.slice(1 - MOST_DELAYS), performance.now() - stamp];
    const struck = { pad, group, source, gain };
    this.sounding.push(struck);
    source.onended = () => {
      gain.disconnect();
      const index = this.sounding.indexOf(struck);
      if (index >= 0) this.sounding.splice(index, 1);
    };
    return true;
  }

  /** End what sounds, or what sounds of one pad. @param {number} [pad] @param {number} [seconds] over which it falls */
  release(pad, seconds = FADE_SECONDS) {
    this.end((s) => pad === undefined || s.pad === pad, seconds);
  }

  /** @param {(struck: Struck) => boolean} isMeant @param {number} seconds */
  end(isMeant, seconds) {
    for (const struck of this.sounding.filter(isMeant)) this.fade(struck, seconds);
    this.sounding = this.sounding.filter((s) => !isMeant(s));
  }

  /** Falls as what is let go does in an order: nearly gone after its time. @param {Struck} struck @param {number} [seconds] */
  fade({ source, gain }, seconds = FADE_SECONDS) {
    const now = source.context.currentTime;
    gain.gain.cancelScheduledValues(now);
    gain.gain.setValueAtTime(gain.gain.value, now);
    if (seconds > FADE_SECONDS) {
      gain.gain.setTargetAtTime(0, now, seconds / TIME_CONSTANTS);
      gain.gain.setValueAtTime(Math.exp(-TIME_CONSTANTS) * gain.gain.value, now + seconds);
    }
    gain.gain.linearRampToValueAtTime(0, now + seconds + (seconds > FADE_SECONDS ? FADE_SECONDS : 0));
    source.stop(now + seconds + FADE_SECONDS);
  }
}

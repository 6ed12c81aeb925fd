// @ts-check
/**
 * An order mixed live while something is done to its pieces: what is heard goes over from the render
 * to the mix and back, in step, a few milliseconds crossfaded. The render stays what holds.
 */

import { BLOCK_FRAMES } from "./schedule.js";
import { stereoGain } from "./mixer.js";
import { getBlock } from "../net/api.js";
import { mayPlay } from "../net/secure.js";

/** @typedef {import("../types.js").HandLive} HandLive */
/** @typedef {import("../types.js").Piece} Piece */
/** @typedef {{lead: number, sound: Float32Array[]}} Cell */

const JOIN_SECONDS = 0.005;
const LOAD_DUE_MS = 800;
const MOST_KEPT = 24; // cells in memory
const MOST_SECONDS = 60; // of cells that a page mixes
const MOST_DELAYS = 400;

export class Live {
  /** @param {AudioContext} context @param {AudioNode} output @param {GainNode} rendered what is rendered goes through it */
  constructor(context, output, rendered) {
    this.context = context;
    this.output = output;
    this.rendered = rendered;
    /** @type {AudioWorkletNode | null} */
    this.node = null;
    this.gate = stereoGain(context, 0);
    this.gate.connect(output);
    /** By the digest of what is rendered, and which pieces stand apart. */
    this.loaded = "";
    this.body = 0;
    this.isOn = false;
    this.number = 0;
    /** @type {Map<string, Cell>} */
    this.cells = new Map();
    /** When each change was given, by its number. @type {Map<number, number>} */
    this.given = new Map();
    /** From a change to the audio thread mixing it and saying so, ms: the latest of them. @type {number[]} */
    this.delays = [];
  }

  /** What it is that is loaded. @param {string} digest @param {number[]} apart */
  static nameOf(digest, apart) {
    return `${digest} ${apart.join(",")}`;
  }

  /** Hold what an order is mixed from. @param {HandLive} live @param {Piece[]} pieces @param {number[]} apart @param {AbortSignal} signal */
  async load(live, pieces, apart, signal) {
    if (!mayPlay()) return;
    const name = Live.nameOf(live.digest, apart);
    const { sampleRate } = this.context;
    if (this.isOn || this.loaded === name || live.cells.reduce((sum, c) => sum + c.frames, 0) > MOST_SECONDS * sampleRate) return;
    const cells = [];
    for (const cell of live.cells) cells.push(await this.cell(cell, signal));
    if (!this.node) {
      await this.context.audioWorklet.addModule(new URL("./live-worklet.js", import.meta.url));
      this.node ??= this.made();
    }
    if (signal.aborted || this.isOn) return;
    this.node.port.postMessage({ kind: "load", plan: { body: live.body, channels: live.channels, voices: live.voices }, cells, pieces });
    [this.loaded, this.body] = [name, live.body];
  }

  made() {
    const node = new AudioWorkletNode(this.context, "live", { numberOfInputs: 0, outputChannelCount: [2] });
    node.connect(this.gate);
    node.port.onmessage = ({ data }) => {
      const given = this.given.get(data);
      this.given.clear();
      if (given !== undefined) this.delays = [...this.delays.slice(1 - MOST_DELAYS), performance.now() - given];
    };
    return node;
  }

  /** @param {HandLive["cells"][number]} cell @param {AbortSignal} signal @returns {Promise<Cell>} */
  async cell({ digest, channels, frames, lead }, signal) {
    const known = this.cells.get(digest);
    if (known) return known;
    const sound = Array.from({ length: channels }, () => new Float32Array(frames));
    for (let index = 0; index * BLOCK_FRAMES < frames; index += 1) {
      const data = new Float32Array(await getBlock(`/api/renders/${digest}/${index}`, LOAD_DUE_MS, signal));
      const count = data.length / channels;
      sound.forEach((side, c) => side.set(data.subarray(c * count, (c + 1) * count), index * BLOCK_FRAMES));
    }
    const cell = { lead, sound };
    for (const old of [...this.cells.keys()].slice(0, Math.max(0, this.cells.size + 1 - MOST_KEPT))) this.cells.delete(old);
    this.cells.set(digest, cell);
    return cell;
  }

  /** Mixed from now on. @param {number} zero frame of the audio clock on which a round of what is rendered begins @param {number} level linear, of what is rendered */
  begin(zero, level) {
    if (this.isOn || !this.node) return;
    this.isOn = true;
    this.node.port.postMessage({ kind: "begin", zero });
    this.fade(this.gate.gain, level);
    this.fade(this.rendered.gain, 0);
  }

  /** @param {Piece[]} pieces as they are from now on */
  change(pieces) {
    this.number += 1;
    this.given.set(this.number, performance.now());
    this.node?.port.postMessage({ kind: "change", pieces, number: this.number });
  }

  /** What is rendered is heard again. */
  end() {
    if (!this.isOn) return;
    this.isOn = false;
    this.loaded = "";
    this.fade(this.gate.gain, 0);
    this.fade(this.rendered.gain, 1);
    setTimeout(() => { if (!this.isOn) this.node?.port.postMessage({ kind: "end" }); }, 4000 * JOIN_SECONDS);
  }

  /** @param {AudioParam} gain @param {number} to */
  fade(gain, to) {
    const now = this.context.currentTime;
    gain.cancelScheduledValues(now);
    gain.setValueAtTime(gain.value, now);
    gain.linearRampToValueAtTime(to, now + JOIN_SECONDS);
  }
}

// @ts-check
/**
 * Blocks of sound from the server: what is heard first is asked for first, and what nobody waits for
 * any more is withdrawn. A bounded number of bytes is kept, those that are wanted above all.
 */

import { getBlock } from "../net/api.js";
import { BLOCK_FRAMES } from "./schedule.js";

/** @typedef {import("./song-plan.js").Wanted} Wanted */
/** @typedef {{wanted: Wanted, key: string, asking: AbortController | null}} Question */

const KEPT_BYTES = 256 * 1024 * 1024;
// A browser keeps six connections to a server: one is for events, one for what a person asks.
const MOST_ASKED = 4;
const FIRST_PAUSE_MS = 250;
const LONGEST_PAUSE_MS = 8_000;

export class Blocks {
  /**
   * @param {number} rate
   * @param {(path: string, dueMs: number, signal: AbortSignal) => Promise<ArrayBuffer>} [ask]
   */
  constructor(rate, ask = getBlock) {
    this.rate = rate;
    this.ask = ask;
    /** @type {Map<string, AudioBuffer>} oldest first */
    this.kept = new Map();
    this.bytes = 0;
    /** @type {Map<string, Question>} */
    this.questions = new Map();
    /** Who wants what. @type {Map<unknown, Wanted[]>} */
    this.lists = new Map();
    /** What could not be had: how often, and when it is asked for again. @type {Map<string, {times: number, again: number}>} */
    this.failures = new Map();
    /** Called whenever a block has come or cannot be had. @type {() => void} */
    this.onChange = () => undefined;
    this.now = 0;
  }

  /** A digest's block address. Recordings are named "source:<sha>". @param {string} digest @param {number} index */
  path(digest, index) {
    return digest.startsWith("source:")
      ? `/api/sources/${digest.slice(7)}/${this.rate}/${index}`
      : `/api/renders/${digest}/${index}`;
  }

  /** @param {string} digest @param {number} index @returns {"here" | "failed" | "coming"} */
  state(digest, index) {
    const key = `${digest}/${index}`;
    if (this.kept.has(key)) return "here";
    return this.failures.has(key) ? "failed" : "coming";
  }

  /** The block if it is here. @param {string} digest @param {number} index */
  ready(digest, index) {
    return this.kept.get(`${digest}/${index}`) ?? null;
  }

  /** All that somebody wants from now on, by when it is due. @param {unknown} who @param {Wanted[]} list @param {number} now context frame */
  want(who, list, now) {
    this.now = now;
    this.lists.set(who, list);
    /** @type {Map<string, Question>} */
    const next = new Map();
    for (const wanted of [...this.lists.values()].flat().sort((a, b) => a.due - b.due)) {
      const key = `${wanted.digest}/${wanted.index}`;
      if (this.touch(key) || next.has(key)) continue;
      next.set(key, { wanted, key, asking: this.questions.get(key)?.asking ?? null });
    }
    for (const [key, { asking }] of this.questions) if (!next.has(key)) asking?.abort();
    this.questions = next;
    this.askOn();
  }

  /** A kept block that is wanted again is the last to go. @param {string} key */
  touch(key) {
    const buffer = this.kept.get(key);
    if (!buffer) return false;
    this.kept.delete(key);
    this.kept.set(key, buffer);
    return true;
  }

  askOn() {
    const open = [...this.questions.values()];
    let asked = open.filter((q) => q.asking).length;
    for (const question of open) {
      if (asked >= MOST_ASKED) break;
      const failure = this.failures.get(question.key);
      if (question.asking || (failure && failure.again > performance.now())) continue;
      void this.fetch(question);
      asked += 1;
    }
  }

  /** @param {Question} question */
  async fetch(question) {
    const { key, wanted: { digest, index, channels, due } } = question;
    const asking = new AbortController();
    question.asking = asking;
    try {
      const dueMs = Math.max(0, Math.round((1000 * (due - this.now)) / this.rate));
      const data = await this.ask(this.path(digest, index), dueMs, asking.signal);
      this.keep(key, toBuffer(data, channels, this.rate));
      this.failures.delete(key);
    } catch (error) {
      if (asking.signal.aborted) return;
      const times = (this.failures.get(key)?.times ?? 0) + 1;
      const pause = Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** (times - 1));
      this.failures.set(key, { times, again: performance.now() + pause });
    }
    const open = this.questions.get(key);
    if (open?.asking === asking) {
      if (this.kept.has(key)) this.questions.delete(key);
      else open.asking = null;
    }
    this.askOn();
    this.onChange();
  }

  /** @param {string} key @param {AudioBuffer} buffer */
  keep(key, buffer) {
    this.kept.set(key, buffer);
    this.bytes += bytesOf(buffer);
    for (const [oldest, other] of this.kept) {
      if (this.bytes <= KEPT_BYTES || oldest === key) break;
      this.kept.delete(oldest);
      this.bytes -= bytesOf(other);
    }
  }

  /** Forget all that is kept: for measuring. */
  clear() {
    this.kept.clear();
    this.bytes = 0;
  }
}

/** @param {AudioBuffer} buffer */
const bytesOf = (buffer) => 4 * buffer.length * buffer.numberOfChannels;

/** float32 planar to an AudioBuffer. @param {ArrayBuffer} data @param {number} channels @param {number} rate */
export function toBuffer(data, channels, rate) {
  const samples = new Float32Array(data);
  const frames = Math.max(1, Math.min(BLOCK_FRAMES, samples.length / channels));
  const buffer = new AudioBuffer({ numberOfChannels: channels, length: frames, sampleRate: rate });
  for (let c = 0; c < channels; c += 1) {
    buffer.copyToChannel(samples.subarray(c * frames, (c + 1) * frames), c);
  }
  return buffer;
}

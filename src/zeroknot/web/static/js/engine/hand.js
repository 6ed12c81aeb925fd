// @ts-check
/**
 * What is in hand, heard alone: as recorded, as fitted, or its seam; repeated until let go.
 *
 * Each way is a short pattern of events and its period. Switching keeps the musical place: the
 * moment that sounds in one way is where the other begins, 5 ms crossfaded.
 */

import { Lane } from "./lane.js";
import { along, blocksBetween, frame } from "./schedule.js";

/** @typedef {import("../types.js").HandSheet} HandSheet */
/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/** @typedef {"recorded" | "fitted" | "seam" | "against"} Way */
/** @typedef {{way: Way, period: number, events: SheetEvent[]}} Pattern */
/** @typedef {{recorded: number, fitted: number, against: number}} Gains linear, so that all are as loud */

const AHEAD_SECONDS = 0.25;
const START_SECONDS = 0.03; // from the last sum to the clock
const EXPECTED_SECONDS = 0.08; // from asking what is tried to the first that is heard of it
const FIRST_SECONDS = 0.25; // that are there before a way is begun
// What comes is asked for so far ahead; of what is only tried less, or it would hold up the next try.
const COMING_SECONDS = 2;
const TRIAL_SECONDS = 0.25;
const EDGE_FRAMES = 220;
const SEAM_SECONDS = 1;
export const AS_THEY_ARE = Object.freeze({ recorded: 1, fitted: 1, against: 1 });

/** @param {Partial<SheetEvent> & {digest: string, at: number, start: number, frames: number}} given @returns {SheetEvent} */
function event(given) {
  return { id: "hand", track: "hand", strand: "hand", gain: 1, fade_in: 0, fade_out: 0, ...given };
}

/** One round of a way of hearing. @param {HandSheet} sheet @param {Way} way @param {Gains} gains @returns {Pattern} */
export function patternOf(sheet, way, gains) {
  const { rate, lead, body } = sheet;
  const digest = way === "against" ? sheet.against : sheet.digest;
  if (way === "recorded") {
    const start = Math.max(0, frame(sheet.zero_s * rate));
    const period = Math.max(1, frame((sheet.end_s - sheet.zero_s) * rate));
    const frames = Math.min(period, sheet.source_frames - start);
    const one = event({
      digest: sheet.recorded, at: 0, start, frames, gain: gains.recorded * sheet.gain,
      fade_in: 30, fade_out: EDGE_FRAMES,
    });
    return { way, period, events: frames > 0 ? [one] : [] };
  }
  if (way === "seam" && sheet.is_range) return seamOfRange(sheet, gains);
  const gain = sheet.gain * (way === "against" ? gains.against : gains.fitted);
  if (way === "seam") {
    const beat = Math.max(1, Math.min(body, frame(body / Math.max(1, sheet.span))));
    const tail = Math.min(beat, sheet.frames - lead - body);
    return {
      way,
      period: 2 * beat,
      events: [
        event({ digest, gain, at: 0, start: lead + body - beat, frames: beat + tail, fade_in: EDGE_FRAMES }),
        event({ digest, gain, at: beat, start: lead, frames: beat, fade_out: EDGE_FRAMES }),
      ],
    };
  }
  const frames = sheet.frames - lead;
  return { way, period: body, events: [event({ digest, gain, at: 0, start: lead, frames })] };
}

/** The seam of a stretch of the recording: its last part, then its first. @param {HandSheet} sheet @param {Gains} gains @returns {Pattern} */
function seamOfRange(sheet, gains) {
  const { rate } = sheet;
  const [start, end] = [frame(sheet.zero_s * rate), frame(sheet.end_s * rate)];
  const part = Math.max(1, Math.min(end - start, frame(SEAM_SECONDS * rate)));
  const gain = gains.recorded * sheet.gain;
  return {
    way: "seam",
    period: 2 * part,
    events: [
      event({ digest: sheet.recorded, gain, at: 0, start: end - part, frames: part, fade_in: EDGE_FRAMES }),
      event({ digest: sheet.recorded, gain, at: part, start: Math.max(0, start), frames: part, fade_out: EDGE_FRAMES }),
    ],
  };
}

/** Is it heard as it was fitted, by whichever method? @param {Pattern} pattern */
const isFitted = (pattern) => pattern.way === "fitted" || pattern.way === "against";

export class HandVoice {
  /** @param {BaseAudioContext} context @param {import("./blocks.js").Blocks} blocks @param {AudioNode} output */
  constructor(context, blocks, output) {
    this.context = context;
    this.rate = context.sampleRate;
    this.blocks = blocks;
    /** @type {HandSheet | null} */
    this.sheet = null;
    /** @type {Pattern | null} */
    this.pattern = null;
    /** @type {Gains} */
    this.gains = { ...AS_THEY_ARE };
    this.cursor = { context: 0, at: 0, join: true };
    this.anchor = { context: 0, at: 0 };
    this.lane = new Lane(context, blocks, () => output, () => this.sheet?.channels ?? 2);
    this.attempt = 0;
    this.isWaiting = false;
    this.isExpecting = false;
    this.isTrial = false;
  }

  get isPlaying() {
    return this.pattern !== null;
  }

  get way() {
    return this.pattern?.way ?? null;
  }

  /** Frames into the round at a frame of the audio clock; now where none is given. @param {number} [frame] */
  place(frame) {
    if (!this.pattern) return 0;
    const at = this.elapsed(frame);
    return ((at % this.pattern.period) + this.pattern.period) % this.pattern.period;
  }

  /** Frames since the one it was begun with, rounds and all. @param {number} [frame] */
  elapsed(frame) {
    const clock = frame ?? this.context.currentTime * this.rate;
    return this.anchor.at + Math.max(0, clock - this.anchor.context);
  }

  /** The moment of the recording that sounds now, in seconds; null when nothing does. */
  second() {
    const { sheet, pattern } = this;
    if (!sheet || !pattern) return null;
    return this.secondAt(sheet, pattern, this.place());
  }

  /** @param {HandSheet} sheet @param {Pattern} pattern @param {number} place */
  secondAt(sheet, pattern, place) {
    if (pattern.way === "recorded") return sheet.zero_s + place / this.rate;
    let output = place;
    if (pattern.way === "seam" && sheet.is_range) {
      const part = pattern.period / 2;
      return place < part ? sheet.end_s + (place - part) / this.rate : sheet.zero_s + (place - part) / this.rate;
    }
    if (pattern.way === "seam") {
      const beat = pattern.period / 2;
      output = place < beat ? sheet.body - beat + place : place - beat;
    }
    return along(sheet.knots, 1, 0, output);
  }

  /** @param {HandSheet} sheet @param {Pattern} pattern @param {number} second */
  placeOf(sheet, pattern, second) {
    if (pattern.way === "recorded") return Math.max(0, frame((second - sheet.zero_s) * this.rate));
    if (pattern.way === "seam") return 0;
    return Math.max(0, frame(along(sheet.knots, 0, 1, second)));
  }

  /** Another is about to be heard: the share of the pass at which, null where nothing sounds. */
  expect() {
    if (!this.pattern) return null;
    this.isExpecting = true;
    const { period } = this.pattern;
    return ((this.place() + EXPECTED_SECONDS * this.rate) % period) / period;
  }

  /**
   * Hear a way, from the musical place that sounds now or from the one.
   * @param {HandSheet} sheet @param {Way} way @param {boolean} [isTrial] it may be another a moment later
   */
  async hear(sheet, way, isTrial = false) {
    this.attempt += 1;
    const attempt = this.attempt;
    const pattern = patternOf(sheet, way, this.gains);
    const from = this.startOf(sheet, pattern);
    this.isWaiting = true;
    // It begins a moment later than now: only what sounds from then on is waited for.
    const begin = from + START_SECONDS * this.rate;
    const to = begin + FIRST_SECONDS * this.rate;
    const wanted = this.rounds(pattern, begin, to).flatMap((e) =>
      blocksBetween(e, begin, to).map((i) => this.blocks.get(e.digest, i, sheet.channels)));
    try {
      await Promise.all(wanted);
    } finally {
      if (attempt === this.attempt) this.isWaiting = false;
    }
    if (attempt !== this.attempt) return;
    // While it was fetched the old way played on: take the place once more.
    const at = Math.ceil((this.context.currentTime + START_SECONDS) * this.rate);
    const start = this.startOf(sheet, pattern, at);
    this.lane.release(at / this.rate);
    this.sheet = sheet;
    this.pattern = pattern;
    this.isTrial = isTrial;
    this.cursor = { context: at, at: start, join: true };
    this.anchor = { context: at, at: start };
    this.wake();
  }

  /** The place of a new way that what is heard at a frame of the clock goes on at. @param {HandSheet} sheet @param {Pattern} pattern @param {number} [frame] */
  startOf(sheet, pattern, frame) {
    if (!this.sheet || !this.pattern) return 0;
    if (this.sheet.source !== sheet.source) {
      // Another loop: both lie on the project's beats, so the music goes on; else from its start.
      const inTime = isFitted(this.pattern) && isFitted(pattern);
      return inTime ? Math.round(this.elapsed(frame)) % pattern.period : 0;
    }
    const place = this.place(frame);
    // Two methods lie on one axis: the very frame.
    const isOneAxis = this.pattern.period === pattern.period && isFitted(this.pattern) && isFitted(pattern);
    if (isOneAxis) return Math.round(place) % pattern.period;
    return this.placeOf(sheet, pattern, this.secondAt(this.sheet, this.pattern, place)) % pattern.period;
  }

  /** Go on from a moment of the recording; nothing where it is not in what is heard. @param {number} second */
  async go(second) {
    const { sheet, pattern } = this;
    if (!sheet || !pattern || pattern.way === "seam") return;
    this.attempt += 1;
    const attempt = this.attempt;
    const at = this.placeOf(sheet, pattern, second) % pattern.period;
    const to = at + 0.5 * this.rate;
    await Promise.all(this.rounds(pattern, at, to).flatMap((e) =>
      blocksBetween(e, at, to).map((i) => this.blocks.get(e.digest, i, sheet.channels))));
    if (attempt !== this.attempt) return;
    this.begin(at);
  }

  /** Play the pattern from a place in its round, a moment from now. @param {number} at */
  begin(at) {
    const context = Math.ceil((this.context.currentTime + START_SECONDS) * this.rate);
    this.lane.release(context / this.rate);
    this.cursor = { context, at, join: true };
    this.anchor = { context, at };
    this.wake();
  }

  stop() {
    this.attempt += 1;
    this.isWaiting = false;
    this.pattern = null;
    this.lane.release(this.context.currentTime + 0.005);
  }

  /** Events of the rounds that touch a window. @param {Pattern} pattern @param {number} from @param {number} to */
  rounds(pattern, from, to) {
    const longest = Math.max(0, ...pattern.events.map((e) => e.at + e.frames));
    const first = Math.floor((from - longest) / pattern.period);
    const found = [];
    for (let k = Math.max(0, first); k * pattern.period < to; k += 1) {
      for (const e of pattern.events) found.push({ ...e, at: e.at + k * pattern.period });
    }
    return found;
  }

  wake() {
    const { pattern, sheet } = this;
    if (!pattern || !sheet) return;
    const horizon = Math.ceil((this.context.currentTime + AHEAD_SECONDS) * this.rate);
    const { context, at, join } = this.cursor;
    if (horizon <= context) return;
    const to = at + horizon - context;
    this.lane.play(this.rounds(pattern, at, to), at, to, context, join, () => Infinity);
    this.cursor = { context: horizon, at: to, join: false };
    // What is about to be left must not hold up what comes.
    if (this.isWaiting || this.isExpecting) return;
    this.askFor(pattern, sheet, to, to + (this.isTrial ? TRIAL_SECONDS : COMING_SECONDS) * this.rate);
  }

  /** What is heard between two frames of the rounds, asked for ahead. @param {Pattern} pattern @param {HandSheet} sheet @param {number} from @param {number} to */
  askFor(pattern, sheet, from, to) {
    for (const e of this.rounds(pattern, from, to)) {
      for (const i of blocksBetween(e, from, to)) this.blocks.get(e.digest, i, sheet.channels).catch(() => undefined);
    }
  }
}

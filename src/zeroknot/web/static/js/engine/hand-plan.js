// @ts-check
/**
 * What is heard of the loop in hand alone, and when? Ways of hearing it, repeated until let go.
 *
 * Each way is a short pattern of events and its period. Switching keeps the musical place: the
 * moment that sounds in one way is where the other begins, 5 ms crossfaded. As in the song's plan
 * `now` is a context frame, and nothing here knows a clock or makes a sound.
 */

import { Handout } from "./handout.js";
import { patternOf } from "./patterns.js";
import { BLOCK_FRAMES, along, blocksBetween, frame } from "./schedule.js";

/** @typedef {import("../types.js").HandSheet} HandSheet */
/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/** @typedef {import("./patterns.js").Pattern} Pattern */
/** @typedef {import("./patterns.js").Way} Way */
/** @typedef {import("./patterns.js").Gains} Gains */
/** @typedef {import("./handout.js").Known} Known */
/** @typedef {import("./handout.js").Order} Order */
/** @typedef {import("./song-plan.js").Wanted} Wanted */
/** @typedef {{sheet: HandSheet, pattern: Pattern, isTrial: boolean}} Heard */
/** @typedef {{heard: Heard, rounds: number}} Mark rounds: frames of the rounds before the run's */

const AHEAD_SECONDS = 0.25;
const START_SECONDS = 0.03; // from ready to sounding
const EXPECTED_SECONDS = 0.08; // from asking what is tried to the first that is heard of it
const FIRST_SECONDS = 0.25; // that are there before a way is begun
// What comes is asked for so far ahead; of what is only tried less, or it would hold up the next try.
const COMING_SECONDS = 2;
const TRIAL_SECONDS = 0.25;
const REMEMBERED_SECONDS = 2;

export class HandPlan {
  /** @param {number} rate frames a second */
  constructor(rate) {
    this.rate = rate;
    /** @type {Handout<Mark>} */
    this.handout = new Handout(rate);
    /** @type {Heard | null} what sounds */
    this.heard = null;
    /** What waits for its first blocks; `at`: a place in its round, or where the music goes on. @type {{heard: Heard, at: number | null} | null} */
    this.next = null;
    /** The context frame at which what sounds was begun. */
    this.begunAt = 0;
    /** Another is about to be asked for: what is about to be left must not hold it up. */
    this.isExpecting = false;
  }

  get isPlaying() {
    return this.heard !== null;
  }

  get isWaiting() {
    return this.next !== null;
  }

  // Commands

  /** Hear a way, from the musical place that sounds by then, or from the one. @param {HandSheet} sheet @param {Way} way @param {Gains} gains @param {boolean} isTrial it may be another a moment later */
  hear(sheet, way, gains, isTrial) {
    this.next = { heard: { sheet, pattern: patternOf(sheet, way, gains), isTrial }, at: null };
  }

  /** Go on from a moment of the recording; nothing where it is not in what is heard. @param {number} second */
  go(second) {
    const { heard } = this;
    if (!heard || heard.pattern.way === "seam") return;
    this.next = { heard, at: placeOf(heard, second, this.rate) % heard.pattern.period };
  }

  /** @param {number} now */
  stop(now) {
    this.next = null;
    if (!this.heard) return;
    this.heard = null;
    this.handout.cut(Math.ceil(now + this.handout.joinFrames), true);
    this.handout.runs = [];
  }

  /** Another is about to be heard: the share of the pass at which, null where nothing sounds. @param {number} now */
  expect(now) {
    if (!this.heard) return null;
    this.isExpecting = true;
    const { period } = this.heard.pattern;
    return ((this.placeAt(now) + EXPECTED_SECONDS * this.rate) % period) / period;
  }

  // Where it is

  /** Frames into the round at a context frame. @param {number} at */
  placeAt(at) {
    const run = this.handout.runAt(at);
    return run && this.heard ? (run.song + Math.max(0, at - run.context)) % run.mark.heard.pattern.period : 0;
  }

  /** Frames since the one it was begun with, rounds and all. @param {number} at context frame */
  elapsedAt(at) {
    const run = this.handout.runAt(at);
    return run && this.heard ? run.mark.rounds + run.song + Math.max(0, at - run.context) : 0;
  }

  /** The moment of the recording that sounds at a context frame, in seconds; null when nothing does. @param {number} at */
  secondAt(at) {
    const run = this.handout.runAt(at);
    return this.heard && run ? secondOf(run.mark.heard, this.placeAt(at), this.rate) : null;
  }

  // Windows

  /** @param {number} now @param {Known} known @returns {Order[]} */
  advance(now, known) {
    if (this.next) this.begin(now, known);
    if (this.heard) {
      this.handout.catchUp(now, known);
      this.handOut(now, known);
      this.handout.forget(now - REMEMBERED_SECONDS * this.rate);
    }
    return this.handout.take();
  }

  /** @param {number} now @param {Known} known */
  begin(now, known) {
    const { next, handout } = this;
    if (!next) return;
    const at = Math.ceil(now + Math.max(START_SECONDS * this.rate, handout.margin));
    const start = next.at ?? this.startOf(next.heard, at);
    const first = start + FIRST_SECONDS * this.rate;
    const isThere = blocksOf(next.heard.pattern, start, first)
      .every(({ digest, index }) => known.state(digest, index) !== "coming");
    if (!isThere) return;
    this.next = null;
    this.isExpecting = false;
    if (this.heard) handout.cut(at, true);
    this.heard = next.heard;
    this.begunAt = at;
    this.run(at, start, 0);
  }

  /** @param {number} context @param {number} place @param {number} rounds */
  run(context, place, rounds) {
    const heard = /** @type {Heard} */ (this.heard);
    this.handout.begin(context, place, { heard, rounds }, heard.pattern.events, () => Infinity);
  }

  /** The place of a new way at which what is heard at a context frame goes on. @param {Heard} next @param {number} at */
  startOf(next, at) {
    const { heard } = this;
    if (!heard) return 0;
    const { period } = next.pattern;
    if (heard.sheet.source !== next.sheet.source) {
      // Another loop: both lie on the project's beats, so the music goes on; else from its start.
      return isFitted(heard.pattern) && isFitted(next.pattern) ? Math.round(this.elapsedAt(at)) % period : 0;
    }
    const place = this.placeAt(at);
    // Two methods lie on one axis: the very frame.
    const isOneAxis = heard.pattern.period === period && isFitted(heard.pattern) && isFitted(next.pattern);
    if (isOneAxis) return Math.round(place) % period;
    return placeOf(next, secondOf(heard, place, this.rate), this.rate) % period;
  }

  /** @param {number} now @param {Known} known */
  handOut(now, known) {
    const { handout } = this;
    const { period } = /** @type {Heard} */ (this.heard).pattern;
    const horizon = Math.ceil(now + AHEAD_SECONDS * this.rate);
    while (handout.handed < horizon) {
      const turn = handout.handed + period - handout.songAt(handout.handed);
      handout.hand(Math.min(turn, horizon), now, known);
      if (handout.handed === turn) this.run(turn, 0, (handout.last?.mark.rounds ?? 0) + period);
    }
  }

  /** The blocks that are heard next, by when they are heard. @param {number} now @returns {Wanted[]} */
  wanted(now) {
    const { next, heard, handout } = this;
    /** @type {Wanted[]} */
    const found = [];
    /** @param {Heard} of @param {number} from @param {number} frames @param {number} context */
    const want = (of, from, frames, context) => {
      for (const { digest, index, channels, at } of blocksOf(of.pattern, from, from + frames)) {
        found.push({ digest, index, channels: channels ?? of.sheet.channels, due: context + Math.max(0, at - from) });
      }
    };
    if (next) want(next.heard, next.at ?? this.startOf(next.heard, now + START_SECONDS * this.rate), 2 * FIRST_SECONDS * this.rate, now);
    if (heard) {
      for (const { part } of handout.late) {
        const { digest, channels } = /** @type {import("./patterns.js").HandEvent} */ (part.event);
        found.push({ digest, index: part.index, channels: channels ?? heard.sheet.channels, due: part.at });
      }
      if (!next && !this.isExpecting) {
        const ahead = (heard.isTrial ? TRIAL_SECONDS : COMING_SECONDS) * this.rate;
        want(heard, handout.songAt(handout.handed) % heard.pattern.period, now + AHEAD_SECONDS * this.rate + ahead - handout.handed, handout.handed);
      }
    }
    return found.sort((a, b) => a.due - b.due);
  }
}

/** Is it heard as it was fitted, by whichever method? @param {Pattern} pattern */
const isFitted = (pattern) => pattern.way === "fitted" || pattern.way === "against";

/** The moment of the recording at a place of the round, in seconds. @param {Heard} heard @param {number} place @param {number} rate */
function secondOf({ sheet, pattern }, place, rate) {
  if (pattern.way === "recorded") return sheet.zero_s + place / rate;
  let output = place;
  if (pattern.way === "seam" && sheet.is_range) {
    const part = pattern.period / 2;
    return place < part ? sheet.end_s + (place - part) / rate : sheet.zero_s + (place - part) / rate;
  }
  if (pattern.way === "seam") {
    const beat = pattern.period / 2;
    output = place < beat ? sheet.body - beat + place : place - beat;
  }
  return along(sheet.knots, 1, 0, output);
}

/** The place in the round of a moment of the recording. @param {Heard} heard @param {number} second @param {number} rate */
function placeOf({ sheet, pattern }, second, rate) {
  if (pattern.way === "recorded") return Math.max(0, frame((second - sheet.zero_s) * rate));
  if (pattern.way === "seam") return 0;
  return Math.max(0, frame(along(sheet.knots, 0, 1, second)));
}

/** The blocks that rounds of a pattern need between two of their frames. @param {Pattern} pattern @param {number} from @param {number} to */
function blocksOf(pattern, from, to) {
  /** @type {Map<string, {digest: string, index: number, channels?: number, at: number}>} */
  const found = new Map();
  for (let round = 0; round * pattern.period < to; round += 1) {
    for (const event of pattern.events) {
      const begun = { ...event, at: event.at + round * pattern.period };
      for (const index of blocksBetween(begun, from, to)) {
        const at = Math.max(begun.at, begun.at + index * BLOCK_FRAMES - event.start);
        const key = `${event.digest}/${index}`;
        if (!found.has(key)) found.set(key, { digest: event.digest, index, channels: event.channels, at });
      }
    }
  }
  return [...found.values()];
}

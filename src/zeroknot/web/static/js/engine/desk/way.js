// @ts-check
/**
 * Which frames of the song are heard when, in the parts that a desk works in: from step to step, and
 * from where the song goes on elsewhere.
 */

import { STEP } from "./strip.js";

/** From a context frame on song frames count from `song`, or stand there, and this is what it goes through; `sheet` null: as it is. @template S @typedef {{context: number, song: number, isMoving: boolean, sheet: S | null}} Run */
/** Frames [from, to) of what is asked for; into: frames of its step that are gone; frame: where values are looked up, null where they hold on. @typedef {{from: number, to: number, into: number, frame: number | null, isJump: boolean}} Part */

/** @template S */
export class Way {
  /** @param {(sheet: S) => void} adopt called where a run begins that brings another sheet */
  constructor(adopt) {
    this.adopt = adopt;
    /** @type {Run<S>[]} by when they begin; the first has not begun */
    this.runs = [];
    /** The song frame of the next frame; where the song stands still it counts on from where it stands. */
    this.song = 0;
    /** The song frame on which it stands; null while it goes. @type {number | null} */
    this.stands = 0;
    this.isJump = true;
  }

  /** What was to begin there or later is not begun. @param {Run<S>} run */
  run(run) {
    this.runs = this.runs.filter((r) => r.context < run.context);
    this.runs.push(run);
  }

  /** Runs that are to begin bring this sheet: it is newer than theirs. @param {S} sheet */
  renew(sheet) {
    for (const run of this.runs) if (run.sheet) run.sheet = sheet;
  }

  /** @param {number} context frame of the first @param {number} count @returns {Generator<Part>} */
  *parts(context, count) {
    let from = 0;
    while (from < count) {
      while (this.runs.length && this.runs[0].context <= context + from) this.begin(/** @type {Run<S>} */ (this.runs.shift()));
      const into = ((this.song % STEP) + STEP) % STEP;
      const next = this.runs.length ? this.runs[0].context - context : Infinity;
      const to = Math.min(count, from + STEP - into, next);
      const { isJump } = this;
      this.isJump = false;
      yield { from, to, into, frame: into === 0 || isJump ? this.stands ?? this.song - into : null, isJump };
      this.song += to - from;
      from = to;
    }
  }

  /** Nothing sounds: frames go by, and values are looked up when something does again. @param {number} context @param {number} count @returns {boolean} whether that could be */
  pass(context, count) {
    if (this.runs.length && this.runs[0].context < context + count) return false;
    this.song += count;
    this.isJump = true;
    return true;
  }

  /** @param {Run<S>} run */
  begin(run) {
    if (run.sheet) this.adopt(run.sheet);
    this.song = run.song;
    this.stands = run.isMoving ? null : run.song;
    this.isJump = true;
  }
}

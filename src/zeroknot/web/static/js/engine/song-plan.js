// @ts-check
/**
 * What is heard of the song, and when? Play, stop, go, cycle and swaps, without a clock or a sound.
 *
 * Conventions
 * -----------
 * - `now` is a context frame, given with each command; `heard` the one that leaves the speaker now.
 * - Commands say what is wanted. `advance` gives the orders that follow from it and from the blocks
 *   that are there, up to a little ahead of now; `wanted` which blocks are heard next, and when.
 * - The newest sheet is the truth. Where its time is that of the one that sounds, only the events
 *   that differ are exchanged, as soon as their blocks are there; where its time is another,
 *   everything is swapped on the first bar line at which its blocks are there, the position kept in
 *   beats. The start of a cycle counts as a bar line.
 */

import { Laid } from "./laid.js";
import { along, blocksBetween } from "./schedule.js";
import { SongWay } from "./song-way.js";
import { READY_SECONDS, wantedOf } from "./wanted.js";

/** @typedef {import("../types.js").Sheet} Sheet */
/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/** @typedef {import("./handout.js").Known} Known */
/** @typedef {import("./handout.js").Order} Order */
/** isItsTime: what sounds goes by the time of that sheet. @typedef {{do: "levels", sheet: Sheet, isItsTime: boolean}} LevelsOrder */
/** From a context frame on song frames count from `song`, or stand there; sheet: whose desk it is, null where that was told. @typedef {{do: "run", at: number, song: number, isMoving: boolean, sheet: Sheet | null}} RunOrder */
/** @typedef {Order | LevelsOrder | RunOrder} SongOrder */
/** @typedef {import("./wanted.js").Wanted} Wanted */
/** @typedef {import("./song-way.js").Line} Line */
/** @typedef {import("./song-way.js").Cycle} Cycle */
/** @typedef {import("./laid.js").Coiled} Coiled */
/** @typedef {{context: number, beat: number, coiled: Coiled | null}} Switched */

const AHEAD_SECONDS = 0.25; // handed out before it sounds
const START_SECONDS = 0.03; // from ready to sounding
const DECIDE_SECONDS = 0.08; // before a bar line it is decided whether a swap is on it
const BEHIND_SECONDS = 0.1; // an event, for what a swap needs of it, where blocks come late
const FIRST_PAUSE_SECONDS = 1; // after the second bar line that was missed; doubled with each
const REMEMBERED_SECONDS = 2; // of what was heard
const MOST_SWITCHED = 512;

export class SongPlan extends SongWay {
  /** @param {number} rate frames a second */
  constructor(rate) {
    super(rate);
    /** Events of the newest sheet that do not sound yet. @type {readonly SheetEvent[]} */
    this.fresh = [];
    /** Bar lines that were missed for want of blocks. */
    this.misses = 0;
    /** @type {{beat: number, isSeek: boolean} | null} a place that waits for its blocks */
    this.start = null;
    this.isPlaying = false;
    this.startBeat = 0;
    /** What the coil is to play; null for nothing. @type {Coiled | null} */
    this.coiled = null;
    /** Does what the coil plays next begin with its start, wherever it comes in? */
    this.coilStarts = false;
    /** Are the loops of the coil kept ready? */
    this.keepsCoil = false;
    /** What the coil played from which context frame and beat on; null where nothing. @type {Switched[]} */
    this.switched = [];
    /** @type {LevelsOrder | null} */
    this.levels = null;
    /** @type {RunOrder[]} */
    this.runs = [];
  }

  /** Does something that was asked for wait for its first blocks? */
  get isWaiting() {
    return this.start !== null && !this.start.isSeek;
  }

  /** The beat at a context frame. @param {number} at */
  beatAt(at) {
    const run = this.handout.runAt(at);
    if (!this.isPlaying || !run) return this.start?.beat ?? this.startBeat;
    return along(run.mark.pulses, 1, 0, run.song + Math.max(0, at - run.context));
  }

  // Commands

  /** Take a sheet: at once when still; its levels always at once. @param {Sheet} sheet @param {number} now */
  adopt(sheet, now) {
    this.newest = Laid.of(sheet, this.withHand, this.coiled);
    this.compare(now);
    this.levels = { do: "levels", sheet, isItsTime: this.pending !== "time" };
  }

  /** What is in hand joins the song, or leaves it. @param {string | null} strand @param {number} now */
  hearHand(strand, now) {
    if (this.withHand === strand) {
      if (!this.pending) this.waits = "now";
      return;
    }
    this.withHand = strand;
    if (!this.newest) return;
    this.newest = Laid.of(this.newest.sheet, this.withHand, this.coiled);
    this.compare(now);
  }

  /**
   * The coil plays a loop from the next bar, the next beat or at once; null: it stops there.
   * @param {string | null} slot @param {"now" | "beat" | "bar"} when @param {boolean} starts with its start, else where it would be by then @param {number} now
   */
  hearCoil(slot, when, starts, now) {
    this.coiled = slot === null ? null : { slot, from: 0 };
    this.coilStarts = starts && slot !== null;
    this.waits = when;
    if (!this.newest) return;
    if (!this.isPlaying && this.coilStarts) this.coiled = { slot: /** @type {string} */ (slot), from: this.start?.beat ?? this.startBeat };
    this.newest = Laid.of(this.newest.sheet, this.withHand, this.coiled);
    this.compare(now);
  }

  /** What the coil plays next begins on a beat. @param {number} beat */
  startCoilAt(beat) {
    const { newest, coiled } = this;
    if (!this.coilStarts || !newest || !coiled || coiled.from === beat) return;
    this.coiled = { slot: coiled.slot, from: beat };
    this.newest = Laid.of(newest.sheet, this.withHand, this.coiled);
    this.fresh = this.newest.events.filter((e) => !this.current?.has(e));
  }

  /** What the coil plays is another from here on. @param {number} context */
  noteSwitch(context) {
    const coiled = this.isPlaying ? this.current?.coiled ?? null : null;
    const last = this.switched[this.switched.length - 1];
    if (!coiled && !last?.coiled) return;
    this.switched = [...this.switched.slice(1 - MOST_SWITCHED), { context, beat: this.beatAt(context), coiled }];
  }

  /** In what is the newest another than what sounds? @param {number} now */
  compare(now) {
    const { newest, current } = this;
    this.pending = null;
    if (!newest || !current || !this.isPlaying) {
      this.current = newest;
      return;
    }
    this.pending = newest.sheet.time_key === current.sheet.time_key ? "events" : "time";
    this.fresh = newest.events.filter((e) => !current.has(e));
    this.misses = 0;
    // Where blocks come late anyway, no line is tried that is too near for all that a swap needs.
    this.notBefore = this.isBehind ? now + BEHIND_SECONDS * this.soundingAt(newest, this.beatAt(now)) * this.rate : now;
  }

  /** How many events sound at a beat. @param {Laid} laid @param {number} beat */
  soundingAt(laid, beat) {
    const song = laid.frameOf(beat);
    return laid.events.filter((e) => e.at <= song && song < e.at + e.frames).length;
  }

  /** Does sound come late, because more is wanted than can be rendered? */
  get isBehind() {
    return this.handout.late.length > 0;
  }

  /** Begin, from the cycle's start or from the playhead. @param {number} [beat] */
  play(beat) {
    if (this.isPlaying || !this.newest) return;
    if (beat !== undefined) this.startBeat = Math.max(0, beat);
    const { cycle } = this;
    if (cycle && (this.startBeat < cycle.from || this.startBeat >= cycle.to)) this.startBeat = cycle.from;
    this.start = { beat: this.startBeat, isSeek: false };
  }

  /** @param {number} now @param {number} heard the context frame that leaves the speaker */
  stop(now, heard) {
    this.start = null;
    if (!this.isPlaying) return;
    this.startBeat = Math.max(0, this.beatAt(heard));
    this.end(now);
  }

  /** Nothing sounds any more, and what is newest is there when it plays again. @param {number} now */
  end(now) {
    this.noteEnd(now);
    const at = Math.ceil(now);
    const run = this.handout.runAt(at);
    if (run) this.runs.push({ do: "run", at, song: run.song + at - run.context, isMoving: false, sheet: null });
    this.handout.cut(Math.ceil(now + this.handout.joinFrames), true);
    this.handout.runs = [];
    this.isPlaying = false;
    this.settled = now;
    this.over = null;
    this.waits = "now";
    this.pending = null;
    this.current = this.newest;
  }

  /** The coil is silent from here on. @param {number} context */
  noteEnd(context) {
    if (!this.switched[this.switched.length - 1]?.coiled) return;
    this.switched = [...this.switched, { context, beat: this.beatAt(context), coiled: null }];
  }

  /** Go to a beat; while playing the sound goes on from there as soon as it can. @param {number} beat */
  go(beat) {
    const to = Math.max(0, beat);
    if (this.isPlaying) this.start = { beat: to, isSeek: true };
    else {
      this.startBeat = to;
      if (this.start) this.start.beat = to;
    }
  }

  /** @param {Cycle | null} cycle @param {number} now */
  setCycle(cycle, now) {
    const next = cycle && cycle.to > cycle.from ? cycle : null;
    if (next?.from === this.cycle?.from && next?.to === this.cycle?.to) return;
    this.cycle = next;
    if (!this.isPlaying || !this.current || this.over !== null) return;
    const at = this.soonest(now);
    // Past its end already: begin it now, or it would never come round.
    if (next && this.beatAt(at) >= next.to - 1e-9) this.go(next.from);
    // What was handed out may have turned back at the old end, or gone past the new one.
    this.run(at, this.handout.cut(at), this.current);
  }

  /** The first context frame at which what was handed out may be changed: after the last change's fade. @param {number} now */
  soonest(now) {
    this.settled = this.settledAfter(now);
    return this.settled;
  }

  // Windows

  /** Orders up to a little ahead of now. @param {number} now @param {Known} known @returns {SongOrder[]} */
  advance(now, known) {
    if (this.start) this.begin(now, known);
    if (this.isPlaying) {
      this.handout.catchUp(now, known);
      if (this.pending === "events" && this.waits === "now") this.exchangeSoon(now, known);
      if (this.pending === "events" && this.waits !== "now") this.exchangeAtLine(now, known);
      this.handOut(now, known);
      if (this.over !== null && now >= this.over) {
        this.startBeat = this.cycle?.from ?? 0;
        this.end(now);
      }
      this.handout.forget(now - REMEMBERED_SECONDS * this.rate);
    }
    const levels = this.levels ? [this.levels] : [];
    this.levels = null;
    const { runs } = this;
    this.runs = [];
    return [...levels, ...runs, ...this.handout.take()];
  }

  /** The song frame to begin with. @param {Laid} laid @param {number} beat */
  frameToStart(laid, beat) {
    const from = laid.frameOf(beat);
    // From the very start, a lead before bar 1 is played, too.
    return beat === 0 && !this.cycle ? Math.min(from, laid.sheet.first_frame) : from;
  }

  /** Begin where it was asked for, with what is newest, once its first blocks are there. @param {number} now @param {Known} known */
  begin(now, known) {
    const { start, newest } = this;
    if (!start || !newest) return;
    const song = this.frameToStart(newest, start.beat);
    if (!this.isSettled(newest.events, song, known)) return;
    const at = this.soonest(now + START_SECONDS * this.rate - this.handout.margin);
    if (this.isPlaying) this.handout.cut(at, true);
    this.start = null;
    this.over = null;
    this.isPlaying = true;
    this.startBeat = start.beat;
    this.pending = null;
    this.waits = "now";
    this.run(at, song, newest);
  }

  /** From a context frame on, this is heard. @param {number} context @param {number} song @param {Laid} laid */
  run(context, song, laid) {
    this.current = laid;
    const cycle = this.cycleFrames(laid);
    const end = cycle && song < cycle.to ? cycle.to : Infinity;
    this.handout.begin(context, song, laid.sheet, laid.events, (e) => laid.cutOf(e, end));
    // What was told of the newest holds already where it goes by the same time.
    const isNewest = this.newest?.sheet.time_key === laid.sheet.time_key;
    this.runs.push({ do: "run", at: context, song, isMoving: true, sheet: isNewest ? this.newest?.sheet ?? null : laid.sheet });
    this.noteSwitch(context);
  }

  /** Are the first blocks from a song frame on there, or known not to come? @param {readonly SheetEvent[]} events @param {number} song @param {Known} known */
  isSettled(events, song, known) {
    const end = song + READY_SECONDS * this.rate;
    return events.every((event) =>
      blocksBetween(event, song, end).every((index) => known.state(event.digest, index) !== "coming"));
  }

  /** What has to be there for what is pending. */
  get awaited() {
    return this.pending === "time" ? this.newest?.events ?? [] : this.fresh;
  }

  /** Same time, other events: exchanged a moment from now, once those that are new are there. @param {number} now @param {Known} known */
  exchangeSoon(now, known) {
    const at = now + this.handout.margin;
    const run = this.handout.runAt(at);
    if (!run) return;
    if (this.coilStarts) this.startCoilAt(this.beatAt(this.settledAfter(now)));
    if (!this.isSettled(this.fresh, run.song + at - run.context, known)) return;
    this.exchange(this.soonest(now), now, known);
  }

  /** The same on a line that has been handed out already and is not heard yet. @param {number} now @param {Known} known */
  exchangeAtLine(now, known) {
    const line = this.lineHanded(now);
    if (!line) return;
    this.startCoilAt(line.beat);
    const song = /** @type {Laid} */ (this.newest).frameOf(line.beat);
    if (this.isSettled(this.fresh, song, known)) this.exchange(line.context, now, known);
  }

  /** @param {number} at context frame @param {number} now @param {Known} known */
  exchange(at, now, known) {
    const newest = /** @type {Laid} */ (this.newest);
    this.settled = at;
    const end = this.cycleFrames(newest)?.to ?? Infinity;
    this.handout.exchange(
      at, (e) => newest.has(e), this.fresh,
      (run, e) => newest.cutOf(e, run.song < end ? end : Infinity), now, known,
    );
    const isSwitch = this.current?.coiled !== newest.coiled;
    this.current = newest;
    this.pending = null;
    this.waits = "now";
    this.over = null;
    if (!isSwitch) return;
    this.coilStarts = false;
    if (newest.coiled) this.noteSwitch(at);
    else this.noteEnd(at);
  }

  /** @param {number} now @param {Known} known */
  handOut(now, known) {
    const { handout } = this;
    const horizon = Math.ceil(now + AHEAD_SECONDS * this.rate);
    while (handout.handed < horizon) {
      if (this.over !== null) { // only what rings
        handout.hand(horizon, now, known);
        return;
      }
      const current = /** @type {Laid} */ (this.current);
      const { end, back } = this.turnOf(current, /** @type {{song: number}} */ (handout.last).song);
      const turn = handout.handed + Math.max(0, end - handout.songAt(handout.handed));
      const line = this.pending === "time" || (this.pending && this.waits !== "now")
        ? this.lineAfter(Math.max(this.notBefore, now + handout.margin)) : null;
      if (line && this.pending === "events") this.startCoilAt(line.beat);
      this.handTo(Math.min(horizon, turn, line?.context ?? Infinity), current, now, known);
      if (line && line.context === handout.handed) {
        if (this.isSettled(this.awaited, /** @type {Laid} */ (this.newest).frameOf(line.beat), known)) {
          this.swap(line, now, known);
          continue;
        }
        if (line.context - now > DECIDE_SECONDS * this.rate) return;
        this.miss(line);
      }
      if (handout.handed < turn) continue;
      if (back !== null) this.run(turn, back, current);
      else this.over = turn + Math.max(0, current.sheet.end_frame - end);
    }
  }

  /** A bar line for which the blocks were not there: the one after the next is tried later each time. @param {Line} line */
  miss(line) {
    this.misses += 1;
    // The blocks of the very next line have been asked for all along.
    const pause = this.misses < 2 ? 0 : FIRST_PAUSE_SECONDS * 2 ** (this.misses - 2);
    this.notBefore = line.context + 1 + pause * this.rate;
  }

  /** Everything in the new time, or other events, from a bar line on. @param {Line} line @param {number} now @param {Known} known */
  swap(line, now, known) {
    if (this.pending !== "time") {
      this.exchange(line.context, now, known);
      return;
    }
    const newest = /** @type {Laid} */ (this.newest);
    this.handout.cut(line.context);
    this.settled = line.context;
    this.pending = null;
    this.waits = "now";
    this.run(line.context, newest.frameOf(line.beat), newest);
  }

  /** The blocks that are heard next, by when they are heard. @param {number} now @returns {Wanted[]} */
  wanted(now) {
    return wantedOf(this, now);
  }
}

// @ts-check
/**
 * Which way does a song go from where it has been handed out to, and where on it may something change?
 * It turns back at the end of a cycle, ends at its own, and meets bar lines and beats on its way.
 */

import { Handout } from "./handout.js";

/** @typedef {import("../types.js").Sheet} Sheet */
/** @typedef {import("./laid.js").Laid} Laid */
/** @typedef {{context: number, beat: number}} Line where a swap may be */
/** @typedef {{from: number, to: number}} Cycle in beats */

export class SongWay {
  /** @param {number} rate frames a second */
  constructor(rate) {
    this.rate = rate;
    /** @type {Handout<Sheet>} a run's mark is the sheet its beats are looked up in */
    this.handout = new Handout(rate);
    /** @type {Laid | null} the newest */
    this.newest = null;
    /** @type {Laid | null} what sounds */
    this.current = null;
    /** What is pending: nothing, other events, or another time. @type {null | "events" | "time"} */
    this.pending = null;
    /** The context frame before which no line is tried. */
    this.notBefore = 0;
    /** The context frame of the last change of what had been handed out: what is before it stays. */
    this.settled = 0;
    /** @type {Cycle | null} */
    this.cycle = null;
    /** @type {string | null} the strand in hand, heard with the rest */
    this.withHand = null;
    /** What the next exchange of events waits for. @type {"now" | "beat" | "bar"} */
    this.waits = "now";
    /** At the end of the song: begin again instead of stopping. */
    this.beginsAgain = false;
    /** @type {number | null} the context frame at which all is over */
    this.over = null;
  }

  /** The same, without taking it. @param {number} now */
  settledAfter(now) {
    return Math.max(Math.ceil(now + this.handout.margin), this.settled + this.handout.joinFrames);
  }

  /** @param {Laid} laid */
  cycleFrames(laid) {
    return laid.framesOf(this.cycle, this.handout.margin);
  }

  /**
   * Where a run turns back or ends, in song frames: the cycle's end, else the song's, which is its last
   * bar line; that of the table where it began beyond, has nothing in it or goes with what is in hand.
   * @param {Laid} laid @param {number} song the run's first frame
   */
  turnOf(laid, song) {
    const { sheet, last } = laid;
    const cycle = this.cycleFrames(laid);
    if (cycle && song < cycle.to) return { end: cycle.to, back: cycle.from };
    if (this.withHand || laid.coiled || !sheet.events.length || song >= sheet.close_frame) return { end: last, back: null };
    return { end: Math.min(last, sheet.close_frame), back: this.beginsAgain ? 0 : null };
  }

  /** The way the song will go from what has been handed out on: stretches of context and song frames. @param {number} until context frame */
  *way(until) {
    const { current, handout } = this;
    const run = handout.last;
    if (!current || !run || this.over !== null) return;
    let [context, song, begun] = [handout.handed, handout.songAt(handout.handed), run.song];
    while (context < until) {
      const { end, back } = this.turnOf(current, begun);
      yield { context, song, frames: Math.max(0, end - song), begun };
      if (back === null) return;
      context += Math.max(0, end - song);
      song = begun = back;
    }
  }

  /** The next place at or after a context frame at which what waits may come: a bar line, or a beat where that is enough. @param {number} from @returns {Line | null} */
  lineAfter(from) {
    const isBeat = this.pending === "events" && this.waits === "beat";
    const { current } = this;
    if (!current) return null;
    for (const { context, song, frames, begun } of this.way(from + 60 * this.rate)) {
      const isTurn = this.handout.last?.context !== context && song === begun;
      if (isTurn && context >= from) return { context, beat: current.beatOf(song) };
      const least = Math.max(song, song + from - context);
      for (const [beat, pulse, , number] of current.pulsesBetween(least, song + frames)) {
        if (number === 1 || isBeat) return { context: context + pulse - song, beat };
      }
    }
    return null;
  }

  /** The first line on which what waits may come, of those that have been handed out already. @param {number} now @returns {Line | null} */
  lineHanded(now) {
    const from = Math.max(this.notBefore, this.settledAfter(now));
    const run = this.handout.runAt(from);
    if (!run || !this.current || from >= this.handout.handed || this.pending !== "events") return null;
    const song = run.song + from - run.context;
    for (const [beat, pulse, , number] of this.current.pulsesBetween(song, song + this.handout.handed - from)) {
      if (number === 1 || this.waits === "beat") return { context: from + pulse - song, beat };
    }
    return null;
  }

  /** Hand out up to a context frame, with the clicks on the way. @param {number} to @param {Laid} laid @param {number} now @param {import("./handout.js").Known} known */
  handTo(to, laid, now, known) {
    const { handout } = this;
    const { handed: from } = handout;
    if (to <= from) return;
    const song = handout.songAt(from);
    for (const [, pulse, , number] of laid.pulsesBetween(song, song + to - from)) {
      const at = from + pulse - song;
      if (at >= now) handout.orders.push({ do: "click", at, isOne: number === 1 });
    }
    handout.hand(to, now, known);
  }
}

// @ts-check
/**
 * What is handed to the audio clock, window by window, and what of it is taken back?
 *
 * Conventions
 * -----------
 * - A *run* lays song frames on context frames: from context frame `context` on, song frames count
 *   from `song`. Runs follow one another; the last one goes on.
 * - A *span* is an event as far as a run lets it be heard, in song frames [from, to).
 * - Windows are half open and meet; a part belongs to the window it begins in and is as long as what
 *   is left of its block. Orders are carried out in their order: a release lets go what was handed
 *   out before it.
 * - A part is heard times its event's gain and fades, times every ramp of its own.
 *
 * Nothing here knows a clock or makes a sound: whoever calls gives the time.
 */

import { BLOCK_FRAMES } from "./schedule.js";

/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/**
 * handedTo, soundedTo: context frames up to which it was handed out and up to which it sounds.
 * @typedef {{event: SheetEvent, id: number, from: number, to: number, handedTo: number, soundedTo: number}} Span
 */
/** mark: what the planner wants to find again. @template M @typedef {{context: number, song: number, mark: M, waiting: Span[], active: Span[]}} Run */
/** @typedef {[number, number]} Ramp context frames, from silence to full or back */
/**
 * @typedef {{do: "part", span: number, event: SheetEvent, index: number, offset: number, at: number,
 *   frames: number, from: number, rises: Ramp[], falls: Ramp[]}} PartOrder
 *   sounds at context frame `at`, from `offset` inside block `index`; `from` is its first frame inside the event
 * @typedef {{do: "release", spans: Set<number>, at: number, frames: number}} ReleaseOrder
 *   over so many frames; with 0 what begins there or later is not begun
 * @typedef {{do: "click", at: number, isOne: boolean}} ClickOrder
 * @typedef {{do: "hush", at: number}} HushOrder clicks from there on are not wanted any more
 * @typedef {PartOrder | ReleaseOrder | ClickOrder | HushOrder} Order
 */
/**
 * What is known of blocks: here, not to be had just now, or on their way (or not asked for).
 * @typedef {{state: (digest: string, index: number) => "here" | "failed" | "coming"}} Known
 */

export const JOIN_SECONDS = 0.005;
export const CUT_SECONDS = 0.003;
/** A part begins no sooner than so long after now. */
export const MARGIN_SECONDS = 0.02;
const LEAST_FRAMES = 32; // of what is left of a late part

/** @template M */
export class Handout {
  /** @param {number} rate frames a second */
  constructor(rate) {
    this.rate = rate;
    this.joinFrames = Math.round(JOIN_SECONDS * rate);
    this.cutFrames = Math.round(CUT_SECONDS * rate);
    this.margin = Math.ceil(MARGIN_SECONDS * rate);
    /** @type {Run<M>[]} */
    this.runs = [];
    /** Everything before this context frame has been handed out. */
    this.handed = 0;
    /** Parts whose blocks were not there when their window came. @type {{span: Span, part: PartOrder}[]} */
    this.late = [];
    /** @type {Order[]} */
    this.orders = [];
    /** Frames of parts that were due and never sounded. */
    this.missed = 0;
    this.spans = 0;
  }

  /** What is to be done since this was asked last. @returns {Order[]} */
  take() {
    const { orders } = this;
    this.orders = [];
    return orders;
  }

  get last() {
    return this.runs[this.runs.length - 1] ?? null;
  }

  /** The song frame of the last run at a context frame. @param {number} context */
  songAt(context) {
    const run = this.last;
    return run ? run.song + context - run.context : 0;
  }

  /** The run that is heard at a context frame. @param {number} context */
  runAt(context) {
    let found = this.runs[0] ?? null;
    for (const run of this.runs) if (run.context <= context) found = run;
    return found;
  }

  /**
   * From a context frame on, song frames count from `song`, and these events are heard.
   * @param {number} context @param {number} song @param {M} mark @param {readonly SheetEvent[]} events
   * @param {(event: SheetEvent) => number} cutAt song frame after which an event is silent
   */
  begin(context, song, mark, events, cutAt) {
    /** @type {Run<M>} */
    const run = { context, song, mark, waiting: [], active: [] };
    for (const event of events) {
      const span = this.span(event, song, cutAt(event));
      if (span) run.waiting.push(span);
    }
    run.waiting.sort((a, b) => beginOf(b) - beginOf(a)); // the next one is the last
    this.runs.push(run);
    this.handed = context;
    return run;
  }

  /** @param {SheetEvent} event @param {number} from @param {number} to @returns {Span | null} */
  span(event, from, to) {
    if (event.at + event.frames <= from || event.at >= to) return null;
    this.spans += 1;
    return { event, id: this.spans, from, to, handedTo: -Infinity, soundedTo: -1 };
  }

  /** Hand out what begins up to a context frame. @param {number} to @param {number} now @param {Known} known */
  hand(to, now, known) {
    for (const run of this.runs) {
      const shift = run.context - run.song;
      while (run.waiting.length && beginOf(run.waiting[run.waiting.length - 1]) + shift < to) {
        run.active.push(/** @type {Span} */ (run.waiting.pop()));
      }
      for (const span of run.active) this.handSpan(span, shift, this.handed, to, now, known);
      // What has been handed out to its end may be taken back as long as it sounds.
      run.active = run.active.filter((span) => endOf(span) + shift > now);
    }
    this.handed = to;
  }

  /**
   * The parts of a span that begin inside [a, b) of context frames.
   * @param {Span} span @param {number} shift context frames less song frames @param {number} a @param {number} b
   * @param {number} now @param {Known} known
   */
  handSpan(span, shift, a, b, now, known) {
    const { event } = span;
    const [begin, end] = [beginOf(span), endOf(span)];
    const first = Math.max(a, span.handedTo);
    span.handedTo = Math.max(b, span.handedTo);
    let at = begin;
    if (at + shift < first) {
      const axis = event.start + first - shift - event.at;
      at = Math.ceil(axis / BLOCK_FRAMES) * BLOCK_FRAMES - event.start + event.at;
    }
    while (at < Math.min(end, b - shift)) {
      const axis = event.start + at - event.at;
      const index = Math.floor(axis / BLOCK_FRAMES);
      const frames = Math.min(end - at, (index + 1) * BLOCK_FRAMES - axis);
      /** @type {PartOrder} */
      const part = {
        do: "part", span: span.id, event, index, offset: axis - index * BLOCK_FRAMES,
        at: at + shift, frames, from: at - event.at, rises: [], falls: [],
      };
      // Joined in its middle, or cut off before its end: over a few milliseconds.
      if (begin > event.at) touch(part, part.rises, begin + shift, begin + shift + this.joinFrames);
      if (end < event.at + event.frames) touch(part, part.falls, end + shift - this.cutFrames, end + shift);
      this.offer(span, part, now, known);
      at += frames;
    }
  }

  /** @param {Span} span @param {PartOrder} part @param {number} now @param {Known} known */
  offer(span, part, now, known) {
    const isHere = known.state(part.event.digest, part.index) === "here";
    // What follows a part that is late waits with it, as long as it can: both may yet meet without a fade.
    if (isHere && !this.late.some((other) => other.span === span)) this.sound(span, part, now);
    else this.late.push({ span, part });
  }

  /** Order a part, what is past of it skipped. @param {Span} span @param {PartOrder} part @param {number} now */
  sound(span, part, now) {
    const skip = Math.max(0, Math.ceil(now + this.margin) - part.at);
    if (part.frames - skip < Math.min(LEAST_FRAMES, part.frames)) {
      this.missed += part.frames;
      return;
    }
    this.missed += skip;
    const order = {
      ...part, at: part.at + skip, offset: part.offset + skip, from: part.from + skip, frames: part.frames - skip,
    };
    const end = order.at + order.frames;
    const fade = Math.min(this.joinFrames, order.frames);
    // It begins after a silence that should not be: not with a click.
    if (skip) order.rises = [];
    if (order.from > 0 && span.soundedTo !== order.at && !order.rises.length) order.rises = [[order.at, order.at + fade]];
    // What comes after it has begun already, with a rise of its own.
    if (span.soundedTo > end) order.falls = [...order.falls, [end - fade, end]];
    else span.soundedTo = end;
    this.orders.push(order);
  }

  /**
   * Late parts: those whose blocks have come sound from where they would be by now; what sounds
   * before one that will not be there is let down in time.
   * @param {number} now @param {Known} known
   */
  catchUp(now, known) {
    const waiting = this.late;
    this.late = [];
    const soon = now + 2 * this.margin;
    for (const { span, part } of waiting) {
      const isFollowing = part.at > soon && this.late.some((other) => other.span === span);
      if (!isFollowing && known.state(part.event.digest, part.index) === "here") {
        this.sound(span, part, now);
        continue;
      }
      if (span.soundedTo === part.at && part.at - this.joinFrames < soon) {
        const at = Math.max(Math.ceil(now + this.margin), part.at - this.joinFrames);
        if (at < part.at) this.orders.push({ do: "release", spans: new Set([span.id]), at, frames: part.at - at });
        span.soundedTo = -1;
      }
      if (part.at + part.frames > now + this.margin) this.late.push({ span, part });
      else this.missed += part.frames;
    }
  }

  /**
   * Take back all that was handed out from a context frame on; returns the song frame there.
   * @param {number} at @param {boolean} [withTails] also what rings on from earlier runs
   */
  cut(at, withTails = false) {
    const current = this.runAt(at);
    if (!current) return 0;
    const song = current.song + at - current.context;
    const isGone = (/** @type {Run<M>} */ run) => withTails || run.context >= current.context;
    const gone = this.runs.filter(isGone);
    for (const run of gone) this.release(at, run, () => true);
    this.orders.push({ do: "hush", at });
    // Where one was is still looked up.
    this.runs = this.runs.filter((run) => run.context < at);
    this.handed = at;
    return song;
  }

  /** Take events out of a run: what sounds by then is let go, what would begin later does not. @param {number} at @param {Run<M>} run @param {(event: SheetEvent) => boolean} isGone */
  release(at, run, isGone) {
    const spans = [...run.waiting, ...run.active].filter(({ event }) => isGone(event));
    run.waiting = run.waiting.filter(({ event }) => !isGone(event));
    run.active = run.active.filter(({ event }) => !isGone(event));
    const isBegun = (/** @type {Span} */ span) => beginOf(span) + run.context - run.song < at;
    this.letGo(at, spans.filter(isBegun), this.joinFrames);
    this.letGo(at, spans.filter((span) => !isBegun(span)), 0);
  }

  /** @param {number} at @param {Span[]} spans @param {number} frames */
  letGo(at, spans, frames) {
    if (!spans.length) return;
    const ids = new Set(spans.map((span) => span.id));
    this.late = this.late.filter(({ span }) => !ids.has(span.id));
    this.orders.push({ do: "release", spans: ids, at, frames });
  }

  /**
   * Other events from a context frame on: what is gone is let go, what is new joins, all else plays on.
   * @param {number} at @param {(event: SheetEvent) => boolean} isKept @param {readonly SheetEvent[]} fresh
   * @param {(run: Run<M>, event: SheetEvent) => number} cutAt @param {number} now @param {Known} known
   */
  exchange(at, isKept, fresh, cutAt, now, known) {
    const from = this.runAt(at);
    if (!from) return;
    for (const [i, run] of this.runs.entries()) {
      this.release(at, run, (event) => !isKept(event));
      if (i < this.runs.indexOf(from)) continue;
      const shift = run.context - run.song;
      const song = Math.max(run.song, at - shift);
      const next = this.runs[i + 1];
      const until = next ? next.context - shift : Infinity;
      for (const event of fresh) {
        const span = this.span(event, song, Math.min(cutAt(run, event), event.at >= until ? event.at : Infinity));
        if (!span) continue;
        if (beginOf(span) + shift < this.handed) {
          this.handSpan(span, shift, at, this.handed, now, known);
          run.active.push(span);
        } else run.waiting.push(span);
      }
      run.waiting.sort((a, b) => beginOf(b) - beginOf(a));
    }
  }

  /** Runs nobody looks up or hears any more are forgotten. @param {number} before context frame */
  forget(before) {
    while (this.runs.length > 1 && this.runs[1].context < before) {
      const [run] = this.runs;
      if (run.waiting.length || run.active.length) break;
      this.runs.shift();
    }
  }
}

/** @param {Span} span */
const beginOf = (span) => Math.max(span.from, span.event.at);
/** @param {Span} span */
const endOf = (span) => Math.min(span.to, span.event.at + span.event.frames);

/** A ramp that a part lies on is noted with it. @param {PartOrder} part @param {Ramp[]} ramps @param {number} from @param {number} to */
function touch(part, ramps, from, to) {
  if (from < part.at + part.frames && to > part.at) ramps.push([from, to]);
}

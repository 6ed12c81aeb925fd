// @ts-check
/**
 * The song on the audio clock: play, stop, go, cycle, and swap to a new revision without stopping.
 *
 * Other edits swap event by event at once; a change of time swaps everything at the next bar line
 * for which all is ready, the position kept in beats.
 */

import { Lane } from "./lane.js";
import { HAND_TRACK } from "./mixer.js";
import { along, blocksBetween } from "./schedule.js";

/** @typedef {import("../types.js").Sheet} Sheet */
/** @typedef {import("../types.js").SheetEvent} SheetEvent */

const AHEAD_SECONDS = 0.25;
const READY_SECONDS = 0.35;
const START_SECONDS = 0.06;
const AT_LEAST_SECONDS = 0.12;

export class Song {
  /**
   * @param {BaseAudioContext} context @param {import("./blocks.js").Blocks} blocks
   * @param {import("./mixer.js").Mixer} mixer @param {import("./click.js").Click} click
   */
  constructor(context, blocks, mixer, click) {
    this.context = context;
    this.blocks = blocks;
    this.mixer = mixer;
    this.click = click;
    this.rate = context.sampleRate;
    /** @type {Sheet | null} */
    this.sheet = null;
    /** @type {Sheet | null} a sheet that waits for its bar line */
    this.coming = null;
    /** @type {{from: number, to: number} | null} in beats */
    this.cycle = null;
    this.isPlaying = false;
    this.isWaiting = false;
    this.startBeat = 0;
    /** @type {string | null} the strand in hand, heard with the rest */
    this.withHand = null;
    /** Does the next exchange of events wait for a bar line? */
    this.waitsForBar = false;
    /** Runs of the cursor: from a context frame on, song frames count from `song`.
     * @type {{context: number, song: number, sheet: Sheet}[]} */
    this.runs = [];
    this.cursor = { context: 0, song: 0, join: true };
    this.lane = new Lane(
      context, blocks, (event) => this.outputOf(event),
      (digest) => this.shapeOf(digest)?.channels ?? 2,
    );
    this.attempt = 0;
  }

  /** @param {SheetEvent} event */
  outputOf(event) {
    return this.mixer.input(event.track);
  }

  /** @param {string} digest */
  shapeOf(digest) {
    return this.coming?.shapes[digest] ?? this.sheet?.shapes[digest] ?? this.old?.shapes[digest];
  }

  /** What sounds: the clips, and the hand's events with the rest, instead of its own clips. @param {Sheet} sheet */
  eventsOf(sheet) {
    if (!this.withHand) return sheet.events;
    const strand = sheet.hand_events[0]?.strand ?? this.withHand;
    return [...sheet.events.filter((e) => e.strand !== strand), ...sheet.hand_events];
  }

  /** @param {Sheet} sheet @param {number} beat */
  frameOf(sheet, beat) {
    return Math.round(along(sheet.pulses, 0, 1, beat));
  }

  /** Where the song is, in beats, at a context time (now if none is given). @param {number} [time] */
  beat(time = this.context.currentTime) {
    if (!this.isPlaying || !this.runs.length) return this.startBeat;
    const frame = time * this.rate;
    let run = this.runs[0];
    for (const next of this.runs) if (next.context <= frame) run = next;
    return along(run.sheet.pulses, 1, 0, run.song + Math.max(0, frame - run.context));
  }

  /** Take a sheet: at once when still, without a gap while playing. @param {Sheet} sheet */
  adopt(sheet) {
    const before = this.sheet;
    if (!before || !this.isPlaying) {
      this.sheet = sheet;
      this.mixer.adopt(sheet);
      this.prepare(sheet, this.startBeat);
      return;
    }
    const sameTime = JSON.stringify(before.time_key) === JSON.stringify(sheet.time_key)
      && JSON.stringify(before.pulses[1]) === JSON.stringify(sheet.pulses[1]);
    if (sameTime) this.swapEvents(sheet);
    else this.coming = sheet;
    if (!sameTime) this.prepare(sheet, this.beat());
  }

  /** Ask for the blocks that are heard first from a beat on. @param {Sheet} sheet @param {number} beat */
  prepare(sheet, beat) {
    return this.blocksFor(sheet, this.frameOf(sheet, beat), READY_SECONDS);
  }

  /** @param {Sheet} sheet @param {number} from @param {number} seconds */
  blocksFor(sheet, from, seconds) {
    const to = from + seconds * this.rate;
    const wanted = [];
    for (const event of this.eventsOf(sheet)) {
      for (const index of blocksBetween(event, from, to)) {
        const channels = sheet.shapes[event.digest].channels;
        wanted.push(this.blocks.get(event.digest, index, channels));
      }
    }
    return Promise.all(wanted);
  }

  /** @param {Sheet} sheet @param {number} from @param {number} seconds */
  areReady(sheet, from, seconds) {
    const to = from + seconds * this.rate;
    return this.eventsOf(sheet).every((event) =>
      blocksBetween(event, from, to).every((index) => this.blocks.ready(event.digest, index)));
  }

  /** Same time, other events: what changed is crossfaded, what did not plays on. @param {Sheet} sheet */
  async swapEvents(sheet) {
    this.attempt += 1;
    const attempt = this.attempt;
    this.old = this.sheet;
    this.next = sheet;
    await this.blocksFor(sheet, this.nowFrame(), READY_SECONDS + 0.5).catch(() => undefined);
    if (attempt !== this.attempt || !this.isPlaying) {
      if (attempt === this.attempt) {
        this.sheet = sheet;
        this.next = null;
      }
      return;
    }
    const line = this.waitsForBar ? this.nextBarLine(sheet, this.nowFrame() + AT_LEAST_SECONDS * this.rate) : null;
    const run = this.runs.at(-1);
    this.waitsForBar = false;
    if (!line || !run) {
      this.exchange(sheet);
      return;
    }
    // The parts of a window are handed out a little ahead: exchange when the line is near enough.
    const at = run.context + line.frame - run.song;
    const wait = at / this.rate - this.context.currentTime - AT_LEAST_SECONDS;
    setTimeout(() => {
      if (attempt === this.attempt && this.isPlaying) this.exchange(sheet, at / this.rate);
    }, Math.max(0, wait * 1000));
  }

  /** Where the song is now, in frames of its sheet. */
  nowFrame() {
    return this.sheet ? this.frameOf(this.sheet, this.beat()) : 0;
  }

  /** @param {Sheet} sheet @param {number} [when] context time; a moment from now if none is given */
  exchange(sheet, when) {
    const before = new Set(this.playing().map((e) => JSON.stringify(e)));
    const after = new Set(this.eventsOf(sheet).map((e) => JSON.stringify(e)));
    this.mixer.adopt(sheet);
    // From a moment on that is not past when the clock gets to it.
    const time = Math.max(when ?? 0, this.context.currentTime + 0.03);
    this.lane.release(time, (event) => !after.has(JSON.stringify(event)));
    const fresh = this.eventsOf(sheet).filter((e) => !before.has(JSON.stringify(e)));
    for (const run of this.runs) run.sheet = sheet;
    this.sheet = sheet;
    this.next = null;
    const at = Math.ceil(time * this.rate);
    const run = this.runs.filter((r) => r.context <= at).at(-1) ?? this.runs[0];
    const from = run.song + at - run.context;
    const room = this.cursor.context - at;
    if (room > 0) {
      this.lane.play(fresh, from, from + room, at, true, (e) => this.cutOf(e, this.cycleEnd()));
    }
    this.events_ = this.eventsOf(sheet);
  }

  /** The events as they were last handed out. */
  playing() {
    return this.events_ ?? (this.sheet ? this.eventsOf(this.sheet) : []);
  }

  /** Begin, from the cycle's start or from the playhead. @param {number} [beat] */
  async play(beat) {
    if (this.isPlaying || !this.sheet) return;
    const sheet = this.sheet;
    this.attempt += 1;
    const attempt = this.attempt;
    if (beat !== undefined) this.startBeat = beat;
    if (this.cycle && (this.startBeat < this.cycle.from || this.startBeat >= this.cycle.to)) {
      this.startBeat = this.cycle.from;
    }
    let from = this.frameOf(sheet, this.startBeat);
    // From the very start, a lead before bar 1 is played, too.
    if (this.startBeat === 0 && !this.cycle) from = Math.min(from, sheet.first_frame);
    this.isWaiting = true;
    try {
      await this.blocksFor(sheet, from, READY_SECONDS);
    } finally {
      if (attempt === this.attempt) this.isWaiting = false;
    }
    if (attempt !== this.attempt) return;
    this.begin(from);
  }

  /** @param {number} song song frame to begin with */
  begin(song) {
    const at = Math.ceil((this.context.currentTime + START_SECONDS) * this.rate);
    this.isPlaying = true;
    this.cursor = { context: at, song, join: true };
    this.runs = [{ context: at, song, sheet: /** @type {Sheet} */ (this.sheet) }];
    this.events_ = this.sheet ? this.eventsOf(this.sheet) : [];
    this.wake();
  }

  stop() {
    this.attempt += 1;
    this.isWaiting = false;
    if (!this.isPlaying) return;
    this.startBeat = Math.max(0, this.beat());
    this.isPlaying = false;
    this.lane.release(this.context.currentTime + 0.005);
    this.click.silence();
    this.runs = [];
    // What was still on its way is there when it plays again.
    const latest = this.coming ?? this.next;
    this.coming = null;
    this.next = null;
    this.waitsForBar = false;
    if (latest) {
      this.sheet = latest;
      this.mixer.adopt(latest);
    }
  }

  /** Go to a beat; while playing the sound goes on from there. @param {number} beat */
  async go(beat) {
    this.startBeat = Math.max(0, beat);
    if (this.isPlaying && this.next) this.exchange(this.next);
    const { sheet } = this;
    if (!this.isPlaying || !sheet) {
      if (sheet) this.prepare(sheet, this.startBeat);
      return;
    }
    this.attempt += 1;
    const attempt = this.attempt;
    const from = this.frameOf(sheet, this.startBeat);
    await this.blocksFor(sheet, from, READY_SECONDS).catch(() => undefined);
    if (attempt !== this.attempt || !this.isPlaying) return;
    this.lane.release(this.context.currentTime + 0.02);
    this.click.silence();
    this.begin(from);
  }

  /** @param {{from: number, to: number} | null} cycle in beats */
  setCycle(cycle) {
    this.cycle = cycle && cycle.to > cycle.from ? cycle : null;
    // Past its end already: begin it now, or it would never come round.
    if (this.isPlaying && this.cycle && this.beat() >= this.cycle.to) this.go(this.cycle.from);
  }

  /** @param {Sheet} sheet */
  cycleFrames(sheet) {
    return this.cycle
      ? { from: this.frameOf(sheet, this.cycle.from), to: this.frameOf(sheet, this.cycle.to) }
      : null;
  }

  cycleEnd() {
    return (this.sheet && this.cycleFrames(this.sheet)?.to) ?? Infinity;
  }

  /** A body is cut at the cycle's end, a tail rings on. @param {SheetEvent} event @param {number} end */
  cutOf(event, end) {
    if (end === Infinity) return Infinity;
    const shape = this.shapeOf(event.digest);
    const bodyEnd = shape ? event.at - event.start + shape.lead + shape.body : Infinity;
    return bodyEnd <= end ? Infinity : end;
  }

  /** Hand everything up to a little ahead of now to the audio clock. */
  wake() {
    if (!this.isPlaying || !this.sheet) return;
    const horizon = Math.ceil((this.context.currentTime + AHEAD_SECONDS) * this.rate);
    while (this.cursor.context < horizon && this.isPlaying) this.window(horizon);
    const now = this.context.currentTime * this.rate;
    while (this.runs.length > 1 && this.runs[1].context <= now - this.rate) this.runs.shift();
    this.blocksFor(this.sheet, this.cursor.song, 3).catch(() => undefined);
  }

  /** One window: up to the horizon, the cycle's end or the bar line where time changes. @param {number} horizon */
  window(horizon) {
    const sheet = /** @type {Sheet} */ (this.sheet);
    const { context, song, join } = this.cursor;
    const cycle = this.cycleFrames(sheet);
    let to = song + horizon - context;
    let next = /** @type {"go" | "cycle" | "swap" | "end"} */ ("go");
    if (cycle && song < cycle.to && to >= cycle.to) [to, next] = [cycle.to, "cycle"];
    const line = this.coming ? this.nextBarLine(sheet, song) : null;
    if (this.coming && line && line.frame < to && this.isComingReady(line.beat)) {
      [to, next] = [line.frame, "swap"];
    }
    const last = sheet.pulses[sheet.pulses.length - 1][1];
    if (to >= last) [to, next] = [last, "end"];
    const end = cycle && song < cycle.to ? cycle.to : Infinity;
    this.lane.play(this.eventsOf(sheet), song, to, context, join, (e) => this.cutOf(e, end));
    this.clicks(sheet, song, to, context);
    this.cursor = { context: context + to - song, song: to, join: false };
    if (next === "cycle" && cycle) this.jump(cycle.from, sheet);
    if (next === "swap" && line) this.swapTime(line.beat);
    if (next === "end") this.stop();
  }

  /** @param {number} song @param {Sheet} sheet */
  jump(song, sheet) {
    this.cursor = { context: this.cursor.context, song, join: true };
    this.runs.push({ context: this.cursor.context, song, sheet });
  }

  /** @param {Sheet} sheet @param {number} song */
  nextBarLine(sheet, song) {
    const pulse = sheet.pulses.find((p) => p[3] === 1 && p[1] >= song);
    return pulse ? { beat: pulse[0], frame: pulse[1] } : null;
  }

  /** @param {number} beat */
  isComingReady(beat) {
    const { coming } = this;
    return !!coming && this.areReady(coming, this.frameOf(coming, beat), READY_SECONDS);
  }

  /** Everything in the new time, from a bar line on. @param {number} beat */
  swapTime(beat) {
    const sheet = /** @type {Sheet} */ (this.coming);
    this.lane.release(this.cursor.context / this.rate);
    this.old = this.sheet;
    this.sheet = sheet;
    this.coming = null;
    this.mixer.adopt(sheet);
    this.events_ = this.eventsOf(sheet);
    this.jump(this.frameOf(sheet, beat), sheet);
  }

  /** @param {Sheet} sheet @param {number} from @param {number} to @param {number} context */
  clicks(sheet, from, to, context) {
    for (const [, frame, , number] of sheet.pulses) {
      if (frame >= to) break;
      if (frame >= from) this.click.at((context + frame - from) / this.rate, number === 1);
    }
  }

  /** What is in hand joins the song or leaves it; `waitsForBar` says whether at once. @param {string | null} strand */
  hearHand(strand) {
    if (this.withHand === strand) {
      if (!this.next) this.waitsForBar = false;
      return;
    }
    this.withHand = strand;
    const sheet = this.next ?? this.sheet;
    if (this.isPlaying && sheet) this.swapEvents(sheet);
  }

  /** @type {Sheet | null} */
  old = null;

  /** @type {Sheet | null} what is exchanged for as soon as its first blocks are here */
  next = null;

  /** @type {SheetEvent[] | null} */
  events_ = null;
}

export { HAND_TRACK };

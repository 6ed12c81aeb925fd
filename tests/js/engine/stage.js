// @ts-check
/** A stepped clock, a server that renders so many blocks a second, and an ear, for plans without sound. */

import { Handout } from "../../../src/zeroknot/web/static/js/engine/handout.js";
import { SongPlan } from "../../../src/zeroknot/web/static/js/engine/song-plan.js";

export const RATE = 44_100;
export const STEP = Math.round(0.025 * RATE);

/** A number of frames. @param {number} seconds */
export const frames = (seconds) => Math.round(seconds * RATE);

/**
 * A sheet of clips, each a loop of `bars` bars of 4/4 that is repeated.
 * @param {{bpm?: number, bars?: number, metre?: number, tail?: number, lead?: number,
 *   clips?: {name?: string, beat?: number, bars?: number, passes?: number, gain?: number}[], hand?: boolean, coil?: {slot: string, bars: number}[]}} [given]
 */
export function sheetOf({ bpm = 96, bars = 16, metre = 4, tail = 0, lead = 0, clips = [{}], hand = false, coil = [] } = {}) {
  /** @param {number} beat */
  const at = (beat) => Math.floor((beat * 60 * RATE) / bpm + 0.5);
  /** @type {any[]} */
  const events = [];
  /** @type {Record<string, any>} */
  const shapes = {};
  let endBeat = 0;
  clips.forEach(({ name = "drums", beat = 0, bars: long = 2, passes = 4, gain = 1 }, c) => {
    for (let pass = 0; pass < passes; pass += 1) {
      const from = at(beat + pass * long * 4);
      const body = at(beat + (pass + 1) * long * 4) - from;
      const digest = `${name}@${bpm}/${body}`;
      const isFirst = pass === 0;
      shapes[digest] = { channels: 2, frames: lead + body + tail, lead, body };
      events.push({
        id: `${c}${name}:${pass}`, track: "t", strand: name, digest, gain, fade_in: 0, fade_out: 0, shape: [],
        at: from - (isFirst ? lead : 0), start: isFirst ? 0 : lead, frames: body + tail + (isFirst ? lead : 0),
      });
    }
    endBeat = Math.max(endBeat, beat + passes * long * 4);
  });
  const pulses = [];
  for (let beat = 0; beat < (bars + 64) * 4; beat += 1) pulses.push([beat, at(beat), 1 + Math.floor(beat / metre), 1 + (beat % metre)]);
  const coiled = coil.map(({ slot, bars: long }) => {
    const passes = Math.floor((bars + 64) / long);
    const own = Array.from({ length: passes }, (_, pass) => {
      const from = at(pass * long * 4);
      const body = at((pass + 1) * long * 4) - from;
      shapes[`${slot}@${bpm}/${body}`] = { channels: 2, frames: body, lead: 0, body };
      return { id: `${slot}:${pass}`, track: "coil", strand: slot, digest: `${slot}@${bpm}/${body}`, gain: 1, fade_in: 0, fade_out: 0, shape: [], at: from, start: 0, frames: body };
    });
    return { slot, round: long * 4, anew: false, events: own };
  });
  const closeBeat = Math.ceil(endBeat / metre - 1e-9) * metre;
  return /** @type {any} */ ({
    revision: 1, rate: RATE, events, shapes, tracks: [{ id: "t", gain: 1 }], master: 1,
    hand_events: hand ? [{ ...events[0], id: "hand:0", strand: "hand", track: "hand", digest: `hand@${bpm}`, frames: at(64), start: 0, at: 0 }] : [],
    coil: coiled,
    first_frame: Math.min(0, ...events.map((e) => e.at)), end_frame: Math.max(0, ...events.map((e) => e.at + e.frames)),
    close_frame: at(closeBeat), last_bar: bars, pulses, time_key: `${bpm} ${metre}`,
  });
}

/** Blocks as they come: so many a second, what is due first before the rest; some never. */
export class Kitchen {
  /** @param {number} [aSecond] Infinity: everything is there at once */
  constructor(aSecond = Infinity) {
    this.aSecond = aSecond;
    /** @type {Set<string>} */
    this.here = new Set();
    /** @type {Set<string>} */
    this.failed = new Set();
    /** @type {(key: string) => boolean} */
    this.never = () => false;
    this.credit = 0;
    /** @type {string[]} keys in the order in which they came */
    this.order = [];
  }

  /** @param {string} digest @param {number} index @returns {"here" | "failed" | "coming"} */
  state(digest, index) {
    const key = `${digest}/${index}`;
    if (this.here.has(key)) return "here";
    return this.failed.has(key) ? "failed" : "coming";
  }

  /** @param {{digest: string, index: number}[]} wanted @param {number} seconds */
  cook(wanted, seconds) {
    this.credit = Math.min(Math.max(1, this.aSecond * seconds * 2), this.credit + this.aSecond * seconds);
    for (const { digest, index } of wanted) {
      const key = `${digest}/${index}`;
      if (this.here.has(key) || this.failed.has(key)) continue;
      if (this.credit < 1) return;
      this.credit -= 1;
      if (this.never(key)) this.failed.add(key);
      else {
        this.here.add(key);
        this.order.push(key);
      }
    }
  }
}

/** A plan that is played on a stepped clock. */
export class Stage {
  /** @param {{kitchen?: Kitchen, sheet?: any, plan?: any}} [given] */
  constructor({ kitchen = new Kitchen(), sheet = sheetOf(), plan = new SongPlan(RATE) } = {}) {
    this.now = 1000;
    this.kitchen = kitchen;
    /** @type {SongPlan} */
    this.plan = plan;
    /** @type {any[]} */
    this.log = [];
    /** Where it was at each step. @type {{now: number, beat: number}[]} */
    this.trace = [];
    if (sheet) this.plan.adopt(sheet, this.now);
  }

  /** Orders are carried out, and blocks asked for, as after each command. */
  wake() {
    for (const order of this.plan.advance(this.now, this.kitchen)) this.log.push({ ...order, given: this.now });
    this.kitchen.cook(this.plan.wanted(this.now), STEP / RATE);
    for (const order of this.plan.advance(this.now, this.kitchen)) this.log.push({ ...order, given: this.now });
    this.trace.push({ now: this.now, beat: this.plan.beatAt(this.now) });
  }

  /** @param {number} seconds */
  run(seconds) {
    const until = this.now + frames(seconds);
    while (this.now < until) {
      this.wake();
      this.now = Math.min(until, this.now + STEP);
    }
    this.wake();
    return this;
  }

  /** Nobody wakes it for so long. @param {number} seconds */
  stall(seconds) {
    this.now += frames(seconds);
    return this;
  }

  play(beat = 0) {
    this.plan.play(beat);
    return this.run(0.1);
  }

  beat() {
    return this.plan.beatAt(this.now);
  }

  parts() {
    return this.log.filter((o) => o.do === "part");
  }

  clicks() {
    // Those that were hushed are not heard.
    /** @type {any[]} */
    let clicks = [];
    for (const order of this.log) {
      if (order.do === "click") clicks.push(order);
      if (order.do === "hush") clicks = clicks.filter((c) => c.at < order.at || c.at <= order.given);
    }
    return clicks;
  }

  /** What is heard at a context frame: each part's event, its song frame there, and how loud. @param {number} at */
  heard(at) {
    return ear(this.log, at);
  }

  /** The context frame at which a beat of the song was first heard, after one. @param {(e: any) => boolean} which @param {number} [after] */
  firstOf(which, after = 0) {
    return Math.min(...this.parts().filter((p) => which(p.event) && p.at >= after).map((p) => p.at));
  }
}

/** @param {any[]} log @param {number} at */
export function ear(log, at) {
  /** @type {{part: any, going: [number, number][], stopped: boolean}[]} */
  const sounding = [];
  for (const order of log) {
    if (order.do === "part" && order.at <= at && at < order.at + order.frames) sounding.push({ part: order, going: [], stopped: false });
    if (order.do !== "release") continue;
    for (const one of sounding) {
      if (!order.spans.has(one.part.span) || one.part.at + one.part.frames <= order.at) continue;
      if (one.part.at >= order.at + order.frames) {
        one.stopped = true;
        continue;
      }
      const level = line(one.going, order.at);
      one.going = [...one.going.filter(([f]) => f < order.at), [order.at, level], [order.at + order.frames, 0]];
    }
  }
  return sounding.filter((s) => !s.stopped).map(({ part, going }) => {
    let gain = line(going, at);
    for (const [a, b] of part.rises) gain *= Math.min(1, Math.max(0, (at - a) / (b - a)));
    for (const [a, b] of part.falls) gain *= Math.min(1, Math.max(0, (b - at) / (b - a)));
    return { event: part.event, song: part.event.at + part.from + at - part.at, gain };
  }).filter((h) => h.gain > 0);
}

/** @param {[number, number][]} corners @param {number} at */
function line(corners, at) {
  const next = corners.findIndex(([f]) => f > at);
  if (next === 0 || !corners.length) return 1;
  if (next < 0) return corners[corners.length - 1][1];
  const [[a, from], [b, to]] = [corners[next - 1], corners[next]];
  return from + ((to - from) * (at - a)) / (b - a);
}

export { Handout, SongPlan };

// @ts-check
/**
 * All tracks of a song through their strips, added up, with what goes to the room and the echo: as
 * core/mixing/desk/desk_run.py and echo.py. The room itself is the browser's convolver.
 *
 * Conventions
 * -----------
 * - Steps begin on every 32nd song frame, as in the core; `way.js` says which frame is heard when.
 */

import { amplitude, highCut, lowCut, STEP, Strip, valueAt } from "./strip.js";
import { Way } from "./way.js";

/** @typedef {import("./strip.js").Lane} Lane */
/** @typedef {{delay: Lane, feedback: number, low_cut_hz: number, high_cut_hz: number, crossed: boolean, level_db: number}} EchoSheet */
/** @typedef {{strips: import("./strip.js").StripSheet[], echo: EchoSheet}} DeskSheet */
/** What is added up: both sides of each. @typedef {{dry: Float32Array[], room: Float32Array[]}} Sums */

const Q = 0.7071067811865476;
const LINE_SECONDS = 8;
const [LEAST_FRAMES, NOTHING] = [2, 1e-15];
const BEND_KEPT = 0.94; // of the way to another time, step by step

export class Desk {
  /** @param {number} rate */
  constructor(rate) {
    this.rate = rate;
    /** @type {Map<string, Strip>} */
    this.strips = new Map();
    this.echo = new Echo(rate);
    /** @type {Way<DeskSheet>} */
    this.way = new Way((sheet) => this.adopt(sheet, true, true));
  }

  /** @param {DeskSheet} sheet @param {boolean} [isItsTime] else lanes stay as they are: they go by another time @param {boolean} [isRun] the song goes on elsewhere with it */
  adopt(sheet, isItsTime = true, isRun = false) {
    if (isItsTime) this.way.renew(sheet);
    const kept = new Set(sheet.strips.map((s) => s.id));
    for (const [id, strip] of this.strips) if (!kept.has(id)) strip.leave();
    for (const told of sheet.strips) {
      let strip = this.strips.get(told.id);
      if (!strip) this.strips.set(told.id, strip = new Strip(told.id, this.rate));
      strip.tell(told, isItsTime);
    }
    this.echo.tell(isItsTime ? sheet.echo : { ...sheet.echo, delay: this.echo.sheet.delay }, isRun);
  }

  /**
   * @param {number} context frame of the first
   * @param {(id: string) => Float32Array[] | undefined} input what sounds on a track, one side or two
   * @param {number} count @param {Sums} sums to be added to
   */
  process(context, input, count, sums) {
    for (const { from, to, into, frame, isJump } of this.way.parts(context, count)) {
      if (frame !== null) {
        for (const [id, strip] of this.strips) {
          if (strip.isGone) this.strips.delete(id);
          else strip.step(frame, isJump);
        }
        this.echo.step(frame);
      }
      this.mix(input, from, to, into, sums);
    }
  }

  /** Does nothing ring on any more? */
  get isAtRest() {
    if (!this.echo.isAtRest) return false;
    for (const strip of this.strips.values()) if (!strip.isAtRest) return false;
    return true;
  }

  /** @param {(id: string) => Float32Array[] | undefined} input @param {number} from @param {number} to @param {number} into @param {Sums} sums */
  mix(input, from, to, into, { dry, room }) {
    const { echo } = this;
    for (const strip of this.strips.values()) strip.filter(input(strip.id), from, to);
    // Whom another goes by is heard by it as it is after its own filters.
    /** @type {Map<string | null, Float64Array[]>} */
    const keys = new Map();
    for (const { key } of this.strips.values()) {
      const other = key ? this.strips.get(key) : undefined;
      if (other && !keys.has(key)) keys.set(key, other.sound.map((side) => side.slice()));
    }
    echo.clear(from, to);
    for (const strip of this.strips.values()) {
      strip.finish(keys.get(strip.key) ?? strip.sound, from, to, into);
      if (!strip.heard) continue;
      const [, , room0, echo0] = strip.from;
      const [, , room1, echo1] = strip.gains;
      for (let c = 0; c < 2; c += 1) {
        const side = strip.sound[c];
        const sum = dry[c];
        if (!strip.isSend) for (let i = from; i < to; i += 1) sum[i] += side[i];
        if (room0 || room1) addTo(room[c], side, from, to, room0, room1, into);
        if (echo0 || echo1) addTo(echo.sent[c], side, from, to, echo0, echo1, into);
      }
      if (echo0 || echo1) echo.isHeard = true;
    }
    echo.run(dry, from, to, into);
  }
}

/** @param {Float32Array | Float64Array} sum @param {Float64Array} side @param {number} from @param {number} to @param {number} a gain where the step begins @param {number} b where it ends @param {number} into */
function addTo(sum, side, from, to, a, b, into) {
  const by = (b - a) / STEP;
  let gain = a + by * into;
  for (let i = from; i < to; i += 1) {
    sum[i] += side[i] * gain;
    gain += by;
  }
}

/** As core/mixing/desk/echo.py. */
class Echo {
  /** @param {number} rate */
  constructor(rate) {
    this.rate = rate;
    this.size = Math.round(LINE_SECONDS * rate);
    /** @type {Float64Array[] | null} made when it is needed */
    this.line = null;
    this.at = 0;
    /** @type {EchoSheet} */
    this.sheet = { delay: [[0, rate / 2]], feedback: 0, low_cut_hz: 150, high_cut_hz: 6000, crossed: true, level_db: 0 };
    /** @type {import("./strip.js").Coefficients[]} */
    this.cuts = [];
    this.states = [0, 0, 0, 0, 0, 0, 0, 0]; // of the low cut left and right, of the high cut left and right
    this.sent = [new Float64Array(128), new Float64Array(128)];
    this.delays = [0, 0];
    /** Frames by which it is off what it goes over to, and the frame it was looked up at last. */
    this.bend = 0;
    this.frame = 0;
    this.isHeard = false;
    /** Frames for which nothing was sent and nothing came back. */
    this.rest = Infinity;
    this.tell(this.sheet, true);
  }

  /** @param {EchoSheet} sheet @param {boolean} isRun else another time is gone over to */
  tell(sheet, isRun) {
    const before = valueAt(this.sheet.delay, this.frame) + this.bend;
    this.sheet = sheet;
    this.bend = isRun ? 0 : before - valueAt(sheet.delay, this.frame);
    this.cuts = [lowCut(sheet.low_cut_hz, Q, this.rate), highCut(sheet.high_cut_hz, Q, this.rate)];
    this.gain = amplitude(sheet.level_db);
  }

  get isAtRest() {
    return this.rest > this.size + this.rate && this.bend === 0;
  }

  /** @param {number} frame */
  step(frame) {
    const left = Math.abs(this.bend) < 0.5 ? 0 : this.bend * BEND_KEPT;
    const { delay } = this.sheet;
    const within = (/** @type {number} */ frames) => Math.min(this.size - 2, Math.max(LEAST_FRAMES, frames));
    this.delays = [within(valueAt(delay, frame) + this.bend), within(valueAt(delay, frame + STEP) + left)];
    [this.bend, this.frame] = [left, frame];
  }

  /** @param {number} from @param {number} to */
  clear(from, to) {
    this.isHeard = false;
    for (const side of this.sent) side.fill(0, from, to);
  }

  /** @param {Float32Array[]} out to be added to @param {number} from @param {number} to @param {number} into */
  run(out, from, to, into) {
    if (this.isHeard) this.rest = 0;
    if (this.isAtRest) return;
    this.line ??= [new Float64Array(this.size), new Float64Array(this.size)];
    const { line, size, states, sent, gain = 0 } = this;
    const { feedback, crossed } = this.sheet;
    const [first, last] = this.delays;
    let most = 0;
    for (let i = from; i < to; i += 1) {
      const delay = first + ((last - first) * (into + i - from)) / STEP;
      const whole = Math.floor(delay);
      const part = delay - whole;
      const [a, b] = [(this.at - whole + size) % size, (this.at - whole - 1 + size) % size];
      const back = [0, 0];
      for (let c = 0; c < 2; c += 1) {
        let x = line[c][a] + (line[c][b] - line[c][a]) * part;
        for (let s = 0; s < 2; s += 1) {
          const [a1, a2, a3, m0, m1, m2] = this.cuts[s];
          const k = 4 * s + 2 * c;
          const v3 = x - states[k + 1];
          const v1 = a1 * states[k] + a2 * v3;
          const v2 = states[k + 1] + a2 * states[k] + a3 * v3;
          states[k] = 2 * v1 - states[k];
          states[k + 1] = 2 * v2 - states[k + 1];
          x = m0 * x + m1 * v1 + m2 * v2;
        }
        back[c] = x;
        out[c][i] += x * gain;
        most = Math.max(most, Math.abs(x));
      }
      line[0][this.at] = sent[0][i] + feedback * (crossed ? back[1] : back[0]);
      line[1][this.at] = sent[1][i] + feedback * (crossed ? back[0] : back[1]);
      this.at = (this.at + 1) % size;
    }
    for (let k = 0; k < states.length; k += 1) if (Math.abs(states[k]) < NOTHING) states[k] = 0;
    this.rest = most > 1e-7 ? 0 : this.rest + to - from;
  }
}

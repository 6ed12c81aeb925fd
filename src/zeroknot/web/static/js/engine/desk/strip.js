// @ts-check
/**
 * A track's sound, frame by frame, by the core's own formulas (core/mixing/desk: sections.py,
 * compressor.py, strip_run.py), so that what is played is what is mixed down.
 *
 * Conventions
 * -----------
 * - Values are looked up on every 32nd frame of the song and hold that long; levels, balance and
 *   sends go straight from one to the next.
 * - What is changed by hand goes over within a few milliseconds; what moves along the song does not
 *   wait: it is where its lane is.
 *
 * It is loaded by the audio thread as it is, and by tests.
 */

/** @typedef {readonly [number, number][]} Lane song frame and value; of two on one frame the later holds from there on */
/** @typedef {{id: string, values: [string, number][], lanes: [string, Lane][], key: string | null, is_send?: boolean}} StripSheet */
/** @typedef {[number, number, number, number, number, number]} Coefficients a1, a2, a3, m0, m1, m2 */

export const STEP = 32;
const OFF_DB = -60;
const GLIDE_STEPS = 14; // of values that were changed by hand: 10 ms
const HIGHEST_SHARE = 0.49;
const [BUTTERWORTH_2, BUTTERWORTH_4] = [[0.7071067811865476], [0.5411961001461969, 1.3065629648763766]];
const SHELF_Q = 0.7071067811865476;
const KNEE_DB = 6;
const [DB_OF_NEPER, STILL_DB] = [20 / Math.LN10, 1e-7];
const [LEAST, LEAST_DRIVE, NOTHING] = [1e-6, 1e-3, 1e-15];
const CUT_SLOPE = 18; // dB an octave from which on a cut has four poles

/** As `Sound` of the core is by itself. @type {Readonly<Record<string, number>>} */
export const NEUTRAL = {
  low_cut_hz: 10, low_cut_slope: 12, low_hz: 120, low_db: 0, bell1_hz: 400, bell1_db: 0, bell1_q: 1, bell2_hz: 2500, bell2_db: 0,
  bell2_q: 1, high_hz: 8000, high_db: 0, high_cut_hz: 20000, high_cut_slope: 12, threshold_db: -18, ratio: 1, attack_ms: 10,
  release_ms: 120, makeup_db: 0, drive_db: 0, pan: 0, room_db: OFF_DB, echo_db: OFF_DB, level_db: 0, muted: 0,
};

/** Where a lane is at a frame. @param {Lane} lane @param {number} frame */
export function valueAt(lane, frame) {
  let [low, high] = [0, lane.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (lane[middle][0] <= frame) low = middle + 1;
    else high = middle;
  }
  if (low === 0) return lane[0][1];
  if (low === lane.length) return lane[low - 1][1];
  const [[a, from], [b, to]] = [lane[low - 1], lane[low]];
  return from + ((to - from) * (frame - a)) / (b - a);
}

/** @param {number} db */
export const amplitude = (db) => (db <= OFF_DB ? 0 : 10 ** (db / 20));

/** A section with what it remembers of both sides. */
class Section {
  constructor() {
    /** @type {Coefficients} */
    this.c = [1, 0, 0, 1, 0, 0];
    this.s = new Float64Array(4);
    this.isRest = true;
  }

  /** In place. @param {Float64Array} left @param {Float64Array} right @param {number} from @param {number} to */
  run(left, right, from, to) {
    this.side(left, from, to, 0);
    this.side(right, from, to, 2);
    this.isRest = this.s.every((s) => s === 0);
  }

  /** @param {Float64Array} sound @param {number} from @param {number} to @param {number} k its first state */
  side(sound, from, to, k) {
    const { s } = this;
    const [a1, a2, a3, m0, m1, m2] = this.c;
    let s1 = s[k];
    let s2 = s[k + 1];
    for (let i = from; i < to; i += 1) {
      const x = sound[i];
      const v3 = x - s2;
      const v1 = a1 * s1 + a2 * v3;
      const v2 = s2 + a2 * s1 + a3 * v3;
      s1 = 2 * v1 - s1;
      s2 = 2 * v2 - s2;
      sound[i] = m0 * x + m1 * v1 + m2 * v2;
    }
    s[k] = Math.abs(s1) < NOTHING ? 0 : s1;
    s[k + 1] = Math.abs(s2) < NOTHING ? 0 : s2;
  }
}

export class Strip {
  /** @param {string} id @param {number} rate */
  constructor(id, rate) {
    this.id = id;
    this.rate = rate;
    /** @type {Record<string, number>} what it goes to */
    this.to = { ...NEUTRAL };
    /** What it is at, in this step. @type {Record<string, number>} */
    this.at = { ...NEUTRAL };
    /** By how much it changes with each step while it glides. @type {Map<string, number>} */
    this.glides = new Map();
    /** @type {Map<string, Lane>} */
    this.lanes = new Map();
    /** What is held by hand: its lane waits. @type {Set<string>} */
    this.held = new Set();
    /** @type {string | null} */
    this.key = null;
    /** @type {Map<string, Section>} */
    this.sections = new Map();
    /** Those that are run, in order. @type {Section[]} */
    this.running = [];
    this.down = 0;
    this.isNew = true;
    /** Coefficients are worked out again. */
    this.isStale = true;
    /** Gains at the beginning and at the end of this step: left, right, room, echo. */
    this.from = [1, 1, 0, 0];
    this.gains = [1, 1, 0, 0];
    this.sound = [new Float64Array(128), new Float64Array(128)];
    this.heard = false;
    /** It is not there any more: silent by now, or about to be. */
    this.leaves = false;
    /** It is heard only by what it sends. */
    this.isSend = false;
  }

  /** Does nothing of it ring, and nothing of it go over? */
  get isAtRest() {
    return !this.heard && !this.glides.size && !this.isStale && !this.down && !this.leaves && this.running.every((section) => section.isRest);
  }

  get isGone() {
    return this.leaves && this.at.level_db <= OFF_DB;
  }

  /** Down to nothing, then it is gone. */
  leave() {
    this.leaves = true;
    this.hold("level_db", OFF_DB);
  }

  /** Taken over; what is other goes over. @param {Omit<StripSheet, "id">} sheet @param {boolean} [isItsTime] else lanes stay as they are */
  tell({ values, lanes, key, is_send: isSend = false }, isItsTime = true) {
    this.key = key;
    this.isSend = isSend;
    if (isItsTime) this.lanes = new Map(lanes);
    this.held.clear();
    this.leaves = false;
    const told = { ...NEUTRAL, ...Object.fromEntries(values) };
    for (const name of Object.keys(NEUTRAL)) if (told[name] !== this.to[name]) this.set(name, told[name]);
    this.isStale = true;
    this.isNew = false;
  }

  /** By hand, until it is told anew. @param {string} name @param {number} value */
  hold(name, value) {
    this.held.add(name);
    this.set(name, value);
  }

  /** @param {string} name @param {number} value */
  set(name, value) {
    this.to[name] = value;
    if (this.isNew || name.endsWith("_slope") || (this.lanes.has(name) && !this.held.has(name))) {
      this.at[name] = value;
      this.glides.delete(name);
    } else this.glides.set(name, (value - this.at[name]) / GLIDE_STEPS);
    this.isStale = true;
  }

  /** Is it other than neutral, here or there, or on its way there? @param {string} name */
  isOn(name) {
    return this.lanes.has(name) || this.at[name] !== NEUTRAL[name] || this.to[name] !== NEUTRAL[name];
  }

  get compresses() {
    return this.isOn("ratio") || this.isOn("makeup_db");
  }

  /** Values of a step, and gains of its beginning and its end. @param {number} frame of the song, on which it begins @param {boolean} isJump it follows on nothing */
  step(frame, isJump) {
    const { at } = this;
    if (!this.glides.size && !this.lanes.size && !this.isStale && !isJump) {
      this.from = this.gains;
      return;
    }
    for (const [name, by] of this.glides) {
      const next = at[name] + by;
      const isThere = by === 0 || (by > 0 ? next >= this.to[name] : next <= this.to[name]);
      at[name] = isThere ? this.to[name] : next;
      if (isThere) this.glides.delete(name);
      this.isStale = true;
    }
    this.look(frame);
    if (this.isStale) this.sectionsAnew();
    const isLined = ["level_db", "muted", "pan", "room_db", "echo_db"].some((name) => this.lanes.has(name));
    const now = this.gainsNow();
    this.from = isLined || isJump ? now : this.gains;
    if (isLined) {
      const kept = { ...at };
      this.look(frame + STEP);
      this.gains = this.gainsNow();
      this.at = kept;
    } else this.gains = now;
    this.isStale = this.glides.size > 0;
  }

  /** @param {number} frame */
  look(frame) {
    for (const [name, lane] of this.lanes) {
      if (this.held.has(name)) continue;
      const found = valueAt(lane, frame);
      const value = name.endsWith("_hz") ? 2 ** found : found;
      if (value !== this.at[name]) this.isStale = true;
      this.at[name] = value;
    }
  }

  gainsNow() {
    const { at } = this;
    const level = (1 - Math.min(1, Math.max(0, at.muted))) * amplitude(at.level_db);
    return [
      level * Math.cos((Math.min(1, Math.max(0, at.pan)) * Math.PI) / 2), level * Math.cos((Math.min(1, Math.max(0, -at.pan)) * Math.PI) / 2),
      amplitude(at.room_db), amplitude(at.echo_db),
    ];
  }

  /** Coefficients of every filter that is on. */
  sectionsAnew() {
    const { at, rate } = this;
    /** @type {Section[]} */
    const running = [];
    const put = (/** @type {string} */ name, /** @type {Coefficients} */ c) => {
      let section = this.sections.get(name);
      if (!section) this.sections.set(name, section = new Section());
      section.c = c;
      running.push(section);
    };
    if (this.isOn("low_cut_hz")) cutOf(at.low_cut_slope).forEach((q, i) => put(`low_cut${i}`, lowCut(at.low_cut_hz, q, rate)));
    if (this.isOn("low_db")) put("low", lowShelf(at.low_hz, at.low_db, rate));
    for (const name of ["bell1", "bell2"]) if (this.isOn(`${name}_db`)) put(name, bell(at[`${name}_hz`], at[`${name}_db`], at[`${name}_q`], rate));
    if (this.isOn("high_db")) put("high", highShelf(at.high_hz, at.high_db, rate));
    if (this.isOn("high_cut_hz")) cutOf(at.high_cut_slope).forEach((q, i) => put(`high_cut${i}`, highCut(at.high_cut_hz, q, rate)));
    for (const [name, section] of this.sections) if (!running.includes(section)) this.sections.delete(name);
    this.running = running;
  }

  /** Take a sound in and filter it. @param {Float32Array[] | undefined} input one side or two @param {number} from @param {number} to */
  filter(input, from, to) {
    const [left, right] = this.sound;
    const [a, b] = input?.length ? [input[0], input[input.length - 1]] : [null, null];
    this.heard = false;
    if (a && b) {
      let most = 0;
      for (let i = from; i < to; i += 1) {
        left[i] = a[i];
        right[i] = b[i];
        most = Math.max(most, Math.abs(a[i]), Math.abs(b[i]));
      }
      this.heard = most > 0;
    } else {
      left.fill(0, from, to);
      right.fill(0, from, to);
    }
    for (const section of this.running) {
      if (!this.heard && section.isRest) continue;
      section.run(left, right, from, to);
      this.heard = true;
    }
  }

  /** Compressor, drive, level and balance, in place. @param {readonly Float64Array[]} key that it goes by @param {number} from @param {number} to @param {number} into frames of the step that are gone */
  finish(key, from, to, into) {
    if (this.compresses) this.compress(key, from, to);
    if (!this.heard) return;
    if (this.isOn("drive_db")) this.drive(from, to);
    const [left, right] = this.sound;
    const [[l0, r0], [l1, r1]] = [this.from, this.gains];
    if (l0 === l1 && r0 === r1) {
      for (let i = from; i < to; i += 1) {
        left[i] *= l1;
        right[i] *= r1;
      }
      return;
    }
    for (let i = from; i < to; i += 1) {
      const share = (into + i - from) / STEP;
      left[i] *= l0 + (l1 - l0) * share;
      right[i] *= r0 + (r1 - r0) * share;
    }
  }

  /** @param {readonly Float64Array[]} key @param {number} from @param {number} to */
  compress([keyLeft, keyRight], from, to) {
    const { at, rate } = this;
    const [left, right] = this.sound;
    const attack = Math.exp(-1000 / (at.attack_ms * rate));
    const release = Math.exp(-1000 / (at.release_ms * rate));
    const { threshold_db: threshold, makeup_db: makeup } = at;
    if (!this.heard && keyLeft === left && this.down < STILL_DB) {
      this.down = 0;
      return;
    }
    const slope = 1 - 1 / at.ratio;
    const quiet = Math.max(LEAST, Math.exp((threshold - KNEE_DB / 2) / DB_OF_NEPER));
    let { down } = this;
    for (let i = from; i < to; i += 1) {
      const level = Math.max(Math.abs(keyLeft[i]), Math.abs(keyRight[i]));
      let wanted = 0;
      if (level > quiet) {
        const over = DB_OF_NEPER * Math.log(level) - threshold;
        if (over >= KNEE_DB / 2) wanted = over * slope;
        else if (over > -KNEE_DB / 2) wanted = ((over + KNEE_DB / 2) ** 2 / (2 * KNEE_DB)) * slope;
      } else if (down < STILL_DB && makeup === 0) {
        down = 0;
        continue;
      }
      const share = wanted > down ? attack : release;
      down = share * down + (1 - share) * wanted;
      const gain = Math.exp((makeup - down) / DB_OF_NEPER);
      left[i] *= gain;
      right[i] *= gain;
    }
    this.down = down;
  }

  /** @param {number} from @param {number} to */
  drive(from, to) {
    const amount = 10 ** (this.at.drive_db / 20) - 1;
    if (amount < LEAST_DRIVE) return;
    const most = Math.tanh(amount);
    for (const side of this.sound) for (let i = from; i < to; i += 1) side[i] = Math.tanh(amount * side[i]) / most;
  }
}

/** @param {number} slope */
const cutOf = (slope) => (slope < CUT_SLOPE ? BUTTERWORTH_2 : BUTTERWORTH_4);

/** @param {number} hertz @param {number} rate */
const bent = (hertz, rate) => Math.tan((Math.PI * Math.min(hertz, HIGHEST_SHARE * rate)) / rate);

/** @param {number} g @param {number} k @param {number} m0 @param {number} m1 @param {number} m2 @returns {Coefficients} */
function coefficients(g, k, m0, m1, m2) {
  const a1 = 1 / (1 + g * (g + k));
  const a2 = g * a1;
  return [a1, a2, g * a2, m0, m1, m2];
}

/** @param {number} hertz @param {number} q @param {number} rate */
export const lowCut = (hertz, q, rate) => coefficients(bent(hertz, rate), 1 / q, 1, -1 / q, -1);

/** @param {number} hertz @param {number} q @param {number} rate */
export const highCut = (hertz, q, rate) => coefficients(bent(hertz, rate), 1 / q, 0, 0, 1);

/** @param {number} hertz @param {number} db @param {number} q @param {number} rate */
export function bell(hertz, db, q, rate) {
  const a = 10 ** (db / 40);
  const k = 1 / (q * a);
  return coefficients(bent(hertz, rate), k, 1, k * (a * a - 1), 0);
}

/** @param {number} hertz @param {number} db @param {number} rate */
export function lowShelf(hertz, db, rate) {
  const [a, k] = [10 ** (db / 40), 1 / SHELF_Q];
  return coefficients(bent(hertz, rate) / Math.sqrt(a), k, 1, k * (a - 1), a * a - 1);
}

/** @param {number} hertz @param {number} db @param {number} rate */
export function highShelf(hertz, db, rate) {
  const [a, k] = [10 ** (db / 40), 1 / SHELF_Q];
  return coefficients(bent(hertz, rate) * Math.sqrt(a), k, a * a, k * (1 - a) * a, 1 - a * a);
}

/** What a section lets through of a frequency, as an amplitude. @param {Coefficients} c @param {number} hertz @param {number} rate */
export function passed([a1, a2, , m0, m1, m2], hertz, rate) {
  const g = a2 / a1;
  const k = (1 / a1 - 1) / g - g;
  const s = bent(hertz, rate) / g; // j times it
  // 1 / (1 − s² + j k s), what is let through of the low, j s of it of the band
  const [re, im] = [1 - s * s, k * s];
  const size = re * re + im * im;
  const low = [re / size, -im / size];
  const band = [-s * low[1], s * low[0]];
  return Math.hypot(m0 + m1 * band[0] + m2 * low[0], m1 * band[1] + m2 * low[1]);
}

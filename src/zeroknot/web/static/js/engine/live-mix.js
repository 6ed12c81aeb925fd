// @ts-check
/**
 * An order mixed from its cells, frame by frame, by the core's own formulas (core/render/order_run.py,
 * shaped.py; core/mixing/filters.py, pan.py), so that what is done to a piece is heard at once.
 *
 * Conventions
 * -----------
 * - Frames count from the one of round 0; rounds follow one another for ever.
 * - What changes where a voice begins or ends holds from its next stroke on; levels go over within
 *   a few milliseconds, so that nothing clicks.
 *
 * It imports nothing: the audio thread loads it as it is.
 */

/** @typedef {import("../types.js").LiveVoice} LiveVoice */
/** @typedef {import("../types.js").Piece} Piece */
/** @typedef {Piece["shape"]} Shape */
/** @typedef {{body: number, channels: number, voices: LiveVoice[]}} Plan */
/** @typedef {{lead: number, sound: Float32Array[]}} Cell */
/**
 * A voice as it is played now; `goesOn`: the next one takes over without a fade.
 * @typedef {{goesOn: boolean, start: number, frames: number, at: number, fadeIn: number, fadeOut: number, before: number, gain: number, pan: number, sway: number, swayBeats: number, shape: Shape | null}} Played
 */
/** @typedef {{played: Played, place: number, states: number[], gain: number, pan: number}} Sounding place: its next frame */

const TIME_CONSTANTS = 4;
const HIGHEST_SHARE = 0.49;
const SHARPEST_SECONDS = 0.0005;
const GLIDE_FRAMES = 192; // over which levels and pans go over
const BLOCK = 128; // frames that the audio thread asks for at once
const SAME_DB = 1e-6;
const KINDS = ["low", "high", "band"];
const AS_FADED = -1;
const [QUIETEST_DB, TURN] = [-60, 2 * Math.PI];

/** Parts of a piece that are mixed; all else is rendered. */
export const MIXED = ["gain_db", "pan", "sway", "sway_beats", "muted", "fade_in_ms", "fade_out_ms"];
export const MIXED_SHAPE = ["attack_ms", "decay_ms", "sustain", "filter", "cutoff_hz", "resonance_db", "sweep", "sweep_ms", "wave", "wave_beats", "drive_db"];

export class LiveMix {
  /** @param {number} rate @param {Plan} plan @param {Cell[]} cells @param {Piece[]} pieces as the plan has them */
  constructor(rate, plan, cells, pieces) {
    this.rate = rate;
    this.plan = plan;
    this.cells = cells;
    this.told = pieces;
    this.pieces = pieces;
    /** @type {Map<string, Sounding>} by round and number */
    this.sounding = new Map();
    /** Does a voice go on where the one before it stops, as it was recorded? @type {boolean[]} */
    this.isJoined = [];
    this.played = this.laid();
    this.reach = this.played.reduce((most, p) => Math.max(most, p.at + p.frames), 0);
  }

  /** Pieces as they are from now on. @param {Piece[]} pieces */
  change(pieces) {
    this.pieces = pieces;
    this.played = this.laid();
    for (const [key, one] of this.sounding) {
      const [round, i] = key.split(":").map(Number);
      const next = this.played[i];
      const { gain, pan, sway, swayBeats, shape } = next;
      one.played = { ...one.played, gain, pan, sway, swayBeats, shape };
      if (one.played.goesOn === next.goesOn || this.isOver(round, i, one)) continue;
      const fadeOut = Math.min(next.fadeOut, one.played.frames - one.played.fadeIn);
      one.played = { ...one.played, goesOn: next.goesOn, fadeOut };
    }
  }

  /** Is it too late to say how a voice ends? @param {number} round @param {number} i @param {Sounding} one */
  isOver(round, i, one) {
    const [next, after] = [this.played[i], this.played[i + 1]];
    const guard = Math.max(one.played.fadeOut, next.fadeOut, after ? after.fadeIn : 0) + BLOCK;
    return one.played.frames - one.place < guard || this.sounding.has(`${round}:${i + 1}`);
  }

  /** Every voice as it is by now. @returns {Played[]} */
  laid() {
    const { voices } = this.plan;
    this.isJoined = voices.map((voice, i) => voice.joins && this.isAlike(voices[i - 1], voice));
    /** @type {Played[]} */
    const found = [];
    voices.forEach((voice, i) => found.push(this.of(voice, this.isJoined[i] ? found[i - 1] : null, !!this.isJoined[i + 1])));
    return found;
  }

  /** Do two voices sound as one where they follow one another? @param {LiveVoice} a @param {LiveVoice} b */
  isAlike(a, b) {
    const [one, other] = [this.pieces[a.which], this.pieces[b.which]];
    const isSame = Math.abs(this.level(a) - this.level(b)) < SAME_DB && one.pan === other.pan && one.muted === other.muted;
    return isSame && [one, other].every((piece) => !piece.sway && isPlain(piece.shape));
  }

  /** @param {LiveVoice} voice in dB */
  level(voice) {
    return voice.gain_db + this.pieces[voice.which].gain_db - this.told[voice.which].gain_db;
  }

  /**
   * A voice with what is done to its piece by now.
   * @param {LiveVoice} voice @param {Played | null} last that it goes on from @param {boolean} goesOn does the next go on from it?
   * @returns {Played}
   */
  of(voice, last, goesOn) {
    const [told, now] = [this.told[voice.which], this.pieces[voice.which]];
    const gain = now.muted || now.gain_db <= QUIETEST_DB ? 0 : 10 ** (this.level(voice) / 20);
    // Where its pitch bends its shape is rendered, too.
    const shape = told.shape.bend ? null : now.shape;
    const base = { goesOn, gain, pan: now.pan, sway: now.sway, swayBeats: now.sway_beats, shape };
    let { start, frames, at } = voice;
    let [fadeIn, fadeOut] = [0, 0];
    if (last) at = last.at + last.frames;
    else if (voice.begins) {
      const fade = this.frame(now.fade_in_ms / 1000);
      const before = voice.reverse ? 0 : Math.min(fade, voice.room);
      const inside = Math.min(fade, Math.floor(frames / 2));
      if (before) {
        [start, at, frames] = [start - before, at - before, frames + before];
        fadeIn = before;
      } else fadeIn = voice.reverse ? inside : Math.min(inside, this.frame(SHARPEST_SECONDS));
    }
    if (voice.ends && !goesOn) fadeOut = Math.min(this.frame(now.fade_out_ms / 1000), frames - fadeIn);
    const before = voice.before === AS_FADED ? (voice.reverse ? 0 : fadeIn) : voice.before;
    return { ...base, start, frames, at, fadeIn, fadeOut, before };
  }

  /** @param {number} seconds */
  frame(seconds) {
    return Math.floor(seconds * this.rate + 0.5);
  }

  /** Add what is heard from a frame on to both sides. @param {number} from @param {Float32Array} left @param {Float32Array} right */
  mix(from, left, right) {
    const { body, voices } = this.plan;
    const count = left.length;
    const isHeard = new Set();
    const last = Math.floor((from + count) / body) + 1;
    const first = Math.floor((from - this.reach) / body) - 1;
    for (let round = first; round <= last; round += 1) {
      voices.forEach((voice, i) => {
        const key = `${round}:${i}`;
        const last = voice.joins ? this.sounding.get(`${round}:${i - 1}`) : undefined;
        const played = this.sounding.get(key)?.played ?? this.next(i, last);
        const begin = round * body + played.at;
        const [a, b] = [Math.max(from, begin), Math.min(from + count, begin + played.frames)];
        if (b <= a) return;
        isHeard.add(key);
        const one = this.entered(key, played, a - begin, last);
        this.sound(voice, one, a - begin, b - a, left, right, a - from);
      });
    }
    for (const key of this.sounding.keys()) if (!isHeard.has(key)) this.sounding.delete(key);
  }

  /** A voice that is about to sound, after the one that sounds before it. @param {number} i @param {Sounding} [last] @returns {Played} */
  next(i, last) {
    return last ? this.of(this.plan.voices[i], last.played.goesOn ? last.played : null, !!this.isJoined[i + 1]) : this.played[i];
  }

  /** @param {string} key @param {Played} played @param {number} place @param {Sounding} [last] */
  entered(key, played, place, last) {
    const known = this.sounding.get(key);
    if (known && known.place === place) return known;
    // What it goes on from may not have gone over to its level yet.
    const { gain, pan } = last?.played.goesOn && place === 0 ? last : played;
    const fresh = { played, place, states: [0, 0, 0, 0], gain, pan };
    this.sounding.set(key, fresh);
    return fresh;
  }

  /** @param {LiveVoice} voice @param {Sounding} one @param {number} first frame of the voice @param {number} count @param {Float32Array} left @param {Float32Array} right @param {number} to */
  sound(voice, one, first, count, left, right, to) {
    const { played, states } = one;
    const { lead, sound } = this.cells[voice.cell];
    const [a, b] = [sound[0], sound[sound.length - 1]];
    const isWide = this.plan.channels > 1 || played.pan !== 0 || one.pan !== 0 || played.sway !== 0;
    const shape = played.shape;
    const filter = shape && shape.filter !== "off" ? KINDS.indexOf(shape.filter) : -1;
    const drive = shape?.drive_db ? 10 ** (shape.drive_db / 20) : 0;
    const limit = drive ? Math.tanh(drive) : 1;
    const damping = shape ? 10 ** (-shape.resonance_db / 20) : 1;
    const stepGain = (played.gain - one.gain) / GLIDE_FRAMES;
    const stepPan = (played.pan - one.pan) / GLIDE_FRAMES;
    for (let i = 0; i < count; i += 1) {
      const k = first + i;
      const axis = lead + (voice.reverse ? played.start + played.frames - 1 - k : played.start + k);
      let x = axis >= 0 && axis < a.length ? a[axis] : 0;
      let y = axis >= 0 && axis < b.length ? b[axis] : 0;
      const seconds = Math.max(0, (k - played.before) / this.rate);
      if (shape) {
        if (filter >= 0) {
          const g = Math.tan((Math.PI * this.cutoff(shape, voice, seconds, k)) / this.rate);
          x = filtered(x, g, damping, filter, states, 0);
          y = filtered(y, g, damping, filter, states, 2);
        }
        if (drive) [x, y] = [Math.tanh(drive * x) / limit, Math.tanh(drive * y) / limit];
        const level = levelAt(shape, seconds);
        x *= level;
        y *= level;
      }
      if (one.gain !== played.gain) one.gain = near(one.gain + stepGain, played.gain, stepGain);
      if (one.pan !== played.pan) one.pan = near(one.pan + stepPan, played.pan, stepPan);
      const gain = one.gain * this.fadeAt(voice, played, k);
      x *= gain;
      y *= gain;
      if (!isWide) {
        left[to + i] += x;
        right[to + i] += x;
        continue;
      }
      let pan = one.pan;
      if (played.sway) {
        const beats = voice.beat_frames ? voice.beat + k / voice.beat_frames : 0;
        pan = Math.max(-1, Math.min(1, pan + played.sway * Math.sin((TURN * beats) / played.swayBeats)));
      }
      if (pan === 0) {
        left[to + i] += x;
        right[to + i] += y;
        continue;
      }
      const angle = ((pan <= 0 ? pan + 1 : pan) * Math.PI) / 2;
      const [sine, cosine] = [Math.sin(angle), Math.cos(angle)];
      left[to + i] += pan <= 0 ? x + y * cosine : x * cosine;
      right[to + i] += pan <= 0 ? y * sine : y + x * sine;
    }
    one.place = first + count;
  }

  /** @param {Shape} shape @param {LiveVoice} voice @param {number} seconds @param {number} k */
  cutoff(shape, voice, seconds, k) {
    let octaves = shape.sweep ? shape.sweep * gone(seconds, shape.sweep_ms) : 0;
    if (shape.wave && voice.beat_frames) octaves += shape.wave * Math.sin((TURN * (voice.beat + k / voice.beat_frames)) / shape.wave_beats);
    return Math.min(HIGHEST_SHARE * this.rate, Math.max(1, shape.cutoff_hz * 2 ** octaves));
  }

  /** @param {LiveVoice} voice @param {Played} played @param {number} k */
  fadeAt(voice, played, k) {
    const at = k + 0.5;
    let gain = 1;
    if (at < played.fadeIn) gain *= risen(at / played.fadeIn);
    if (played.frames - at < played.fadeOut) gain *= risen((played.frames - at) / played.fadeOut);
    const since = at - (played.frames - voice.release);
    if (voice.release && since > 0) gain *= Math.exp((-TIME_CONSTANTS * since) / voice.release);
    return gain;
  }
}

/** One frame through the state variable filter. @param {number} x @param {number} g @param {number} damping @param {number} kind @param {number[]} states @param {number} s */
function filtered(x, g, damping, kind, states, s) {
  const high = (x - (damping + g) * states[s] - states[s + 1]) / (1 + g * (damping + g));
  const band = g * high + states[s];
  const low = g * band + states[s + 1];
  states[s] = g * high + band;
  states[s + 1] = g * band + low;
  return kind === 0 ? low : kind === 1 ? high : damping * band;
}

/** Is nothing of a piece shaped? @param {Shape} shape */
const isPlain = (shape) => !shape.attack_ms && !(shape.decay_ms && shape.sustain !== 1) && !shape.release_ms && !shape.bend && shape.filter === "off" && !shape.drive_db;

/** @param {Shape} shape @param {number} seconds */
function levelAt(shape, seconds) {
  const rise = shape.attack_ms / 1000;
  const level = rise ? Math.min(1, seconds / rise) : 1;
  if (!shape.decay_ms) return level;
  return level * (shape.sustain + (1 - shape.sustain) * gone(Math.max(0, seconds - rise), shape.decay_ms));
}

/** @param {number} seconds @param {number} ms */
const gone = (seconds, ms) => Math.exp((-TIME_CONSTANTS * 1000 * seconds) / ms);

/** @param {number} share */
const risen = (share) => 0.5 - 0.5 * Math.cos(Math.PI * Math.min(1, Math.max(0, share)));

/** A step further, not past its end. @param {number} value @param {number} to @param {number} step */
const near = (value, to, step) => ((step > 0 && value >= to) || (step < 0 && value <= to) || step === 0 ? to : value);

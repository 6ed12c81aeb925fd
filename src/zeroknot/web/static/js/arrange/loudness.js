// @ts-check
/** Loudness of what is heard, from the powers that the master measures: as core/mixing/meters.py reads them. */

const [OFFSET, ABSOLUTE_GATE, RELATIVE_GATE, RANGE_GATE] = [-0.691, -70, -10, -20];
const [MOMENTARY, SHORT_TERM] = [4, 30]; // tenths of a second
const MOST_STEPS = 36_000; // an hour

export class Loudness {
  constructor() {
    /** Of each tenth of a second. @type {number[]} */
    this.powers = [];
    this.peak = 0;
    this.wasPlaying = false;
    /** The track that it is of; "" for the master. */
    this.of = "";
    /** @param {{powers: number[], peak: number}} read */
    this.take = ({ powers, peak }) => this.add(powers, peak);
  }

  /** Counted anew. */
  begin() {
    this.powers = [];
    this.peak = 0;
  }

  /** It begins anew with each time the song is played, and with another track. @param {import("../engine/mixer.js").Mixer} mixer @param {boolean} isPlaying @param {string} [track] the master where none is given */
  listen(mixer, isPlaying, track = "") {
    // The board that was open last has the readings.
    if (track) mixer.onTrackRead = (read) => { if (read.id === this.of) this.take(read); };
    else mixer.onRead = this.take;
    if ((isPlaying && !this.wasPlaying) || track !== this.of) this.begin();
    this.of = track;
    this.wasPlaying = isPlaying;
  }

  /** @param {number[]} powers @param {number} peak */
  add(powers, peak) {
    this.powers.push(...powers);
    if (this.powers.length > MOST_STEPS) this.powers = this.powers.slice(-MOST_STEPS);
    this.peak = Math.max(this.peak, peak);
  }

  read() {
    const momentary = means(this.powers, MOMENTARY);
    const short = means(this.powers, SHORT_TERM);
    return {
      momentary: lufs(momentary[momentary.length - 1] ?? 0), shortTerm: lufs(short[short.length - 1] ?? 0),
      integrated: gated(momentary), range: rangeOf(short), truePeak: 20 * Math.log10(this.peak),
    };
  }
}

/** @param {number} power */
const lufs = (power) => OFFSET + 10 * Math.log10(power);

/** Of so many steps, one after the other. @param {number[]} powers @param {number} steps */
function means(powers, steps) {
  const found = [];
  let sum = 0;
  for (let i = 0; i < powers.length; i += 1) {
    sum += powers[i];
    if (i >= steps) sum -= powers[i - steps];
    if (i >= steps - 1) found.push(Math.max(0, sum / steps));
  }
  return found;
}

/** @param {number[]} values */
const mean = (values) => values.reduce((a, b) => a + b, 0) / values.length;

/** @param {number[]} powers @param {number} gate LU under the loudness of all that is over the first gate */
function over(powers, gate) {
  const loud = powers.filter((power) => lufs(power) > ABSOLUTE_GATE);
  if (!loud.length) return [];
  const least = lufs(mean(loud)) + gate;
  return loud.filter((power) => lufs(power) > least);
}

/** @param {number[]} powers */
function gated(powers) {
  const loud = over(powers, RELATIVE_GATE);
  return loud.length ? lufs(mean(loud)) : -Infinity;
}

/** Between the 10th and the 95th percentile. @param {number[]} powers */
function rangeOf(powers) {
  const loud = over(powers, RANGE_GATE).map(lufs).sort((a, b) => a - b);
  if (!loud.length) return 0;
  const at = (/** @type {number} */ share) => {
    const place = share * (loud.length - 1);
    const below = Math.floor(place);
    return loud[below] + ((loud[Math.min(loud.length - 1, below + 1)] - loud[below]) * (place - below));
  };
  return at(0.95) - at(0.1);
}

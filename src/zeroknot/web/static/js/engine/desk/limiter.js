// @ts-check
/** What keeps the whole under a ceiling, between its samples, too: as core/mixing/limiter.py, frame by frame. */

const [LOOK_SECONDS, RELEASE_SECONDS] = [0.004, 0.08];
const [PHASES, TAPS, BETA] = [8, 20, 5];
const MARGIN_DB = 0.1;

export class Limiter {
  /** @param {number} rate @param {number} ceilingDb dBTP */
  constructor(rate, ceilingDb) {
    this.ceiling = 10 ** ((ceilingDb - MARGIN_DB) / 20);
    this.look = Math.max(2, Math.round(LOOK_SECONDS * rate));
    this.back = 1 - Math.exp(-1 / (RELEASE_SECONDS * rate));
    this.taps = phases(PHASES, TAPS);
    this.most = Math.max(...this.taps.map((taps) => taps.reduce((sum, tap) => sum + Math.abs(tap), 0)));
    this.window = Float64Array.from({ length: this.look }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 1)) / (this.look + 1)));
    const sum = this.window.reduce((a, b) => a + b, 0);
    this.window.forEach((w, i) => { this.window[i] = w / sum; });
    this.waiting = [new Float64Array(TAPS), new Float64Array(TAPS)]; // samples that peaks are looked for in, a ring
    this.late = [new Float32Array(this.lead), new Float32Array(this.lead)]; // until their gain is known, a ring
    this.needs = new Float64Array(this.look).fill(1); // a ring
    this.held = new Float64Array(this.look).fill(1); // a ring
    this.at = 0;
    this.gain = 1;
    /** Frames for which nothing has been turned down. */
    this.quiet = Infinity;
    this.least = 1;
  }

  /** Frames by which what comes out is late. */
  get lead() {
    return TAPS / 2 + this.look - 1;
  }

  /** In place. @param {Float32Array} left @param {Float32Array} right */
  run(left, right) {
    const { look, window, needs, held, late, lead } = this;
    for (let i = 0; i < left.length; i += 1) {
      const at = this.at++;
      this.waiting[0][at % TAPS] = left[i];
      this.waiting[1][at % TAPS] = right[i];
      needs[at % look] = Math.min(1, this.ceiling / Math.max(this.peak(at), 1e-12));
      let least = 1;
      for (let k = 0; k < look; k += 1) if (needs[k] < least) least = needs[k];
      this.gain = Math.min(least, this.gain + (1 - this.gain) * this.back);
      held[at % look] = this.gain;
      this.quiet = this.gain < 1 ? 0 : this.quiet + 1;
      let down = 0;
      if (this.quiet < look) for (let k = 0; k < look; k += 1) down += window[k] * (1 - held[(at + 1 + k) % look]);
      const gain = 1 - Math.max(0, down);
      this.least = Math.min(this.least, gain);
      const place = at % lead;
      [left[i], late[0][place]] = [late[0][place] * gain, left[i]];
      [right[i], late[1][place]] = [late[1][place] * gain, right[i]];
    }
  }

  /** The highest between and on the samples in the middle of the last ones. @param {number} at */
  peak(at) {
    let most = 0;
    for (const ring of this.waiting) {
      let near = 0;
      for (let k = 0; k < TAPS; k += 1) near = Math.max(near, Math.abs(ring[k]));
      if (near * this.most <= this.ceiling) continue; // nothing between them is over it
      most = Math.max(most, Math.abs(ring[(at + TAPS - TAPS / 2) % TAPS]));
      for (const taps of this.taps) {
        let sum = 0;
        for (let k = 0; k < TAPS; k += 1) sum += taps[k] * ring[(at + 1 + k) % TAPS];
        most = Math.max(most, Math.abs(sum));
      }
    }
    return most;
  }
}

/** A low pass at the old Nyquist in phases of unit gain, newest tap last: as `meters.phases`. @param {number} count @param {number} taps @returns {Float64Array[]} */
export function phases(count, taps) {
  const size = count * taps;
  const whole = Array.from({ length: size }, (_, i) => {
    const x = i - (size - 1) / 2;
    const sinc = x === 0 ? 1 : Math.sin((Math.PI * x) / count) / ((Math.PI * x) / count);
    const ratio = (2 * i) / (size - 1) - 1;
    return sinc * bessel(BETA * Math.sqrt(Math.max(0, 1 - ratio * ratio)));
  });
  return Array.from({ length: count }, (_, phase) => {
    const own = Float64Array.from({ length: taps }, (_, tap) => whole[tap * count + phase]).reverse();
    const sum = own.reduce((a, b) => a + b, 0);
    return own.map((tap) => tap / sum);
  });
}

/** Modified Bessel function of the first kind, order 0. @param {number} x */
function bessel(x) {
  let [sum, term] = [1, 1];
  for (let k = 1; k < 40; k += 1) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

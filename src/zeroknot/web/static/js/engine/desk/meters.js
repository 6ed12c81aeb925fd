// @ts-check
/** Power of each tenth of a second, K-weighted, and true peaks: as core/mixing/meters.py. */

import { phases } from "./limiter.js";

const [SHELF_HZ, SHELF_DB, SHELF_Q] = [1681.974450955533, 3.999843853973347, 0.7071752369554196];
const [HIGH_PASS_HZ, HIGH_PASS_Q] = [38.13547087602444, 0.5003270373238773];
const STEP_SECONDS = 0.1;
const [OVERSAMPLED, TAPS] = [4, 12];

export class PowerMeter {
  /** @param {number} rate */
  constructor(rate) {
    this.sections = kWeighting(rate);
    this.states = [0, 1].map(() => [0, 0, 0, 0]);
    this.step = Math.round(STEP_SECONDS * rate);
    this.taps = phases(OVERSAMPLED, TAPS);
    this.most = Math.max(...this.taps.map((taps) => taps.reduce((sum, tap) => sum + Math.abs(tap), 0)));
    this.rings = [new Float64Array(TAPS), new Float64Array(TAPS)];
    this.count = 0;
    this.sum = 0;
    this.at = 0;
    /** Powers of tenths of a second that were not taken yet. @type {number[]} */
    this.powers = [];
    /** True peak since it was taken last. */
    this.peak = 0;
  }

  /** @param {Float32Array | Float64Array} left @param {Float32Array | Float64Array} right */
  feed(left, right) {
    for (let i = 0; i < left.length; i += 1) {
      this.sum += this.weighted(left[i], 0) ** 2 + this.weighted(right[i], 1) ** 2;
      this.between(left[i], 0);
      this.between(right[i], 1);
      this.at += 1;
      this.count += 1;
      if (this.count < this.step) continue;
      this.powers.push(this.sum / this.step);
      [this.sum, this.count] = [0, 0];
    }
  }

  /** So many frames of nothing, where nothing rings. @param {number} frames */
  pass(frames) {
    this.count += frames;
    this.at += frames;
    for (const ring of this.rings) ring.fill(0);
    while (this.count >= this.step) {
      this.powers.push(this.sum / this.step);
      [this.sum, this.count] = [0, this.count - this.step];
    }
  }

  /** @param {number} x @param {number} c */
  weighted(x, c) {
    const s = this.states[c];
    for (let k = 0; k < 2; k += 1) {
      const [b0, b1, b2, a1, a2] = this.sections[k];
      const y = b0 * x + s[2 * k];
      s[2 * k] = b1 * x - a1 * y + s[2 * k + 1];
      s[2 * k + 1] = b2 * x - a2 * y;
      x = y;
    }
    if (Math.abs(s[3]) < 1e-30) s.fill(0);
    return x;
  }

  /** @param {number} x @param {number} c */
  between(x, c) {
    const ring = this.rings[c];
    ring[this.at % TAPS] = x;
    this.peak = Math.max(this.peak, Math.abs(x));
    let near = 0;
    for (let k = 0; k < TAPS; k += 1) near = Math.max(near, Math.abs(ring[k]));
    if (near * this.most <= this.peak) return; // nothing between them is the highest
    for (const taps of this.taps) {
      let sum = 0;
      for (let k = 0; k < TAPS; k += 1) sum += taps[k] * ring[(this.at + 1 + k) % TAPS];
      this.peak = Math.max(this.peak, Math.abs(sum));
    }
  }

  /** What was read since this was asked last. */
  take() {
    const { powers, peak } = this;
    [this.powers, this.peak] = [[], 0];
    return { powers, peak };
  }
}

/** b0, b1, b2, a1, a2 of its two sections. @param {number} rate */
function kWeighting(rate) {
  const gain = 10 ** (SHELF_DB / 20);
  const middle = gain ** 0.4996667741545416;
  let k = Math.tan((Math.PI * SHELF_HZ) / rate);
  let over = 1 + k / SHELF_Q + k * k;
  const shelf = [
    (gain + (middle * k) / SHELF_Q + k * k) / over, (2 * (k * k - gain)) / over, (gain - (middle * k) / SHELF_Q + k * k) / over,
    (2 * (k * k - 1)) / over, (1 - k / SHELF_Q + k * k) / over,
  ];
  k = Math.tan((Math.PI * HIGH_PASS_HZ) / rate);
  over = 1 + k / HIGH_PASS_Q + k * k;
  return [shelf, [1, -2, 1, (2 * (k * k - 1)) / over, (1 - k / HIGH_PASS_Q + k * k) / over]];
}

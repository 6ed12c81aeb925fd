// @ts-check
/** Waveforms from the server's peaks. Sums apart from strokes. */

import { getBytes } from "../net/api.js";

/** @typedef {{values: Float32Array, bin: number}} Peaks lowest and highest of each `bin` frames */

/** @type {Map<string, Promise<Peaks>>} */
const kept = new Map();
const MOST_KEPT = 400;

/** @param {string} path without the bin @param {number} bin @returns {Promise<Peaks>} */
export function peaksOf(path, bin) {
  const key = `${path}/${bin}`;
  const found = kept.get(key);
  if (found) return found;
  const promise = getBytes(key).then(({ data, headers }) => ({
    values: new Float32Array(data),
    bin: Number(headers.get("x-bin")),
  }));
  promise.catch(() => kept.delete(key));
  kept.set(key, promise);
  if (kept.size > MOST_KEPT) kept.delete(/** @type {string} */ (kept.keys().next().value));
  return promise;
}

/** @param {string} sha @param {number} bin */
export const sourcePeaks = (sha, bin) => peaksOf(`/api/loops/${sha}/peaks`, bin);

/** @param {string} digest @param {number} bin */
export const renderPeaks = (digest, bin) => peaksOf(`/api/renders/${digest}/peaks`, bin);

/** Lowest and highest between two frames. @param {Peaks} peaks @param {number} from @param {number} to @returns {[number, number]} */
export function extremes(peaks, from, to) {
  const bins = peaks.values.length / 2;
  const a = Math.max(0, Math.floor(from / peaks.bin));
  const b = Math.min(bins, Math.max(a + 1, Math.ceil(to / peaks.bin)));
  if (a >= bins || to <= 0) return [0, 0];
  let low = Infinity;
  let high = -Infinity;
  for (let i = a; i < b; i += 1) {
    low = Math.min(low, peaks.values[2 * i]);
    high = Math.max(high, peaks.values[2 * i + 1]);
  }
  return [low, high];
}

/** Largest absolute value. @param {Peaks} peaks */
export function loudest(peaks) {
  let most = loudestOf.get(peaks);
  if (most === undefined) {
    most = 0;
    for (const value of peaks.values) most = Math.max(most, Math.abs(value));
    loudestOf.set(peaks, most);
  }
  return most || 1;
}

/** Asked for every clip in every picture. @type {WeakMap<Peaks, number>} */
const loudestOf = new WeakMap();

/**
 * Draw a waveform: for every pixel the extremes between two frames.
 * @param {CanvasRenderingContext2D} context @param {Peaks} peaks
 * @param {{x: number, y: number, width: number, height: number}} box
 * @param {(x: number) => number} frameAt x in pixels from the box's left to frames of the peaks
 * @param {string} colour @param {number} scale what fills the box
 */
export function drawWave(context, peaks, box, frameAt, colour, scale) {
  const middle = box.y + box.height / 2;
  const half = box.height / 2 / scale;
  context.fillStyle = colour;
  context.beginPath();
  for (let x = 0; x < box.width; x += 1) {
    const [low, high] = extremes(peaks, frameAt(x), frameAt(x + 1));
    const top = middle - Math.min(scale, high) * half;
    const bottom = middle - Math.max(-scale, low) * half;
    context.rect(box.x + x, top - 0.4, 1, Math.max(0.8, bottom - top));
  }
  context.fill();
}

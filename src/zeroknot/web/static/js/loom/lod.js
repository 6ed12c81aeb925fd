// @ts-check
/**
 * Waveforms at every distance: tiles of peaks from the server, single samples when near.
 *
 * Only what is looked at is asked for; until it is there, what is known more coarsely is drawn.
 */

import { getBytes } from "../net/api.js";
import { BLOCK_FRAMES } from "../engine/schedule.js";

const BINS = [64, 512, 4096];
const TILE_BINS = 4096;
const MOST_AT_ONCE = 4;
const MOST_TILES = 240;

/** Lowest and highest of each bin; `frames` of it per bin. @typedef {{bin: number, values: Float32Array}} Tile */

export class Waves {
  /**
   * @param {{peaks: string, blocks: string, channels: number, frames: number, blockRate: number}} from
   *   addresses without bin, tile or block; frames at the peaks' rate, blockRate times as many in blocks
   * @param {() => void} changed
   * @param {number} coarsest of the bins that may be asked for
   */
  constructor(from, changed, coarsest = 4096) {
    this.from = from;
    this.changed = changed;
    this.coarsest = coarsest;
    /** @type {Map<string, Tile | null>} */
    this.tiles = new Map();
    /** @type {string[]} */
    this.wanted = [];
    this.running = 0;
    this.loudest = 0;
    this.isClosed = false;
  }

  /** All of it from far away, and with it how loud it gets. */
  whole() {
    const coarse = BINS[BINS.length - 1];
    const tiles = Math.ceil(this.from.frames / this.covers(coarse));
    return Promise.all(Array.from({ length: tiles }, (_, i) => this.fetch(`${coarse}/${i}`)));
  }

  /** Nothing more is asked for. */
  close() {
    this.isClosed = true;
    this.wanted = [];
  }

  /** The level to draw by. @param {number} perPixel frames */
  binFor(perPixel) {
    if (perPixel < 64) return 1;
    return BINS.findLast((b) => b <= perPixel && b <= this.coarsest) ?? 64;
  }

  /** Is it looked at closely enough to be asked for? @param {number} perPixel frames */
  isFor(perPixel) {
    return perPixel < 8 * this.coarsest;
  }

  /** Frames (of the peaks' rate) that a tile covers. @param {number} bin */
  covers(bin) {
    return bin === 1 ? BLOCK_FRAMES / this.from.blockRate : bin * TILE_BINS;
  }

  /** The tile of a level, asked for where it is not there. @param {number} bin @param {number} index */
  tile(bin, index) {
    const key = `${bin}/${index}`;
    const found = this.tiles.get(key);
    if (found !== undefined) return found;
    if (this.tiles.size > 2 * MOST_TILES) return null;
    this.tiles.set(key, null);
    this.wanted.push(key);
    this.next();
    return null;
  }

  next() {
    if (this.isClosed || this.running >= MOST_AT_ONCE) return;
    // What was asked for last is looked at now.
    const key = this.wanted.pop();
    if (!key) return;
    this.running += 1;
    this.fetch(key).catch(() => {
      // Asked again when it is looked at again.
      setTimeout(() => this.tiles.delete(key), 2000);
    }).finally(() => {
      this.running -= 1;
      this.next();
    });
    this.next();
  }

  /** @param {string} key */
  async fetch(key) {
    const [bin, index] = key.split("/").map(Number);
    const path = bin === 1 ? `${this.from.blocks}/${index}` : `${this.from.peaks}/${bin}?tile=${index}`;
    const values = new Float32Array((await getBytes(path)).data);
    if (this.isClosed) return;
    const tile = bin === 1 ? { bin: 1 / this.from.blockRate, values: overChannels(values, this.from.channels) } : { bin, values };
    this.tiles.set(key, tile);
    for (const value of tile.values) this.loudest = Math.max(this.loudest, Math.abs(value));
    this.forget();
    this.changed();
  }

  forget() {
    if (this.tiles.size <= MOST_TILES) return;
    for (const [key, tile] of this.tiles) {
      if (this.tiles.size <= MOST_TILES * 0.8) break;
      if (tile && !key.startsWith("4096/")) this.tiles.delete(key);
    }
  }

  /**
   * Lowest and highest between two frames, by a level or what is known more coarsely.
   * @param {number} from @param {number} to @param {number} bin
   * @returns {[number, number] | null} null where nothing is known yet
   */
  extremes(from, to, bin) {
    if (to <= 0 || from >= this.from.frames) return [0, 0];
    const [a, b] = [Math.max(0, from), Math.min(this.from.frames, to)];
    const found = this.atLevel(a, b, bin, true);
    if (found) return found;
    for (const level of BINS) {
      if (level <= bin || level > this.coarsest) continue;
      const coarser = this.atLevel(a, b, level, false);
      if (coarser) return coarser;
    }
    return null;
  }

  /** @param {number} from @param {number} to @param {number} level @param {boolean} asks @returns {[number, number] | null} */
  atLevel(from, to, level, asks) {
    const covers = this.covers(level);
    let [low, high] = [Infinity, -Infinity];
    for (let index = Math.floor(from / covers); index * covers < to; index += 1) {
      const tile = asks ? this.tile(level, index) : this.tiles.get(`${level}/${index}`);
      if (!tile) return null;
      const start = index * covers;
      const bins = tile.values.length / 2;
      const a = Math.max(0, Math.floor((from - start) / tile.bin));
      const b = Math.min(bins, Math.max(a + 1, Math.ceil((to - start) / tile.bin)));
      for (let i = a; i < b; i += 1) {
        low = Math.min(low, tile.values[2 * i]);
        high = Math.max(high, tile.values[2 * i + 1]);
      }
    }
    return low <= high ? [low, high] : [0, 0];
  }
}

/** Planar samples to lowest and highest over the channels. @param {Float32Array} samples @param {number} channels */
function overChannels(samples, channels) {
  const frames = Math.floor(samples.length / channels);
  const values = new Float32Array(2 * frames);
  for (let i = 0; i < frames; i += 1) {
    let [low, high] = [samples[i], samples[i]];
    for (let c = 1; c < channels; c += 1) {
      const value = samples[c * frames + i];
      low = Math.min(low, value);
      high = Math.max(high, value);
    }
    values[2 * i] = low;
    values[2 * i + 1] = high;
  }
  return values;
}

/**
 * Draw a waveform into a box. Between pixels that know nothing yet nothing is drawn.
 * @param {CanvasRenderingContext2D} c @param {Waves} waves
 * @param {{x: number, y: number, width: number, height: number}} box
 * @param {(x: number) => number} frameAt x in pixels from the box's left to frames
 * @param {string} colour @param {number} scale what fills the box
 */
export function drawWaves(c, waves, box, frameAt, colour, scale) {
  const perPixel = (frameAt(box.width) - frameAt(0)) / box.width;
  const middle = box.y + box.height / 2;
  const half = box.height / 2 / scale;
  const bin = waves.binFor(perPixel);
  if (perPixel < 0.5) {
    drawSamples(c, waves, box, frameAt, colour, middle, half, perPixel);
    return;
  }
  c.fillStyle = colour;
  let from = frameAt(0);
  for (let x = 0; x < box.width; x += 1) {
    const to = frameAt(x + 1);
    const found = waves.extremes(from, Math.max(to, from + 1e-9), bin);
    from = to;
    if (!found) continue;
    const top = middle - Math.min(scale, found[1]) * half;
    const bottom = middle - Math.max(-scale, found[0]) * half;
    c.fillRect(box.x + x, top - 0.4, 1, Math.max(0.8, bottom - top));
  }
}

/** Sample by sample: a line through them, and a dot each where there is room. @param {CanvasRenderingContext2D} c @param {Waves} waves @param {{x: number, width: number}} box @param {(x: number) => number} frameAt @param {string} colour @param {number} middle @param {number} half @param {number} perPixel */
function drawSamples(c, waves, box, frameAt, colour, middle, half, perPixel) {
  const step = 1 / waves.from.blockRate;
  const first = Math.floor(frameAt(0) / step) - 1;
  const last = Math.ceil(frameAt(box.width) / step) + 1;
  const start = frameAt(0);
  c.strokeStyle = c.fillStyle = colour;
  for (const isHigh of [0, 1]) {
    c.beginPath();
    let isDown = false;
    for (let i = first; i <= last; i += 1) {
      const found = waves.extremes((i + 0.25) * step, (i + 0.75) * step, 1);
      if (!found) {
        isDown = false;
        continue;
      }
      const [x, y] = [box.x + (i * step - start) / perPixel, middle - found[isHigh] * half];
      if (isDown) c.lineTo(x, y);
      else c.moveTo(x, y);
      isDown = true;
      if (step / perPixel > 6) c.fillRect(x - 1.5, y - 1.5, 3, 3);
    }
    c.stroke();
    if (waves.from.channels === 1) break;
  }
}

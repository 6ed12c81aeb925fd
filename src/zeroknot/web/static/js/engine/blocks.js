// @ts-check
/** Blocks of sound from the server, a bounded number of them kept. */

import { getBytes } from "../api.js";
import { BLOCK_FRAMES } from "./schedule.js";

const KEPT_BYTES = 256 * 1024 * 1024;

export class Blocks {
  /** @param {number} rate */
  constructor(rate) {
    this.rate = rate;
    /** @type {Map<string, {buffer: AudioBuffer | null, promise: Promise<AudioBuffer>, bytes: number}>} */
    this.kept = new Map();
    this.bytes = 0;
  }

  /**
   * A digest's block address. Recordings are named "source:<sha>".
   * @param {string} digest @param {number} index
   */
  path(digest, index) {
    return digest.startsWith("source:")
      ? `/api/sources/${digest.slice(7)}/${this.rate}/${index}`
      : `/api/renders/${digest}/${index}`;
  }

  /** The block if it is here. @param {string} digest @param {number} index */
  ready(digest, index) {
    return this.kept.get(`${digest}/${index}`)?.buffer ?? null;
  }

  /** @param {string} digest @param {number} index @param {number} channels @returns {Promise<AudioBuffer>} */
  get(digest, index, channels) {
    const key = `${digest}/${index}`;
    const found = this.kept.get(key);
    if (found) {
      this.kept.delete(key);
      this.kept.set(key, found);
      return found.promise;
    }
    const entry = { buffer: /** @type {AudioBuffer | null} */ (null), bytes: 0, promise: /** @type {any} */ (null) };
    entry.promise = getBytes(this.path(digest, index)).then(
      ({ data }) => {
        entry.buffer = toBuffer(data, channels, this.rate);
        entry.bytes = data.byteLength;
        this.bytes += data.byteLength;
        this.forgetOldest();
        return entry.buffer;
      },
      (error) => {
        this.kept.delete(key);
        throw error;
      },
    );
    this.kept.set(key, entry);
    return entry.promise;
  }

  forgetOldest() {
    for (const [key, entry] of this.kept) {
      if (this.bytes <= KEPT_BYTES) break;
      if (!entry.buffer) continue;
      this.kept.delete(key);
      this.bytes -= entry.bytes;
    }
  }
}

/** float32 planar to an AudioBuffer. @param {ArrayBuffer} data @param {number} channels @param {number} rate */
export function toBuffer(data, channels, rate) {
  const samples = new Float32Array(data);
  const frames = Math.max(1, Math.min(BLOCK_FRAMES, samples.length / channels));
  const buffer = new AudioBuffer({ numberOfChannels: channels, length: frames, sampleRate: rate });
  for (let c = 0; c < channels; c += 1) {
    buffer.copyToChannel(samples.subarray(c * frames, (c + 1) * frames), c);
  }
  return buffer;
}

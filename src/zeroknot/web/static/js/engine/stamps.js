// @ts-check
/**
 * Which second of the audio clock is a moment of the page's clock?
 *
 * The audio clock goes by steps (a quantum, or all a device takes at once) and is read late: how far it
 * is ahead of the page's clock is at most its true lead. The largest of what was seen lately is nearest to it.
 */

const KEPT = 40; // looks, half a second of frames: where the audio clock stalled, what was before is soon forgotten
const DRIFT = 1e-4; // seconds a second that two clocks may part: an old look counts for so much less

export class Stamps {
  constructor() {
    /** Seconds of the page's clock, and how far the audio clock was ahead. @type {[number, number][]} */
    this.looks = [];
  }

  /** @param {number} audio second of the audio clock @param {number} page ms of the page's, read at once */
  look(audio, page) {
    const seconds = page / 1000;
    this.looks.push([seconds, audio - seconds]);
    if (this.looks.length > KEPT) this.looks.shift();
  }

  /** The second of the audio clock at a moment of the page's clock. @param {number} stamp ms, as events tell it */
  secondAt(stamp) {
    const seconds = stamp / 1000;
    let lead = -Infinity;
    for (const [at, ahead] of this.looks) lead = Math.max(lead, ahead - DRIFT * Math.abs(seconds - at));
    return seconds + lead;
  }
}

const LEAST_TAPS = 4;
const LOOSEST_SECONDS = 0.03; // half of the taps lie within so much of the middle one, or it tells nothing
const [EARLIEST, LATEST] = [-0.1, 0.5]; // seconds after its tick that a tap may be

/**
 * How long after a tick it is tapped, by who taps along: the way out to the ear and back in from the hand.
 * @param {number[]} taps seconds of the audio clock @param {number[]} ticks the same, rising
 * @returns {number | null} seconds; null where the taps are too few or too loose to tell
 */
export function tappedAfter(taps, ticks) {
  const after = ticks.flatMap((tick) => {
    const near = taps.map((tap) => tap - tick).filter((by) => by > EARLIEST && by < LATEST).sort((a, b) => Math.abs(a) - Math.abs(b));
    return near.length ? [near[0]] : [];
  });
  if (after.length < LEAST_TAPS) return null;
  const found = median(after);
  return median(after.map((by) => Math.abs(by - found))) > LOOSEST_SECONDS ? null : Math.max(0, found);
}

/** @param {number[]} values */
function median(values) {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}

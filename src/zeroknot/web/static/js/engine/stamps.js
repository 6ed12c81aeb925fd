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

// @ts-check
/**
 * The loom's sums: where things lie on the two rails, and what a drag would make of the knots.
 *
 * The recorded rail shows seconds [from, to], the fitted rail beats [fromBeat, toBeat].
 */

import { along } from "../engine/schedule.js";

/** @typedef {[number, number]} Knot second, beat */
/** @typedef {{from: number, to: number, fromBeat: number, toBeat: number, left: number, width: number}} View */
/** @typedef {"zero" | "end"} Which */
/** @typedef {"recorded" | "fitted"} Rail */

/** @param {View} view @param {number} second */
export const xOfSecond = (view, second) => view.left + ((second - view.from) / (view.to - view.from)) * view.width;

/** @param {View} view @param {number} x */
export const secondAt = (view, x) => view.from + ((x - view.left) / view.width) * (view.to - view.from);

/** @param {View} view @param {number} beat */
export const xOfBeat = (view, beat) => view.left + ((beat - view.fromBeat) / (view.toBeat - view.fromBeat)) * view.width;

/** @param {View} view @param {number} x */
export const beatAt = (view, x) => view.fromBeat + ((x - view.left) / view.width) * (view.toBeat - view.fromBeat);

/** @param {Knot[]} knots @param {number} second */
export const beatOfSecond = (knots, second) => along(knots, 0, 1, second);

/** @param {Knot[]} knots @param {number} beat */
export const secondOfBeat = (knots, beat) => along(knots, 1, 0, beat);

const PIXELS_A_THREAD = 6;

/** The attacks in view, or the strongest of them where there would be more threads than can be told apart. @param {import("../types.js").Attack[]} attacks rising @param {View} view */
export function threadsIn(attacks, view) {
  const room = 0.5 * (view.to - view.from);
  const seen = attacks.filter(([second]) => second >= view.from - room && second <= view.to + room);
  const most = Math.ceil((2 * view.width) / PIXELS_A_THREAD);
  return seen.length <= most ? seen : [...seen].sort((a, b) => b[1] - a[1]).slice(0, most);
}

/** The whole recording and the whole pass. @param {{seconds: number, knots: Knot[]}} hand @param {number} left @param {number} width @returns {View} */
export function wholeView(hand, left, width) {
  const zero = hand.knots[0][0];
  const end = hand.knots[hand.knots.length - 1][0];
  const room = 0.02 * hand.seconds;
  const from = Math.min(0, zero) - room;
  const to = Math.max(hand.seconds, end) + room;
  return {
    from, to, left, width,
    fromBeat: beatOfSecond(hand.knots, from), toBeat: beatOfSecond(hand.knots, to),
  };
}

/** Closer or wider around a point; both rails together. @param {View} view @param {number} x @param {number} times @param {View} whole @returns {View} */
export function zoomed(view, x, times, whole) {
  const share = (x - view.left) / view.width;
  const least = 0.0005;
  const seconds = Math.max(least, Math.min(whole.to - whole.from, (view.to - view.from) / times));
  const scale = seconds / (view.to - view.from);
  const from = clamp(view.from + share * (view.to - view.from) * (1 - scale), whole.from, whole.to - seconds);
  return between(view, from, from + seconds, whole);
}

/** Further along by pixels. @param {View} view @param {number} pixels @param {View} whole @returns {View} */
export function scrolled(view, pixels, whole) {
  const seconds = view.to - view.from;
  const by = (pixels / view.width) * seconds;
  const from = clamp(view.from + by, whole.from, whole.to - seconds);
  return between(view, from, from + seconds, whole);
}

/** @param {View} view @param {number} from @param {number} to @param {View} whole @returns {View} */
function between(view, from, to, whole) {
  /** @param {number} second */
  const beat = (second) => whole.fromBeat + ((second - whole.from) / (whole.to - whole.from)) * (whole.toBeat - whole.fromBeat);
  return { ...view, from, to, fromBeat: beat(from), toBeat: beat(to) };
}

/** @param {number} value @param {number} low @param {number} high */
const clamp = (value, low, high) => Math.max(low, Math.min(Math.max(low, high), value));

/** Which knot is under a point? @param {Knot[]} knots @param {View} view @param {number} x @param {number} y @param {{recorded: number, fitted: number}} rails y of the rails' inner edges @returns {{which: Which, rail: Rail} | null} */
export function knotAt(knots, view, x, y, rails) {
  const near = 14;
  /** @type {[Which, Knot][]} */
  const ends = [["zero", knots.find((k) => k[1] === 0) ?? knots[0]], ["end", knots[knots.length - 1]]];
  for (const [which, [second, beat]] of ends) {
    if (Math.hypot(x - xOfSecond(view, second), y - rails.recorded) < near) return { which, rail: "recorded" };
    if (Math.hypot(x - xOfBeat(view, beat), y - rails.fitted) < near) return { which, rail: "fitted" };
  }
  return null;
}

/** The nearest attack within some pixels, else the point itself. @param {number[][]} attacks @param {View} view @param {number} second @param {number} pixels */
export function snappedToAttack(attacks, view, second, pixels) {
  const reach = (pixels / view.width) * (view.to - view.from);
  let best = second;
  let nearest = reach;
  for (const [at] of attacks) {
    const off = Math.abs(at - second);
    if (off < nearest) [best, nearest] = [at, off];
  }
  return best;
}

/** @param {number} beat @param {number} step */
export const snappedToGrid = (beat, step) => Math.round(beat / step) * step;

/**
 * The knots as a drag would leave them, for drawing while it goes on.
 * @param {Knot[]} knots @param {Which} which @param {Rail} rail @param {number} to second or beat
 * @returns {Knot[]}
 */
export function dragged(knots, which, rail, to) {
  const zero = knots.find((k) => k[1] === 0) ?? knots[0];
  const end = knots[knots.length - 1];
  if (rail === "recorded") {
    return which === "zero" ? [[Math.min(to, end[0] - 0.01), 0], end] : [zero, [Math.max(to, zero[0] + 0.01), end[1]]];
  }
  if (which === "end") return knots.map(([s, b]) => [s, (b * Math.max(0.25, to)) / end[1]]);
  return [[secondOfBeat(knots, -to), 0], [secondOfBeat(knots, end[1] - to), end[1]]];
}

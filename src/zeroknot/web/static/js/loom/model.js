// @ts-check
/**
 * The loom's sums: where things lie on the two rails, and what a drag would make of the knots.
 *
 * The recorded rail shows seconds, the fitted rail beats. Knots are [second, beat, 1 of the
 * straighten layer], rising in both.
 */

import { along } from "../engine/schedule.js";

/** @typedef {[number, number, number]} Knot second, beat, and whether it is of the straighten layer */
/** @typedef {readonly (readonly [number, number, ...number[]])[]} Points rising in both columns */
/** @typedef {{from: number, to: number}} Range seconds or beats */
/** @typedef {{left: number, width: number, recorded: Range, fitted: Range}} View */
/** @typedef {"recorded" | "fitted"} Rail */
/** @typedef {{at?: number, second: number, beat?: number | null}} Place as the server's intent has it */
/** @typedef {{knots: Knot[], pace: [number, number], fastened: [number, number][]}} Laid */

/** @param {View} view @param {Range} range @param {number} value */
const xOf = (view, range, value) => view.left + ((value - range.from) / (range.to - range.from)) * view.width;

/** @param {View} view @param {Range} range @param {number} x */
const valueAt = (view, range, x) => range.from + ((x - view.left) / view.width) * (range.to - range.from);

/** @param {View} view @param {number} second */
export const xOfSecond = (view, second) => xOf(view, view.recorded, second);

/** @param {View} view @param {number} x */
export const secondAt = (view, x) => valueAt(view, view.recorded, x);

/** @param {View} view @param {number} beat */
export const xOfBeat = (view, beat) => xOf(view, view.fitted, beat);

/** @param {View} view @param {number} x */
export const beatAt = (view, x) => valueAt(view, view.fitted, x);

/** @param {Points} knots @param {number} second */
export const beatOfSecond = (knots, second) => along(knots, 0, 1, second);

/** @param {Points} knots @param {number} beat */
export const secondOfBeat = (knots, beat) => along(knots, 1, 0, beat);

/** @param {Knot[]} knots */
export const zeroOf = (knots) => knots.find((k) => k[1] === 0) ?? knots[0];

/** @param {Knot[]} knots */
export const endOf = (knots) => knots[knots.length - 1];

/** Beats a second on the whole. @param {Knot[]} knots */
const paceOf = (knots) => {
  const [zero, end] = [zeroOf(knots), endOf(knots)];
  return (end[1] - zero[1]) / (end[0] - zero[0]);
};

const PIXELS_A_THREAD = 6;

/** The first index whose entry is at or past a value. @param {ArrayLike<number>[]} rows rising in column `by` @param {number} by @param {number} value */
export function firstFrom(rows, by, value) {
  let [low, high] = [0, rows.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (rows[middle][by] < value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The attacks in view, or the strongest of them where there would be more threads than can be told apart. @param {import("../types.js").Attack[]} attacks rising @param {View} view */
export function threadsIn(attacks, view) {
  const { from, to } = view.recorded;
  const room = 0.5 * (to - from);
  const seen = attacks.slice(firstFrom(attacks, 0, from - room), firstFrom(attacks, 0, to + room));
  const most = Math.ceil((2 * view.width) / PIXELS_A_THREAD);
  return seen.length <= most ? seen : [...seen].sort((a, b) => b[1] - a[1]).slice(0, most);
}

/** The whole recording and the whole pass. @param {{seconds: number, knots: Knot[]}} hand @param {number} left @param {number} width @returns {View} */
export function wholeView(hand, left, width) {
  const [[zero, zeroBeat], [end, endBeat]] = [zeroOf(hand.knots), endOf(hand.knots)];
  const room = 0.02 * Math.max(hand.seconds, end - zero);
  const pace = (endBeat - zeroBeat) / (end - zero); // on the whole: both ends stand upright
  const from = Math.min(0, zero) - room;
  const to = Math.max(hand.seconds, end) + room;
  return {
    left, width, recorded: { from, to },
    fitted: { from: zeroBeat + (from - zero) * pace, to: zeroBeat + (to - zero) * pace },
  };
}

/** How a rail's pixel is seen: both rails move together, or one alone. @typedef {{rail: Rail, together: boolean, knots: Knot[], whole: View, closest: number}} Moving `closest` in seconds */

/** Closer or wider around a point. @param {View} view @param {number} x @param {number} times @param {Moving} moving @returns {View} */
export function zoomed(view, x, times, { rail, together, knots, whole, closest }) {
  const least = rail === "recorded" ? closest : closest * paceOf(knots);
  const range = sized(view[rail], (x - view.left) / view.width, times, whole[rail], least);
  return led({ ...view, [rail]: range }, x, { rail, together, knots, whole, closest });
}

/** Further along by pixels. @param {View} view @param {number} pixels @param {Moving} moving @returns {View} */
export function scrolled(view, pixels, moving) {
  const { rail, whole } = moving;
  const range = view[rail];
  const size = range.to - range.from;
  const from = clamp(range.from + (pixels / view.width) * size, whole[rail].from, whole[rail].to - size);
  return led({ ...view, [rail]: { from, to: from + size } }, view.left + view.width / 2, moving);
}

/** From a second to another on the recorded rail, the fitted one along. @param {View} view @param {number} from @param {number} to @param {Moving} moving */
export function showing(view, from, to, moving) {
  return led({ ...view, recorded: { from, to } }, view.left + view.width / 2, { ...moving, rail: "recorded" });
}

/** The other rail follows: what is heard at a point stands under it on both. @param {View} view @param {number} x @param {Moving} moving @returns {View} */
function led(view, x, { rail, together, knots, whole }) {
  if (!together) return view;
  const other = rail === "recorded" ? "fitted" : "recorded";
  const size = view[rail].to - view[rail].from;
  // The whole on one rail is the whole on the other.
  if (size >= 0.999999 * (whole[rail].to - whole[rail].from)) return { ...view, [other]: whole[other] };
  const share = (x - view.left) / view.width;
  const value = valueAt(view, view[rail], x);
  const at = rail === "recorded" ? beatOfSecond(knots, value) : secondOfBeat(knots, value);
  const wide = rail === "recorded" ? size * paceOf(knots) : size / paceOf(knots);
  return { ...view, [other]: { from: at - share * wide, to: at + (1 - share) * wide } };
}

/** @param {Range} range @param {number} share @param {number} times @param {Range} whole @param {number} least @returns {Range} */
function sized(range, share, times, whole, least) {
  const before = range.to - range.from;
  const size = Math.max(least, Math.min(whole.to - whole.from, before / times));
  const from = clamp(range.from + share * (before - size), whole.from, whole.to - size);
  return { from, to: from + size };
}

/** @param {number} value @param {number} low @param {number} high */
const clamp = (value, low, high) => Math.max(low, Math.min(Math.max(low, high), value));

const NEAR_PIXELS = 13;

/** Which knot is under a point? Where many are, the nearest; of the ends the end. @param {Knot[]} knots @param {View} view @param {number} x @param {number} y @param {{recorded: number, fitted: number}} rails y of the rails' inner edges @returns {{index: number, rail: Rail} | null} */
export function knotAt(knots, view, x, y, rails) {
  /** @type {{index: number, rail: Rail} | null} */
  let best = null;
  let nearest = NEAR_PIXELS;
  for (const rail of /** @type {Rail[]} */ (["recorded", "fitted"])) {
    if (Math.abs(y - rails[rail]) >= NEAR_PIXELS) continue;
    const by = rail === "recorded" ? 0 : 1;
    const [from, to] = [x - NEAR_PIXELS, x + NEAR_PIXELS].map((p) => valueAt(view, view[rail], p));
    for (let i = firstFrom(knots, by, from); i < knots.length && knots[i][by] <= to; i += 1) {
      const isEnd = knots[i][1] === 0 || i === knots.length - 1;
      const off = Math.hypot(x - xOf(view, view[rail], knots[i][by]), y - rails[rail]) - (isEnd ? 2 : 0);
      if (off < nearest) [best, nearest] = [{ index: i, rail }, off];
    }
  }
  return best;
}

/** The attack whose thread ends under a point of the fitted rail's edge, or begins on the recorded rail's. @param {import("../types.js").Attack[]} attacks @param {Knot[]} knots @param {View} view @param {number} x @param {number} y @param {{recorded: number, fitted: number}} rails @returns {{second: number, rail: Rail} | null} */
export function attackAt(attacks, knots, view, x, y, rails) {
  const rail = Math.abs(y - rails.fitted) < 8 ? "fitted" : Math.abs(y - rails.recorded) < 8 ? "recorded" : null;
  if (!rail) return null;
  const at = rail === "fitted" ? secondOfBeat(knots, beatAt(view, x)) : secondAt(view, x);
  const near = nearestTo(attacks, at);
  if (near === null) return null;
  const there = rail === "fitted" ? xOfBeat(view, beatOfSecond(knots, near)) : xOfSecond(view, near);
  return Math.abs(there - x) < 6 ? { second: near, rail } : null;
}

/** The nearest attack. @param {number[][]} attacks rising @param {number} second */
export function nearestTo(attacks, second) {
  const i = firstFrom(attacks, 0, second);
  const [a, b] = [attacks[i - 1]?.[0], attacks[i]?.[0]];
  if (a === undefined && b === undefined) return null;
  if (a === undefined) return b;
  return b === undefined || second - a <= b - second ? a : b;
}

/** The attacks before and after one: they are tied before it is moved. @param {number[][]} attacks @param {number} second */
export function neighbours(attacks, second) {
  const i = firstFrom(attacks, 0, second - 1e-6);
  return [attacks[i - 1]?.[0], attacks[i + 1]?.[0]].filter((s) => s !== undefined);
}

/** The nearest attack within some pixels, else the point itself. @param {number[][]} attacks @param {View} view @param {number} second @param {number} pixels */
export function snappedToAttack(attacks, view, second, pixels) {
  const reach = (pixels / view.width) * (view.recorded.to - view.recorded.from);
  const near = nearestTo(attacks, second);
  return near !== null && Math.abs(near - second) < reach ? near : second;
}

/** @param {number} beat @param {number} step */
export const snappedToGrid = (beat, step) => Math.round(beat / step) * step;

/**
 * How far knots may move together on a rail, and what stops them: nothing may cross, no stretch be
 * longer or shorter than 8 times.
 * @param {Laid} laid @param {Set<number>} moved indexes @param {Rail} rail
 * @returns {[number, number]} from, to: in seconds or beats
 */
export function reach({ knots, pace }, moved, rail) {
  let [from, to] = [-Infinity, Infinity];
  /** Between a knot that stays and one that moves, in time's order. @param {number} a @param {number} b */
  const between = (a, b) => {
    const [seconds, beats] = [knots[b][0] - knots[a][0], knots[b][1] - knots[a][1]];
    const [low, high] = rail === "fitted"
      ? [pace[0] * seconds - beats, pace[1] * seconds - beats]
      : [beats / pace[1] - seconds, beats / pace[0] - seconds];
    // What is on the way already may always go back.
    const isLater = moved.has(b);
    from = Math.max(from, Math.min(0, isLater ? low : -high));
    to = Math.min(to, Math.max(0, isLater ? high : -low));
  };
  for (const i of moved) {
    if (i > 0 && !moved.has(i - 1)) between(i - 1, i);
    if (i + 1 < knots.length && !moved.has(i + 1)) between(i, i + 1);
  }
  return [from, to];
}

/** Is a moment where nothing moves? @param {[number, number][]} fastened @param {number} second */
export const isFastened = (fastened, second) => fastened.some(([a, b]) => second > a - 5e-5 && second < b + 5e-5);

/**
 * The knots with some tied or moved, as the server would make them.
 * @param {Knot[]} knots @param {Place[]} places @returns {Knot[]}
 */
export function placed(knots, places) {
  const gone = new Map(knots.filter((k) => places.some((p) => p.at === k[0])).map((k) => [k[0], k[1]]));
  const stay = knots.filter((k) => !gone.has(k[0]));
  for (const { at, second, beat: given } of places) {
    const beat = given ?? gone.get(at ?? NaN);
    if (beat == null && stay.some((k) => Math.abs(k[0] - second) < 0.001)) continue;
    stay.push([second, beat ?? beatOfSecond(knots, second), 0]);
  }
  return stay.sort((a, b) => a[0] - b[0]);
}

/** The pass laid on another span. @param {Knot[]} knots @param {number} beats @returns {Knot[]} */
export const laidOn = (knots, beats) => knots.map(([s, b, of]) => /** @type {Knot} */ ([s, (b * beats) / endOf(knots)[1], of]));

/** The grid moved under the recording by some beats. @param {Knot[]} knots @param {number} by @returns {Knot[]} */
export function shifted(knots, by) {
  const span = endOf(knots)[1];
  const [zero, end] = [secondOfBeat(knots, -by), secondOfBeat(knots, span - by)];
  const inner = knots.slice(1, -1).filter((k) => k[0] > zero && k[0] < end && k[1] !== 0);
  return [[zero, 0, 0], ...inner.map(([s, b, of]) => /** @type {Knot} */ ([s, b + by, of])), [end, span, 0]];
}

// @ts-check
/** What a drag on the loom means: what a press begins, how far it goes, what the knots become, what is asked for. No page, no sound. */

import { beatAt, beatOfSecond, attackAt, endOf, isFastened, knotAt, laidOn, neighbours, placed, reach, secondAt, secondOfBeat, shifted, xOfSecond } from "./model.js";

/** @typedef {import("./model.js").Rail} Rail */
/** @typedef {import("./model.js").View} View */
/** @typedef {import("./model.js").Knot} Knot */
/** @typedef {import("./model.js").Place} Place */
/** @typedef {import("../types.js").Attack} Attack */
/** @typedef {import("../types.js").FitIntent} Intent */
/** What of the hand has a say. @typedef {Pick<import("../types.js").Hand, "knots" | "pace" | "fastened" | "beat_share" | "follows">} Cloth */
/**
 * kind: knots (moved together), hit (one attack, its neighbours tied), span (end knot below),
 * shift (zero knot below), range, edge (of the range), pan.
 * start, limits, by: seconds on the recorded rail, beats on the fitted one; view: as it was pressed on
 * @typedef {{kind: "knots" | "hit" | "span" | "shift" | "range" | "edge" | "pan", rail: Rail, start: number,
 *   moved: Set<number>, limits: [number, number], by: number, second: number, from: number, view: View}} Drag
 */
/** @typedef {{hand: Cloth, attacks: Attack[], view: View, rails: {recorded: number, fitted: number}, chosen: Set<number>, range: [number, number] | null}} Scene */
/** What a press comes to: a drag, another choice, and what is said. @typedef {{drag?: Drag, chosen?: Set<number>, says?: string}} Pressed */

const EDGE_PIXELS = 6;
const NO_STEP = 1e-9;

export const OWN_TIME = "It keeps its own time: let it follow the tempo to move it on the grid.";

/** What a press at a point begins. @param {Scene} scene @param {number} x @param {number} y @param {boolean} isMore one knot more, or fewer @returns {Pressed} */
export function pressed({ hand, attacks, view, rails, chosen, range }, x, y, isMore) {
  const { knots, fastened } = hand;
  /** @type {(given: Partial<Drag> & {kind: Drag["kind"], rail: Rail}) => Pressed} */
  const drag = (given) => ({ drag: { start: 0, moved: new Set(), limits: [-Infinity, Infinity], by: 0, second: 0, from: 0, view, ...given } });
  const knot = knotAt(knots, view, x, y, rails);
  if (knot) return pressedKnot({ hand, chosen }, knot, isMore, drag);
  const hit = attackAt(attacks, knots, view, x, y, rails);
  if (hit?.rail === "fitted" && !isFastened(fastened, hit.second)) {
    if (!hand.follows) return { says: OWN_TIME };
    return drag({ kind: "hit", rail: "fitted", second: hit.second, start: beatOfSecond(knots, hit.second), limits: hitLimits(hand, attacks, hit.second) });
  }
  const rail = y < rails.recorded ? "recorded" : y > rails.fitted ? "fitted" : null;
  if (!rail) return drag({ kind: "pan", rail: "recorded" });
  const edge = rail === "recorded" ? edgeAt(range, view, x) : -1;
  if (range && edge >= 0) return drag({ kind: "edge", rail, start: range[edge], from: range[1 - edge] });
  return drag({ kind: "range", rail, start: rail === "recorded" ? secondAt(view, x) : secondOfBeat(knots, beatAt(view, x)) });
}

/** @param {Pick<Scene, "hand" | "chosen">} scene @param {{index: number, rail: Rail}} knot @param {boolean} isMore @param {(given: Partial<Drag> & {kind: Drag["kind"], rail: Rail}) => Pressed} drag @returns {Pressed} */
function pressedKnot({ hand, chosen }, { index, rail }, isMore, drag) {
  const { knots, fastened } = hand;
  const [second, beat] = knots[index];
  if (isMore) {
    const now = new Set(chosen);
    if (!now.delete(second)) now.add(second);
    return { chosen: now };
  }
  const now = chosen.has(second) ? chosen : new Set([second]);
  if (isFastened(fastened, second)) return { chosen: now, says: "This stretch is fastened: loosen it to move what is in it." };
  if (rail === "fitted" && !hand.follows) return { chosen: now, says: OWN_TIME };
  const start = knots[index][rail === "recorded" ? 0 : 1];
  if (rail === "fitted" && beat === 0) return { chosen: now, ...drag({ kind: "shift", rail, start }) };
  if (rail === "fitted" && index === knots.length - 1) return { chosen: now, ...drag({ kind: "span", rail, start, limits: spanLimits(hand) }) };
  const moved = movable(hand, now, rail);
  return { chosen: now, ...drag({ kind: "knots", rail, start, moved, limits: reach(hand, moved, rail), second }) };
}

/** Which edge of the chosen stretch is under a point of the recorded rail; -1 for none. @param {[number, number] | null} range @param {View} view @param {number} x */
export const edgeAt = (range, view, x) => (range ?? []).findIndex((s) => Math.abs(xOfSecond(view, s) - x) < EDGE_PIXELS);

/** Indexes of the chosen knots that can move on a rail. @param {Cloth} hand @param {Set<number>} chosen seconds @param {Rail} rail @returns {Set<number>} */
export function movable({ knots, fastened }, chosen, rail) {
  const found = new Set();
  knots.forEach(([second, beat], i) => {
    if (!chosen.has(second) || isFastened(fastened, second)) return;
    if (rail === "fitted" && (beat === 0 || i === knots.length - 1)) return;
    found.add(i);
  });
  return found;
}

/** How far the end knot goes below: every stretch within its bounds. @param {Cloth} hand @returns {[number, number]} beats */
export function spanLimits({ knots, pace }) {
  let [low, high] = [0, Infinity];
  for (let i = 0; i + 1 < knots.length; i += 1) {
    const own = (knots[i + 1][1] - knots[i][1]) / (knots[i + 1][0] - knots[i][0]);
    low = Math.max(low, pace[0] / own);
    high = Math.min(high, pace[1] / own);
  }
  const span = endOf(knots)[1];
  return [span * low - span, span * high - span];
}

/** How far a hit goes between its neighbours. @param {Cloth} hand @param {Attack[]} attacks @param {number} second @returns {[number, number]} beats */
export function hitLimits(hand, attacks, second) {
  const places = [...neighbours(attacks, second).map((s) => ({ second: s })), { second }];
  const knots = placed(hand.knots, places);
  return reach({ ...hand, knots }, new Set([knots.findIndex((k) => k[0] === second)]), "fitted");
}

/** Knots moved along a rail, as the server is asked. @param {Cloth} hand @param {Set<number>} moved @param {Rail} rail @param {number} by @returns {Place[]} */
export function moves({ knots, beat_share: share }, moved, rail, by) {
  return [...moved].map((i) => {
    const [second, beat] = knots[i];
    return rail === "recorded" ? { at: second, second: second + by } : { at: second, second, beat: (beat + by) / share };
  });
}

/** What a drag asks of the knots. @param {Cloth} hand @param {Attack[]} attacks @param {Drag} drag @returns {Place[]} */
export function places(hand, attacks, drag) {
  if (drag.kind === "knots") return moves(hand, drag.moved, drag.rail, drag.by);
  if (drag.kind !== "hit") return [];
  const beside = neighbours(attacks, drag.second).map((second) => ({ second }));
  return [...beside, { second: drag.second, beat: (drag.start + drag.by) / hand.beat_share }];
}

/** The intent that a drag comes to; null where nothing moved. @param {Cloth} hand @param {Attack[]} attacks @param {Drag} drag @returns {Intent | null} */
export function intentOf(hand, attacks, drag) {
  if (Math.abs(drag.by) < NO_STEP) return null;
  if (drag.kind === "span") return { kind: "lay_on", beats: drag.start + drag.by };
  if (drag.kind === "shift") return { kind: "shift_grid", beats: drag.by };
  const knots = places(hand, attacks, drag);
  return knots.length ? { kind: "tie_knots", knots } : null;
}

/** The knots as the drag would leave them. @param {Cloth} hand @param {Attack[]} attacks @param {Drag} drag @returns {Knot[]} */
export function preview(hand, attacks, drag) {
  if (drag.kind === "span") return laidOn(hand.knots, drag.start + drag.by);
  if (drag.kind === "shift") return shifted(hand.knots, drag.by);
  const given = places(hand, attacks, drag).map((p) => ({ ...p, beat: p.beat == null ? p.beat : p.beat * hand.beat_share }));
  return given.length ? placed(hand.knots, given) : hand.knots;
}

// @ts-check
/** Lines of what moves along the song: their ranges, where they are, and what a gesture makes of them. */

/** @typedef {Required<import("api").LinePoint>} Point */
/** @typedef {{least: number, most: number, unit: string}} Range */

const LEAST_BEND = 0.01;
const APART = 1 / 64; // beats from point to point
const MOST_BEND = 8;

/** As `MOVABLE` of document/desk.py. @type {Readonly<Record<string, Range>>} */
export const MOVABLE = {
  level_db: { least: -60, most: 12, unit: "db" }, pan: { least: -1, most: 1, unit: "pan" }, muted: { least: 0, most: 1, unit: "switch" },
  room_db: { least: -60, most: 6, unit: "db" }, echo_db: { least: -60, most: 6, unit: "db" }, low_cut_hz: { least: 10, most: 2000, unit: "hz" },
  high_cut_hz: { least: 100, most: 20_000, unit: "hz" }, drive_db: { least: 0, most: 36, unit: "db" }, low_db: { least: -24, most: 24, unit: "db" },
  low_hz: { least: 30, most: 500, unit: "hz" }, bell1_db: { least: -24, most: 24, unit: "db" }, bell1_hz: { least: 40, most: 16_000, unit: "hz" },
  bell1_q: { least: 0.1, most: 18, unit: "q" }, bell2_db: { least: -24, most: 24, unit: "db" }, bell2_hz: { least: 40, most: 16_000, unit: "hz" },
  bell2_q: { least: 0.1, most: 18, unit: "q" }, high_db: { least: -24, most: 24, unit: "db" }, high_hz: { least: 1000, most: 16_000, unit: "hz" },
  threshold_db: { least: -60, most: 0, unit: "db" }, ratio: { least: 1, most: 20, unit: "ratio" }, attack_ms: { least: 0.1, most: 200, unit: "ms" },
  release_ms: { least: 5, most: 2000, unit: "ms" }, makeup_db: { least: 0, most: 24, unit: "db" },
  shift_st: { least: -24, most: 24, unit: "st" }, groove_share: { least: 0, most: 1, unit: "share" }, straight_share: { least: 0, most: 1, unit: "share" },
  slices_cut_hz: { least: 20, most: 20_000, unit: "hz" }, slices_drive_db: { least: 0, most: 36, unit: "db" },
};

/** @type {Readonly<Record<string, string>>} */
export const LINE_NAMES = {
  level_db: "level", pan: "balance", muted: "mute", room_db: "to the room", echo_db: "to the echo", low_cut_hz: "low cut", high_cut_hz: "high cut",
  drive_db: "drive", low_db: "low shelf", low_hz: "low shelf, Hz", bell1_db: "bell 3", bell1_hz: "bell 3, Hz", bell1_q: "bell 3, Q", bell2_db: "bell 4",
  bell2_hz: "bell 4, Hz", bell2_q: "bell 4, Q", high_db: "high shelf", high_hz: "high shelf, Hz", threshold_db: "threshold", ratio: "ratio",
  attack_ms: "attack", release_ms: "release", makeup_db: "make-up",
  shift_st: "passes: shift", groove_share: "passes: groove", straight_share: "passes: straightened", slices_cut_hz: "slices: high cut", slices_drive_db: "slices: drive",
};

/** Of what is no control of the track: where it is without a line. @type {Readonly<Record<string, number>>} */
export const RESTING = { shift_st: 0, groove_share: 1, straight_share: 1, slices_cut_hz: 20_000, slices_drive_db: 0 };

const BY_OCTAVES = ["hz", "q", "ms", "ratio"]; // drawn so

/** @param {Range} range */
export const isByOctaves = ({ unit }) => BY_OCTAVES.includes(unit);

/** How high a value stands, 0 to 1. @param {Range} range @param {number} value */
export function heightOf({ least, most, unit }, value) {
  const share = BY_OCTAVES.includes(unit) ? Math.log(value / least) / Math.log(most / least) : (value - least) / (most - least);
  return Math.max(0, Math.min(1, share));
}

/** @param {Range} range @param {number} height */
export function valueAtHeight({ least, most, unit }, height) {
  const share = Math.max(0, Math.min(1, height));
  if (unit === "switch") return share >= 0.5 ? 1 : 0;
  if (unit === "st") return Math.round(least + share * (most - least));
  const value = BY_OCTAVES.includes(unit) ? least * (most / least) ** share : least + share * (most - least);
  return Math.round(value * 100) / 100;
}

/** How far along a bent way is. @param {number} share @param {number} bend */
const moved = (share, bend) => (Math.abs(bend) < LEAST_BEND ? share : Math.expm1(bend * share) / Math.expm1(bend));

/** @param {Point} a @param {Point} b @param {number} share @param {boolean} inOctaves */
export function between(a, b, share, inOctaves) {
  if (a.shape === "step") return a.value;
  const way = moved(share, a.bend);
  return inOctaves ? a.value * (b.value / a.value) ** way : a.value + (b.value - a.value) * way;
}

/** Where a line is. @param {readonly Point[]} points @param {number} beat @param {boolean} inOctaves */
export function valueOn(points, beat, inOctaves) {
  const after = points.findIndex((p) => p.beat > beat);
  if (after === 0) return points[0].value;
  if (after < 0) return points[points.length - 1].value;
  const [a, b] = [points[after - 1], points[after]];
  return between(a, b, (beat - a.beat) / (b.beat - a.beat), inOctaves);
}

/** With one more, or another in its place. @param {readonly Point[]} points @param {Point} point @returns {{points: Point[], at: number}} */
export function withPoint(points, point) {
  const rest = points.filter((p) => Math.abs(p.beat - point.beat) >= APART / 2);
  const at = rest.filter((p) => p.beat < point.beat).length;
  return { points: [...rest.slice(0, at), point, ...rest.slice(at)], at };
}

/** One of them elsewhere; it does not pass its neighbours. @param {readonly Point[]} points @param {number} at @param {number} beat @param {number} value */
export function withMoved(points, at, beat, value) {
  const least = at > 0 ? points[at - 1].beat + APART : 0;
  const most = at + 1 < points.length ? points[at + 1].beat - APART : Infinity;
  return points.map((p, i) => (i === at ? { ...p, beat: Math.max(least, Math.min(most, beat)), value } : p));
}

/** How the way from one of them to the next is bent. @param {readonly Point[]} points @param {number} at @param {number} bend */
export const withBend = (points, at, bend) => points.map((p, i) => (i === at ? { ...p, bend: Math.max(-MOST_BEND, Math.min(MOST_BEND, bend)) } : p));

/** Straight on from there, or held. @param {readonly Point[]} points @param {number} at */
export const withShape = (points, at) => points.map((p, i) => (i === at ? { ...p, shape: p.shape === "step" ? /** @type {const} */ ("line") : /** @type {const} */ ("step") } : p));

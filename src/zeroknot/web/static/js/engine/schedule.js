// @ts-check
/** Which parts of which renders sound when? Sums only; nothing here makes a sound. */

/** @typedef {import("../types.js").SheetEvent} SheetEvent */

export const BLOCK_FRAMES = 16384;

/** The one rounding, as in the core. @param {number} x */
export const frame = (x) => Math.floor(x + 0.5);

/**
 * The shape of an event, or its fades, between two of its frames, as corners of a line: [frame, value].
 * @param {SheetEvent} event @param {number} from @param {number} to
 * @returns {[number, number][]}
 */
export function envelope(event, from, to) {
  const line = event.shape?.length ? event.shape : fades(event);
  const inside = line.filter(([x]) => x > from && x < to);
  return [[from, levelOn(line, from)], ...inside, [to, levelOn(line, to)]];
}

/** @param {SheetEvent} event @returns {[number, number][]} */
function fades({ frames, fade_in: rise, fade_out: fall }) {
  /** @type {[number, number][]} */
  const corners = rise ? [[0, 0], [rise, 1]] : [[0, 1]];
  return fall ? [...corners, [frames - fall, 1], [frames, 0]] : corners;
}

/** Where a line of corners is at a frame; level outside. @param {readonly [number, number][]} line @param {number} x */
function levelOn(line, x) {
  const after = line.findIndex(([at]) => at > x);
  if (after === 0) return line[0][1];
  if (after < 0) return line[line.length - 1][1];
  const [[a, low], [b, high]] = [line[after - 1], line[after]];
  return low + ((high - low) * (x - a)) / (b - a);
}

/**
 * Look a value up between the rows of a table, straight lines between them, going on outside.
 * @param {readonly ArrayLike<number>[]} rows rising in column `by` @param {number} by @param {number} to
 * @param {number} x
 */
export function along(rows, by, to, x) {
  let low = 0;
  let high = rows.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (rows[middle][by] <= x) low = middle;
    else high = middle;
  }
  const a = rows[low];
  const b = rows[high];
  return a[to] + ((x - a[by]) * (b[to] - a[to])) / (b[by] - a[by]);
}

/** Blocks an event needs between two song frames. @param {SheetEvent} event @param {number} from @param {number} to */
export function blocksBetween(event, from, to) {
  const a = Math.max(from, event.at);
  const b = Math.min(to, event.at + event.frames);
  if (b <= a) return [];
  const first = Math.floor((event.start + a - event.at) / BLOCK_FRAMES);
  const last = Math.floor((event.start + b - 1 - event.at) / BLOCK_FRAMES);
  return Array.from({ length: last - first + 1 }, (_, i) => first + i);
}

// @ts-check
/** Which parts of which renders sound when? Sums only; nothing here makes a sound. */

/** @typedef {import("../types.js").SheetEvent} SheetEvent */

export const BLOCK_FRAMES = 16384;

/** The one rounding, as in the core. @param {number} x */
export const frame = (x) => Math.floor(x + 0.5);

/**
 * The fades of an event between two of its frames, as corners of a line: [frame, value].
 * @param {SheetEvent} event @param {number} from @param {number} to
 * @returns {[number, number][]}
 */
export function envelope(event, from, to) {
  /** @param {number} x */
  const value = (x) => {
    const rise = event.fade_in ? Math.min(1, Math.max(0, x / event.fade_in)) : 1;
    const fall = event.fade_out ? Math.min(1, Math.max(0, (event.frames - x) / event.fade_out)) : 1;
    return rise * fall;
  };
  const corners = [event.fade_in, event.frames - event.fade_out].filter((x) => x > from && x < to);
  return [from, ...corners, to].map((x) => [x, value(x)]);
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

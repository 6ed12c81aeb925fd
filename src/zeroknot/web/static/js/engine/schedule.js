// @ts-check
/** Which parts of which renders sound when? Sums only; nothing here makes a sound. */

/** @typedef {import("../types.js").SheetEvent} SheetEvent */

export const BLOCK_FRAMES = 16384;

/** The one rounding, as in the core. @param {number} x */
export const frame = (x) => Math.floor(x + 0.5);

/**
 * A stretch of one block: sounds at `at`, from `offset` inside block `index`, for `frames`.
 * `from` is its first frame inside the event.
 * @typedef {{event: SheetEvent, index: number, at: number, offset: number, frames: number,
 *   from: number}} Part
 */

/**
 * The parts of an event inside the half-open window [from, to) of song frames.
 *
 * A part belongs to the window it begins in. With `join`, parts that began before the window are
 * given, too, from the window's start on.
 * @param {SheetEvent} event @param {number} from @param {number} to @param {boolean} join
 * @returns {Part[]}
 */
export function partsIn(event, from, to, join) {
  /** @type {Part[]} */
  const parts = [];
  const end = event.at + event.frames;
  if (end <= from || event.at >= to) return parts;
  let inside = 0;
  while (inside < event.frames) {
    const axis = event.start + inside;
    const index = Math.floor(axis / BLOCK_FRAMES);
    const frames = Math.min(event.frames - inside, (index + 1) * BLOCK_FRAMES - axis);
    const at = event.at + inside;
    if (at >= to) break;
    const skip = Math.max(0, from - at);
    if (skip === 0 || (join && skip < frames)) {
      parts.push({
        event, index, at: at + skip, offset: axis + skip - index * BLOCK_FRAMES,
        frames: frames - skip, from: inside + skip,
      });
    }
    inside += frames;
  }
  return parts;
}

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
 * @param {ArrayLike<number>[]} rows rising in column `by` @param {number} by @param {number} to
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

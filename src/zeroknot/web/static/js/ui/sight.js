// @ts-check
/** Which beats a picture shows, and where. Pure. */

/** @typedef {{left: number, width: number, from: number, to: number}} Sight beats in sight, and the pixels they take */

const LEAST_BEATS = 0.5; // in sight

/** @param {Sight} view @param {number} beat */
export const xOf = (view, beat) => view.left + ((beat - view.from) / (view.to - view.from)) * view.width;

/** @param {Sight} view @param {number} x */
export const beatOf = (view, x) => view.from + ((x - view.left) / view.width) * (view.to - view.from);

/** Beats in sight after a zoom around one of them. @param {Sight} view @param {number} span @param {number} times @param {number} around beat @returns {[number, number]} */
export function zoomed(view, span, times, around) {
  const size = Math.min(span, Math.max(LEAST_BEATS, (view.to - view.from) / times));
  const share = (around - view.from) / (view.to - view.from);
  return within(around - share * size, size, span);
}

/** Beats in sight further on. @param {Sight} view @param {number} span @param {number} by beats @returns {[number, number]} */
export const scrolled = (view, span, by) => within(view.from + by, view.to - view.from, span);

/** @param {number} from @param {number} size @param {number} span @returns {[number, number]} */
function within(from, size, span) {
  const begin = Math.max(0, Math.min(span - size, from));
  return [begin, begin + size];
}

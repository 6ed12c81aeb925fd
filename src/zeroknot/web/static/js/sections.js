// @ts-check
/**
 * A view is made of sections, each a file: values and methods of one part of its panel. Joined they
 * are one object, and `this` is the whole of it.
 */

/**
 * A section: `whole` is only named, so that what it may ask of the others is checked.
 * @template {object} Whole @template {object} Own
 * @param {Whole | null} whole @param {Own & ThisType<Own & Whole>} own @returns {Own}
 */
export const section = (whole, own) => own;

/**
 * Sections as one object, getters and all (spreading would read them once).
 * @template {object} A @template {object} B @template {object} C @template {object} D
 * @param {A} a @param {B} b @param {C} c @param {D} d @returns {A & B & C & D}
 */
export function joined(a, b, c, d) {
  const all = [a, b, c, d].map((part) => Object.getOwnPropertyDescriptors(part));
  return Object.defineProperties(/** @type {any} */ ({}), Object.assign({}, ...all));
}

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
 * All that several types have.
 * @template Union
 * @typedef {(Union extends any ? (part: Union) => void : never) extends (part: infer All) => void ? All : never} All
 */

/**
 * Sections as one object, getters and all (spreading would read them once). Two that call something alike are a
 * mistake: the later would hide the earlier's.
 * @template {object[]} Parts
 * @param {Parts} parts @returns {All<Parts[number]>}
 */
export function joined(...parts) {
  const whole = /** @type {any} */ ({});
  for (const part of parts) {
    for (const name of Object.keys(part)) if (Object.hasOwn(whole, name)) throw new Error(`two sections have a “${name}”`);
    Object.defineProperties(whole, Object.getOwnPropertyDescriptors(part));
  }
  return whole;
}

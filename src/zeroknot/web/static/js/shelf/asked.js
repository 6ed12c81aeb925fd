// @ts-check
/** What is asked of the shelf, and the choices that are offered. Sums only. */

/** @typedef {import("../types.js").Facets} Facets */
/** @typedef {{key: string, value: any, count: number, on: string}} Chip */

export const NOTHING = Object.freeze({
  words: "", kinds: [], sounds: [], bars: [], keys: [], sets: [], tags: [], hits: "all",
  tempo_from: null, tempo_to: null, favourite: false, printed: false, taken_off: false,
  stretch_within: null, shift_within: null, like: "", like_by: null, beat: null, sort: "added", descending: false,
});
const ORDER = ["sort", "descending"];
export const SETS_SHOWN = 12;
const ALL_SETS_SHOWN = 60;
const TAGS_SHOWN = 16;
const SORTED_BY = {
  name: "Name", set: "Set", sound: "Sound", length: "Length", tempo: "Tempo", key: "Key", kind: "Kind", change: "At", favourite: "♥",
};

/** What differs from asking for nothing, without the order where `bare`. @param {Record<string, any>} asked @param {boolean} bare */
export function asksFor(asked, bare) {
  const plain = /** @type {Record<string, any>} */ (NOTHING);
  return Object.keys(plain).some((name) => !(bare && ORDER.includes(name))
    && JSON.stringify(asked[name]) !== JSON.stringify(plain[name]));
}

/** Another order: by that column, the other way round, newest first again. @param {Record<string, any>} asked @param {string} sort */
export function sorted(asked, sort) {
  const same = asked.sort === sort;
  if (same && asked.descending) return { ...asked, sort: asked.like_by ? "near" : "added", descending: false };
  return { ...asked, sort, descending: same };
}

/** Headings, the one that is sorted by with an arrow. @param {Record<string, any>} asked */
export function headings(asked) {
  return Object.fromEntries(Object.entries(SORTED_BY).map(
    ([key, name]) => [key, asked.sort === key ? `${name} ${asked.descending ? "↓" : "↑"}` : name],
  ));
}

/**
 * The choices of every facet; what is chosen stays, though nothing is left of it.
 * @param {Facets} facets @param {Record<string, any>} asked @param {boolean} allSets
 * @returns {Record<string, Chip[]>}
 */
export function choices(facets, asked, allSets) {
  /** @param {string} name @param {{value: any, count: number}[]} values @param {number} most @returns {Chip[]} */
  const chips = (name, values, most = 99) => {
    const on = /** @type {any[]} */ (asked[name]);
    const kept = on.filter((v) => !values.some((f) => f.value === v)).map((value) => ({ value, count: 0 }));
    return [...kept, ...values].slice(0, most).map((f) => ({
      key: String(f.value), value: f.value, count: f.count, on: String(on.includes(f.value)),
    }));
  };
  const bars = facets.bars.map((f) => ({ value: Number(f.value), count: f.count }));
  const sets = facets.sets.filter((f) => f.count > 1 || asked.sets.includes(f.value));
  return {
    kinds: chips("kinds", facets.kinds),
    sounds: chips("sounds", facets.sounds),
    bars: chips("bars", bars.sort((a, b) => a.value - b.value), 12),
    keys: chips("keys", facets.keys, 24),
    tags: chips("tags", facets.tags, TAGS_SHOWN),
    sets: chips("sets", sets, allSets ? ALL_SETS_SHOWN : SETS_SHOWN),
    hits: [
      { key: "loops", value: "loops", count: facets.hits.loops, on: String(asked.hits === "loops") },
      { key: "hits", value: "one hits", count: facets.hits.hits, on: String(asked.hits === "hits") },
    ],
    own: [
      { key: "favourite", value: "favourites", count: facets.favourite, on: String(asked.favourite) },
      { key: "printed", value: "printed here", count: facets.printed, on: String(asked.printed) },
      { key: "taken_off", value: "taken off", count: facets.taken_off, on: String(asked.taken_off) },
    ],
  };
}

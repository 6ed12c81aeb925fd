// @ts-check
/**
 * What a page has, and what the server says is other since: put together. Pure; what did not change
 * stays the same object.
 */

/** @typedef {import("../types.js").ProjectState} ProjectState */
/** @typedef {import("../types.js").StateChange} StateChange */
/** @typedef {import("../types.js").Sheet} Sheet */
/** @typedef {import("../types.js").SheetChange} SheetChange */

/** @param {ProjectState} state @param {ProjectState | StateChange} said @returns {ProjectState | null} null where it is of a state that is not here */
export function stateWith(state, said) {
  if (!("since" in said)) return said;
  if (said.since !== state.token) return null;
  const { since, grooves, tracks, strands, clips, ...head } = said;
  return { ...head, grooves: grooves ?? state.grooves, tracks: partsWith(state.tracks, tracks), strands: partsWith(state.strands, strands), clips: partsWith(state.clips, clips) };
}

/** @param {Sheet | null} sheet @param {Sheet | SheetChange} said @returns {Sheet | null} null where it is of a sheet that is not here */
export function sheetWith(sheet, said) {
  if (!("since" in said)) return said;
  if (!sheet || said.since !== sheet.token) return null;
  const { since, desk, events, hand_events, coil: coiled, pulses, shapes, ...head } = said;
  const dropped = new Set([...events.gone, ...events.set.map((e) => e.id)]);
  const laid = [...sheet.events.filter((e) => !dropped.has(e.id)), ...events.set];
  laid.sort((a, b) => a.at - b.at || (a.id < b.id ? -1 : 1));
  const hand = hand_events ?? sheet.hand_events;
  const coil = coiled ?? sheet.coil;
  const known = { ...sheet.shapes, ...shapes };
  /** @type {Sheet["shapes"]} */
  const used = {};
  for (const { digest } of [...laid, ...hand, ...coil.flatMap((loop) => loop.events)]) used[digest] = known[digest];
  return { ...head, desk: desk ?? sheet.desk, events: laid, hand_events: hand, coil, pulses: pulses ?? sheet.pulses, shapes: used };
}

/**
 * @template {{id: string}} T
 * @param {T[]} parts @param {{set: T[], gone: string[], order: string[] | null}} change
 */
function partsWith(parts, { set, gone, order }) {
  if (!set.length && !gone.length && !order) return parts;
  const kept = new Map(parts.map((part) => [part.id, part]));
  for (const id of gone) kept.delete(id);
  for (const part of set) kept.set(part.id, part);
  return order ? order.map((id) => /** @type {T} */ (kept.get(id))) : [...kept.values()];
}

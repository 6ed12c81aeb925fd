// @ts-check
/**
 * The cycle, and what happens at the song's end. Kept per project on this machine: it is how one
 * listens, not what was made.
 */

import { barLine } from "./metre.js";

/** @typedef {{from: number, to: number, on: boolean}} Cycle in beats */

/** @param {import("./session.js").Session} session @returns {Cycle} */
export function cycleOf(session) {
  const text = localStorage.getItem(`zeroknot.cycle.${session.state.id}`);
  return text ? JSON.parse(text) : { from: 0, to: 0, on: false };
}

/** @param {import("./session.js").Session} session @param {Cycle} cycle */
export function setCycle(session, cycle) {
  localStorage.setItem(`zeroknot.cycle.${session.state.id}`, JSON.stringify(cycle));
  session.engine_?.song.setCycle(cycle.on ? cycle : null);
  session.changed();
}

/** "Cycle bars 1–8" @param {import("./session.js").Session} session @param {Cycle} cycle */
export function cycleText(session, cycle) {
  const { metres } = session.state;
  const first = barLine(metres, cycle.from).bar;
  const last = Math.max(first, barLine(metres, cycle.to - 1e-4).bar);
  return first === last ? `Cycle bar ${first}` : `Cycle bars ${first}–${last}`;
}

/** Does the song begin again at its end? @param {import("./session.js").Session} session */
export const beginsAgain = (session) => localStorage.getItem(`zeroknot.again.${session.state.id}`) === "yes";

/** @param {import("./session.js").Session} session @param {boolean} again */
export function setBeginsAgain(session, again) {
  localStorage.setItem(`zeroknot.again.${session.state.id}`, again ? "yes" : "no");
  if (session.engine_) session.engine_.song.beginsAgain = again;
  session.changed();
}

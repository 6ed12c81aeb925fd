// @ts-check
/**
 * The Groove view's sums: where beats and steps are drawn, which is meant, what is said of a hit.
 * Pure; where hits go is told by the server.
 */

import { round } from "../format.js";
import { beatOf, xOf } from "../ui/sight.js";

/** @typedef {import("../types.js").Groove} Groove */
/** @typedef {import("../types.js").GroovedHit} Hit */
/** @typedef {import("../types.js").HandGroove} HandGroove */
/** @typedef {import("../ui/sight.js").Sight} View */
/** @typedef {{number: number, even: number, at: number, accent: number, spread: number, hits: number}} Step beats; accent in dB; number in its groove */

export const MOST_ACCENT = 12; // dB
export const REGISTERS = ["low", "middle", "high"];
const NEAR_PIXELS = 9;
const MOST_OFFSET = 0.45; // of a step, drawn by hand

/** Milliseconds of a share of a step. @param {number} share @param {number} perBeat @param {number} bpm */
export const msOf = (share, perBeat, bpm) => (share / perBeat) * (60_000 / bpm);

/** The steps of a register, or those of all where it has none of its own. @param {Groove} groove @param {string} row */
export const stepsOf = (groove, row) => groove.rows[row] ?? groove.steps;

/** A groove's steps over and over, as far as they are in sight. @param {Groove} groove @param {string} row @param {number} from @param {number} to @returns {Step[]} */
export function stepsBetween(groove, row, from, to) {
  const steps = stepsOf(groove, row);
  /** @type {Step[]} */
  const found = [];
  const first = Math.floor(from * groove.per_beat) - 1;
  for (let i = Math.max(0, first); i <= to * groove.per_beat + 1; i += 1) {
    const number = i % steps.length;
    const own = steps[number][3] ? steps[number] : groove.steps[number];
    const [offset, accent, spread, hits] = own;
    found.push({ number, even: i / groove.per_beat, at: (i + offset) / groove.per_beat, accent, spread: spread / groove.per_beat, hits });
  }
  return found.filter((step) => step.at < to + 1e-9 || step.even < to);
}

/** The step under a pointer; null where none is near. @param {Step[]} steps @param {View} view @param {number} x */
export function nearestStep(steps, view, x) {
  const beat = beatOf(view, x);
  const near = steps.filter((s) => s.hits).sort((a, b) => Math.abs(a.at - beat) - Math.abs(b.at - beat))[0];
  return near && Math.abs(xOf(view, near.at) - x) <= NEAR_PIXELS ? near : null;
}

/** The hit under a pointer, on the rail before or after; null where none is near. @param {Hit[]} hits @param {View} view @param {number} x @param {"before" | "after"} rail */
export function nearestHit(hits, view, x, rail) {
  const beat = beatOf(view, x);
  const near = [...hits].sort((a, b) => Math.abs(a[rail] - beat) - Math.abs(b[rail] - beat))[0];
  return near && Math.abs(xOf(view, near[rail]) - x) <= NEAR_PIXELS ? near : null;
}

/** An offset that a hand may draw. @param {number} share of a step */
export const drawable = (share) => Math.max(-MOST_OFFSET, Math.min(MOST_OFFSET, round(share, 4)));

/** @param {number} db */
export const drawableAccent = (db) => Math.max(-MOST_ACCENT, Math.min(MOST_ACCENT, round(db, 1)));

/** "+24 ms" @param {number} ms */
export const msText = (ms) => `${ms > 0 ? "+" : ms < 0 ? "−" : ""}${Math.abs(ms) < 9.95 ? Math.abs(ms).toFixed(1) : Math.abs(ms).toFixed(0)} ms`;

/** @param {number} db */
export const dbText = (db) => `${db > 0 ? "+" : db < 0 ? "−" : ""}${Math.abs(db).toFixed(1)} dB`;

/** What is done, in one sentence. @param {HandGroove} groove */
export function sentence(groove) {
  const { laid, before_ms: before, after_ms: after, farthest } = groove;
  if (!groove.hits.length) return "No hits were heard in it that a groove could move.";
  if (!laid?.groove) return laid?.follows ? "The song has no groove here: give it one, or lay one over this alone."
    : "No groove is laid over it. Choose one at the right, lay even steps, or take one from another loop.";
  if (before === null || after === null) return "No hit lies near enough to a step of this groove.";
  const parts = [`Before: ${before.toFixed(1)} ms from the groove on average.`, `After: ${after.toFixed(1)}.`];
  if (farthest) parts.push(`Farthest move ${Math.abs(farthest.ms).toFixed(0)} ms, at ${farthest.place}.`);
  return parts.join(" ");
}

/** What stands beside it: hits of no step, and those that could not go all the way. @param {HandGroove} groove */
export function leftText(groove) {
  if (!groove.laid?.groove) return "";
  const parts = [];
  if (groove.left_out) parts.push(`${count(groove.left_out, "hit belongs", "hits belong")} to no step and ${groove.left_out === 1 ? "goes" : "go"} along with ${groove.left_out === 1 ? "its" : "their"} neighbours.`);
  if (groove.held) parts.push(`${count(groove.held, "hit was", "hits were")} to go farther and ${groove.held === 1 ? "is" : "are"} held by a neighbour.`);
  return parts.join(" ");
}

/** @param {number} n @param {string} one @param {string} many */
const count = (n, one, many) => `${n} ${n === 1 ? one : many}`;

/** What is said of one hit. @param {Hit} hit @param {string} place */
export function hitText(hit, place) {
  const parts = [`${place}, ${REGISTERS[hit.register]}`];
  if (hit.leans) parts.push("leans on its neighbour");
  if (hit.off_before_ms === null) parts.push("of no step");
  else parts.push(`${msText(hit.off_before_ms)} from the groove`);
  if (hit.moved_ms) parts.push(`moved ${msText(hit.moved_ms)}${hit.noticed ? ", heard" : ", not heard"}${hit.held ? ", held by a neighbour" : ""}`);
  if (hit.gain_db) parts.push(dbText(hit.gain_db));
  return parts.join(" · ");
}

/** "16ths · swing 59 % · 2 bars" @param {Groove} groove @param {number} beatsPerBar */
export function aboutText(groove, beatsPerBar) {
  const length = round(groove.beats / beatsPerBar, 2);
  const parts = [groove.grid];
  if (groove.swing_percent) parts.push(`swing ${groove.swing_percent.toFixed(0)} %`);
  if (length >= 1) parts.push(`${length} bar${length === 1 ? "" : "s"}`);
  if (groove.origin && groove.origin !== groove.grid) parts.push(groove.origin);
  return parts.join(" · ");
}

// @ts-check
/** How a clip comes and goes, and its gain line: where its handles are and what a gesture makes of them. Sums only. */

import { valueOn, withMoved, withPoint } from "./line-model.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("./line-model.js").Point} Point */
/** @typedef {"fadeIn" | "fadeOut"} Fade */
/** Where a clip stands on the screen. @typedef {{left: number, right: number, top: number, bottom: number}} Box */

const HANDLE = 9; // pixels around a handle
const HANDLED = 48; // pixels of a clip that has handles
const REACH = 8;
const [MOST_DB, LEAST_DB, SILENT_DB] = [12, -36, -60]; // drawn, and what is below is silence
const [NAMED, NAME_HEIGHT, FOOT] = [40, 17, 6]; // as `draw.js` draws a clip
const LONGEST_MS = 10_000;

/** Pixels of a fade. @param {number} ms @param {number} bpm @param {number} perBeat */
export const pixelsOf = (ms, bpm, perBeat) => (ms * bpm * perBeat) / 60_000;

/** Which fade is held there, if one is. @param {Box} box @param {number} x @param {number} y @param {{in: number, out: number}} fades pixels @returns {Fade | null} */
export function fadeAt(box, x, y, fades) {
  if (box.right - box.left < HANDLED || y - box.top > HANDLE) return null;
  const [begins, ends] = [box.left + fades.in, box.right - fades.out];
  if (x >= begins - (fades.in ? HANDLE : 0) && x <= begins + HANDLE) return "fadeIn";
  return x >= ends - HANDLE && x <= ends + (fades.out ? HANDLE : 0) ? "fadeOut" : null;
}

/** A fade dragged so far. @param {number} ms @param {number} dx pixels into the clip @param {number} bpm @param {number} perBeat @param {number} beats of the clip */
export function fadedBy(ms, dx, bpm, perBeat, beats) {
  const most = Math.min(LONGEST_MS, (beats * 60_000) / bpm);
  return Math.round(Math.max(0, Math.min(most, ms + (dx * 60_000) / (bpm * perBeat))));
}

/** Where its sound is drawn. @param {number} height of a clip @returns {{top: number, height: number}} */
export function bodyOf(height) {
  const top = height < NAMED ? 2 : NAME_HEIGHT;
  return { top, height: Math.max(1, height - top - FOOT) };
}

/** @param {number} db @param {number} height pixels */
export const yOfDb = (db, height) => ((MOST_DB - Math.max(LEAST_DB, Math.min(MOST_DB, db))) / (MOST_DB - LEAST_DB)) * height;

/** @param {number} y @param {number} height */
export function dbAtY(y, height) {
  const db = MOST_DB - Math.max(0, Math.min(1, y / height)) * (MOST_DB - LEAST_DB);
  return db <= LEAST_DB ? SILENT_DB : Math.round(db * 2) / 2;
}

/** Which of its points is held there; −1 for none. @param {Clip} clip @param {Box} box @param {number} x @param {number} y @param {number} perBeat */
export function pointAt(clip, box, x, y, perBeat) {
  const body = bodyOf(box.bottom - box.top);
  return clip.gain_line.findIndex((p) => Math.hypot(
    box.left + (Number(p.beat) - clip.slip) * perBeat - x, box.top + body.top + yOfDb(p.value, body.height) - y,
  ) < REACH);
}

/** @param {Clip} clip @returns {Point[]} */
export const gainOf = (clip) => /** @type {Point[]} */ (clip.gain_line);

/** Its line with a point more where it is pressed; without the one that is there. @param {Clip} clip @param {Box} box @param {number} x @param {number} y @param {number} perBeat */
export function withPressed(clip, box, x, y, perBeat) {
  const at = pointAt(clip, box, x, y, perBeat);
  const points = gainOf(clip);
  if (at >= 0) return points.filter((_, i) => i !== at);
  const body = bodyOf(box.bottom - box.top);
  const beat = clip.slip + Math.max(0, Math.min(clip.beats, (x - box.left) / perBeat));
  return withPoint(points, { beat, value: dbAtY(y - box.top - body.top, body.height), shape: "line", bend: 0 }).points;
}

/** Its line with a level at a beat of the song. @param {Clip} clip @param {number} beat @param {number} db */
export const withLevelAt = (clip, beat, db) => withPoint(gainOf(clip), { beat: clip.slip + beat - clip.beat, value: db, shape: "line", bend: 0 }).points;

/** Its line with a point dragged. @param {Clip} clip @param {number} at @param {number} dx pixels @param {number} dy @param {number} height of the clip @param {number} perBeat */
export function withDragged(clip, at, dx, dy, height, perBeat) {
  const body = bodyOf(height);
  const point = gainOf(clip)[at];
  return withMoved(gainOf(clip), at, point.beat + dx / perBeat, dbAtY(yOfDb(point.value, body.height) + dy, body.height));
}

/** dB that its line adds at a beat of it; 0 where it has none. @param {Clip} clip @param {number} beat from its left edge */
export const dbAt = (clip, beat) => (clip.gain_line.length ? valueOn(gainOf(clip), clip.slip + beat, false) : 0);

/** Share of a fade, 0 to 1. @param {number} x of it, 0 to 1 @param {"gain" | "power"} curve */
export const faded = (x, curve) => (curve === "power" ? Math.sin((Math.PI / 2) * x) : x);

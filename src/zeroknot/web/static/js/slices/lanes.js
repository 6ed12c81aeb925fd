// @ts-check
/** Lanes: where notes are drawn, which is meant, what is said of them. Pure; what becomes of them is told by the server. */

import { round } from "../format.js";
import { beatOf, xOf } from "../ui/sight.js";

/** @typedef {import("../types.js").HandLanes} HandLanes */
/** @typedef {import("../types.js").HandLanes["notes"][number]} LaneNote */
/** @typedef {import("../ui/sight.js").Sight} Sight */
/** @typedef {{pitches: number[], top: number, height: number, foot: number, end: number}} Lanes pitches from the top lane down; y of the first lane, height of one; the velocities from foot to end */

const NAMES = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];
/** General MIDI percussion key map, 35 to 81: the names that are shown beside a lane. */
const DRUMS = /** @type {Record<number, string>} */ ({
  35: "bass drum 2", 36: "bass drum", 37: "side stick", 38: "snare", 39: "clap", 40: "snare 2", 41: "low tom", 42: "closed hat", 43: "low tom 2", 44: "pedal hat",
  45: "mid tom", 46: "open hat", 47: "mid tom 2", 48: "high tom", 49: "crash", 50: "high tom 2", 51: "ride", 52: "china", 53: "ride bell", 54: "tambourine",
  55: "splash", 56: "cowbell", 57: "crash 2", 59: "ride 2", 60: "high bongo", 61: "low bongo", 62: "muted conga", 63: "open conga", 64: "low conga",
  69: "cabasa", 70: "maracas", 75: "claves", 76: "high block", 77: "low block", 80: "muted triangle", 81: "triangle",
});
const RULER = 20;
const VELOCITY_ROOM = 70;
const EDGE_PIXELS = 6;
const MARGIN = 2; // lanes over the highest and under the lowest note
const LEAST_LANES = 12;

/** The lanes that a box has room for: from above the highest note to below the lowest. @param {number[]} used pitches @param {number} height @param {number} shift lanes further up @returns {Lanes} */
export function lanesOf(used, height, shift = 0) {
  let [low, high] = used.length ? [Math.min(...used) - MARGIN, Math.max(...used) + MARGIN] : [48, 72];
  while (high - low + 1 < LEAST_LANES) {
    high += 1;
    low -= 1;
  }
  [low, high] = [low + shift, high + shift];
  if (high > 127) [low, high] = [low - (high - 127), 127];
  if (low < 0) [low, high] = [0, Math.min(127, high - low)];
  const room = Math.max(120, height - RULER - VELOCITY_ROOM - 26);
  const pitches = Array.from({ length: high - low + 1 }, (_, i) => high - i);
  const lane = room / pitches.length;
  return { pitches, top: RULER, height: lane, foot: RULER + room + 10, end: RULER + room + 10 + VELOCITY_ROOM };
}

/** What a lane is called. @param {number} pitch @param {boolean} isDrums */
export function laneName(pitch, isDrums) {
  if (isDrums && DRUMS[pitch]) return DRUMS[pitch];
  return `${NAMES[pitch % 12]}${Math.floor(pitch / 12) - 1}`;
}

/** Is it a black key of a keyboard? @param {number} pitch */
export const isBlack = (pitch) => [1, 3, 6, 8, 10].includes(pitch % 12);

/** Where a note is drawn. @param {Sight} sight @param {Lanes} lanes @param {LaneNote} note */
export function noteBox(sight, lanes, note) {
  const [a, b] = [xOf(sight, note.beat), xOf(sight, note.beat + note.beats)];
  const y = lanes.top + (lanes.pitches[0] - note.pitch) * lanes.height;
  return { x: a, y: y + 1, width: Math.max(3, b - a - 1), height: Math.max(2, lanes.height - 2) };
}

/** The pitch at a height; null beside the lanes. @param {Lanes} lanes @param {number} y */
export function pitchAt(lanes, y) {
  const at = Math.floor((y - lanes.top) / lanes.height);
  return lanes.pitches[at] ?? null;
}

/** The note that a pointer means, the last drawn first, and whether it holds its end; −1 for none. @param {HandLanes} notes @param {Sight} sight @param {Lanes} lanes @param {number} x @param {number} y */
export function noteAt(notes, sight, lanes, x, y) {
  for (let i = notes.notes.length - 1; i >= 0; i -= 1) {
    const box = noteBox(sight, lanes, notes.notes[i]);
    if (x < box.x - 1 || x > box.x + box.width + 2 || y < box.y - 1 || y > box.y + box.height + 1) continue;
    return { index: i, isEnd: box.width > 2 * EDGE_PIXELS && x > box.x + box.width - EDGE_PIXELS };
  }
  return { index: -1, isEnd: false };
}

/** Notes that begin between two beats and lie between two pitches, as indices. @param {LaneNote[]} notes @param {[number, number]} beats @param {[number, number]} pitches */
export function notesIn(notes, beats, pitches) {
  const [from, to] = [Math.min(...beats), Math.max(...beats)];
  const [low, high] = [Math.min(...pitches), Math.max(...pitches)];
  return notes.flatMap((n, i) => (n.beat < to && n.beat + n.beats > from && n.pitch >= low && n.pitch <= high ? [i] : []));
}

/** A velocity at a height of the foot. @param {Lanes} lanes @param {number} y */
export const velocityAt = (lanes, y) => Math.max(1, Math.min(127, Math.round(127 * (1 - (y - lanes.foot) / (lanes.end - lanes.foot)))));

/** The line of a grid that begins before a beat. @param {Sight} sight @param {number} x @param {number} step */
export const lineBefore = (sight, x, step) => Math.max(0, Math.floor(beatOf(sight, x) / step + 1e-6) * step);

/** @param {HandLanes} lanes @param {number[]} which */
export function notesText(lanes, which) {
  if (!which.length) return `${lanes.notes.length} note${lanes.notes.length === 1 ? "" : "s"}${lanes.is_own ? ", changed by hand" : ""}`;
  if (which.length > 1) return `${which.length} notes chosen`;
  const note = lanes.notes[which[0]];
  return `${laneName(note.pitch, lanes.drums.includes(note.part))}, velocity ${note.velocity}, ${Number(note.beats.toFixed(3))} beats`;
}

/** A note as a change leaves it, as far as that is told beforehand; the server says what becomes of it. @param {LaneNote} note @param {Record<string, unknown>} intent @returns {LaneNote} */
export function changedNote(note, intent) {
  if (intent.kind === "move_notes" && !intent.copies) return { ...note, beat: Math.max(0, note.beat + Number(intent.by)), pitch: note.pitch + Number(intent.semitones) };
  if (intent.kind === "treat_notes" && intent.how === "lengthen") return { ...note, beats: Math.max(0.01, note.beats + Number(intent.beats)) };
  return note;
}

/** Notes in the order that the server numbers them in. @template {{note: LaneNote}} T @param {T[]} notes */
export const laid = (notes) => [...notes].sort(({ note: a }, { note: b }) => round(a.beat, 6) - round(b.beat, 6) || a.pitch - b.pitch || a.beats - b.beats);

// @ts-check
/** What Arrange shows and what a drag in it means. Sums only. */

import { bars, round } from "../format.js";
import { barLine, barsBetween, beatOfBar, metreAt, onGrid } from "../metre.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("../types.js").Strand} Strand */
/** @typedef {import("../types.js").ProjectState} ProjectState */
/** @typedef {"move" | "begin" | "end"} Mode which part of a clip is held */
/** @typedef {{beat: number, beats: number, slip: number, track: string}} Place */

const EDGE_PIXELS = 9;
const LEAST_EDGED = 24; // pixels: a shorter clip is only moved
export const LEAST_BEATS = 1 / 64;
const UNSNAPPED = 64; // parts of a beat, with Alt
const BARS_SHOWN = 16;
const BARS_BEYOND = 4;

/** How many beats the lanes show. @param {ProjectState} state */
export const beatsShown = (state) => beatOfBar(state.metres, Math.max(BARS_SHOWN, state.last_bar + BARS_BEYOND) + 1);

/** Which part of a clip is under the pointer. @param {{left: number, right: number}} box @param {number} x @returns {Mode} */
export function modeAt(box, x) {
  if (box.right - box.left <= LEAST_EDGED) return "move";
  if (box.right - x < EDGE_PIXELS) return "end";
  return x - box.left < EDGE_PIXELS ? "begin" : "move";
}

/**
 * Where a clip is when it, or an edge of it, has been dragged by so many beats.
 * @param {Clip} clip @param {Mode} mode @param {number} by beats @param {string} track the one under the pointer
 * @param {ProjectState} state @param {boolean} isFree not on the grid @param {number} [step] beats of the grid: Infinity for bars, 0 for none, pulses where none is given
 * @returns {Place}
 */
export function dragged(clip, mode, by, track, state, isFree, step) {
  /** @param {number} beat */
  const settled = (beat) => (isFree || step === 0 ? Math.round(beat * UNSNAPPED) / UNSNAPPED : onGrid(state.metres, beat, step && gridStep(state, beat, step)));
  const { beat, beats, slip } = clip;
  const end = beat + beats;
  if (mode === "end") {
    return { beat, beats: Math.max(LEAST_BEATS, settled(end + by) - beat), slip, track: clip.track };
  }
  if (mode === "begin") {
    // What it plays stays where it is: the frame is moved over the content, which may begin earlier.
    const to = Math.min(end - LEAST_BEATS, Math.max(0, settled(Math.max(0, beat + by))));
    const slipped = slip + to - beat;
    const pass = clip.pass_beats;
    return { beat: to, beats: end - to, slip: ((slipped % pass) + pass) % pass, track: clip.track };
  }
  return { beat: Math.max(0, settled(Math.max(0, beat + by))), beats, slip, track };
}

/** Beats from line to line of the grid at a beat. @param {ProjectState} state @param {number} beat @param {number} [step] as of `dragged` */
export function gridStep(state, beat, step) {
  const metre = metreAt(state.metres, beat);
  if (step === Infinity) return metre.beats_per_bar;
  return step || metre.beats_per_pulse;
}

/** The intent that makes a clip lie like that; null where it lies so already. @param {Clip} clip @param {Place} place @param {Mode} mode @param {boolean} isCopy @param {boolean} [carries] lines go along @returns {import("../types.js").Intent | null} */
export function intentOf(clip, place, mode, isCopy, carries = false) {
  const { beat, beats, slip, track } = place;
  if (mode === "move") {
    if (isCopy) return { kind: "copy_clips", clips: [clip.id], beat, track };
    const isSame = beat === clip.beat && track === clip.track;
    return isSame ? null : { kind: carries ? "carry_clips" : "move_clips", moves: [{ clip: clip.id, beat, track }] };
  }
  if (beats === clip.beats && beat === clip.beat) return null;
  if (mode === "begin") return { kind: "change_clip", clip: clip.id, beat, slip, length: beats };
  const passes = beats / clip.pass_beats;
  const isWhole = clip.slip === 0 && Math.abs(passes - Math.round(passes)) < 1e-6 && passes >= 1;
  return { kind: "change_clip", clip: clip.id, ...(isWhole ? { passes: Math.round(passes) } : { length: beats }) };
}

/**
 * The intent that moves a clip, and those that are chosen with it as far.
 * @param {Clip} clip @param {Place} place @param {Map<string, Place>} along @param {boolean} isCopy @param {boolean} [carries] lines go along @returns {import("../types.js").Intent}
 */
export function manyMoved(clip, place, along, isCopy, carries = false) {
  if (isCopy && along.size) return { kind: "copy_clips", clips: [clip.id, ...along.keys()], beat: Math.min(place.beat, ...[...along.values()].map((p) => p.beat)), track: null };
  const moves = [[clip.id, place], ...along].map(([id, at]) => ({ clip: /** @type {string} */ (id), beat: /** @type {Place} */ (at).beat, track: /** @type {Place} */ (at).track }));
  return { kind: carries ? "carry_clips" : "move_clips", moves };
}

/** What a drag says under the pointer. @param {Place} place @param {Mode} mode @param {ProjectState} state */
export function placeSaid(place, mode, state) {
  const { metres } = state;
  const { bar, beat: line } = barLine(metres, place.beat);
  const inside = round(place.beat - line + 1, 2);
  const long = bars(round(barsBetween(metres, place.beat, place.beat + place.beats), 2));
  return mode === "move" ? `bar ${bar}, beat ${inside}` : `bar ${bar}, beat ${inside}, ${long}`;
}

/** Passes until the next clip on its track, or to the song's end. @param {Clip} clip @param {readonly Clip[]} clips @param {number} songEnd beats */
export function passesTo(clip, clips, songEnd) {
  const later = clips.filter((c) => c.track === clip.track && c.beat > clip.beat + 1e-9).map((c) => c.beat);
  const end = later.length ? Math.min(...later) : songEnd;
  return Math.max(1, Math.floor((end - clip.beat) / clip.pass_beats + 1e-6));
}

/** How a screen reader reads a clip. @param {Clip} clip @param {Strand | undefined} strand @param {ProjectState} state */
export function clipLabel(clip, strand, state) {
  const long = bars(round(barsBetween(state.metres, clip.beat, clip.beat + clip.beats), 2));
  const phrase = state.phrases.find((p) => p.id === clip.phrase);
  const said = [
    clip.name ?? strand?.name ?? "", `${long} from ${clip.place}`, strand?.follows === false ? "in its own time" : "",
    clip.trouble ? `silent: ${clip.trouble}` : "", clip.muted ? "muted" : "", clip.reverse ? "backwards" : "", phrase ? `of the phrase ${phrase.name}` : "", `${clip.duration_ratio.toFixed(2)} times as long`, clip.strain_words ?? "",
  ];
  return said.filter(Boolean).join(", ");
}

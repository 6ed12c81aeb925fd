// @ts-check
/** Arrange's strokes: bar lines, clips with what they play, what sounds outside their frames, strain. */

import { secondOfBeat } from "../loom/model.js";
import { barLine, beatOfBar, pulsesBetween } from "../metre.js";
import { strainColour } from "../ui/colours.js";
import { extremes, loudest } from "../ui/waves.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("../types.js").Strand} Strand */
/** @typedef {import("../ui/waves.js").Peaks} Peaks */
/** @typedef {import("../ui/frames.js").Palette} Palette */
/** @typedef {{id: string, top: number, height: number}} Lane in CSS pixels of the scrolled field */
/**
 * What is drawn. shown: clips as they lie now, those that are dragged where they are dragged to.
 * @typedef {{state: import("../types.js").ProjectState, perBeat: number, head: number, scrollX: number, scrollY: number,
 *   lanes: Lane[], shown: Clip[], chosen: Set<string>, peaks: Map<string, Peaks>, strands: Map<string, Strand>}} Scene
 */

const NAME_HEIGHT = 17; // pixels of a clip above its waveform
const EDGE = 5; // between a lane and its clips
const STRAIN = 3;
const LEAST_HEADED = 40; // pixels of a clip that has its name above its waveform
const LEAST_FADE = 3; // pixels: what is shorter keeps an edge from clicking and is not drawn
const LEAST_NAMED = 30; // pixels from bar number to bar number
const MONO = "11px 'Spline Sans Mono Variable', monospace";

/** @param {CanvasRenderingContext2D} c @param {{width: number, height: number, colours: Palette}} sheet @param {Scene} scene */
export function drawArrange(c, { width, height, colours }, scene) {
  c.save();
  c.beginPath();
  c.rect(scene.head, 0, width - scene.head, height);
  c.clip();
  drawGrid(c, width, height, colours, scene);
  c.beginPath();
  c.rect(scene.head, 24, width - scene.head, height);
  c.clip();
  for (const clip of scene.shown) drawClip(c, width, colours, scene, clip);
  c.restore();
}

/** @param {CanvasRenderingContext2D} c @param {number} width @param {number} height @param {Palette} colours @param {Scene} scene */
function drawGrid(c, width, height, colours, { state, perBeat, head, scrollX }) {
  const { metres } = state;
  const [from, to] = [Math.max(0, scrollX / perBeat), (scrollX + width) / perBeat];
  const named = new Set(pulsesBetween(metres, from, to, perBeat, LEAST_NAMED).filter((p) => p.number === 1 && !p.part).map((p) => p.bar));
  const last = barLine(metres, to).bar + 1;
  c.font = MONO;
  for (let bar = barLine(metres, from).bar; bar <= last; bar += 1) {
    const x = Math.round(head + beatOfBar(metres, bar) * perBeat - scrollX) + 0.5;
    const isNamed = named.has(bar);
    const change = bar > 1 && metres.find((m) => m.bar === bar);
    c.strokeStyle = colours.line;
    c.globalAlpha = isNamed ? 1 : 0.5;
    c.beginPath();
    c.moveTo(x, isNamed ? 8 : 22);
    c.lineTo(x, height);
    c.stroke();
    c.globalAlpha = 1;
    c.fillStyle = colours.quiet;
    if (isNamed) c.fillText(`${bar}${change ? ` ${change.metre}` : ""}`, x + 4, 17);
  }
}

/** @param {CanvasRenderingContext2D} c @param {number} width @param {Palette} colours @param {Scene} scene @param {Clip} clip */
function drawClip(c, width, colours, scene, clip) {
  const { perBeat, head: side, scrollX, scrollY, lanes, strands, peaks } = scene;
  const lane = lanes.find((l) => l.id === clip.track);
  const strand = strands.get(clip.strand);
  if (!lane || !strand) return;
  /** @param {number} beat of the clip's own, 0 at its left edge */
  const xOf = (beat) => side + (clip.beat + beat) * perBeat - scrollX;
  const before = clip.slip === 0 ? strand.lead_beats : 0;
  const after = clip.is_whole ? strand.tail_beats : 0;
  if (xOf(clip.beats + after) < side || xOf(-before) > width) return;
  const [x, y] = [xOf(0), lane.top + EDGE - scrollY];
  const [w, h] = [Math.max(8, clip.beats * perBeat - 2), lane.height - 2 * EDGE];
  const yarn = colours.yarn(strand.yarn);
  const isQuiet = clip.muted || clip.trouble ? 0.4 : 1;
  c.globalAlpha = isQuiet;
  c.fillStyle = colours.panel;
  roundRect(c, x, y, w, h);
  c.fill();
  c.globalAlpha = isQuiet * (scene.chosen.has(clip.id) ? 0.26 : 0.14);
  c.fillStyle = yarn;
  roundRect(c, x, y, w, h);
  c.fill();
  c.globalAlpha = isQuiet * (scene.chosen.has(clip.id) ? 1 : 0.45);
  c.strokeStyle = scene.chosen.has(clip.id) ? colours.ink : yarn;
  roundRect(c, x + 0.5, y + 0.5, w - 1, h - 1);
  c.stroke();
  const wave = peaks.get(strand.loop);
  const head = h < LEAST_HEADED ? 2 : NAME_HEIGHT; // folded there is no name
  const box = { y: y + head, height: h - head - STRAIN - 3 };
  if (wave && box.height > 4) {
    const draw = (/** @type {number} */ from, /** @type {number} */ to, /** @type {number} */ alpha) => {
      c.globalAlpha = isQuiet * alpha;
      drawPlayed(c, wave, strand, clip, { ...box, left: Math.max(side, xOf(from)), right: Math.min(width, xOf(to)) }, x, perBeat, yarn);
    };
    draw(0, clip.beats, 1);
    // What sounds outside the frame: the pickup before it, what rings after it.
    if (before) draw(-before, 0, 0.4);
    if (after) draw(clip.beats, clip.beats + after, 0.4);
  }
  drawFades(c, scene, clip, { x, y, w, h }, colours, isQuiet);
  drawSeams(c, clip, xOf, y, h, colours, isQuiet);
  if (clip.trouble) crossOut(c, x, y, w, h, colours);
  if (clip.strain_level !== null) {
    c.globalAlpha = isQuiet * 0.85;
    c.fillStyle = strainColour(colours, clip.strain_level);
    const long = Math.max(2, (w - 8) * Math.min(1, clip.strain ?? 0));
    c.fillRect(x + 4, y + h - STRAIN - 1, long, STRAIN - 1);
  }
  c.globalAlpha = 1;
}

/**
 * How it comes and goes: what a fade takes away is covered.
 * @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Clip} clip @param {{x: number, y: number, w: number, h: number}} box @param {Palette} colours @param {number} isQuiet
 */
function drawFades(c, scene, clip, { x, y, w, h }, colours, isQuiet) {
  const perMs = (scene.state.bpm / 60_000) * scene.perBeat;
  for (const [ms, edge, way] of [[clip.fade_in_ms, x, 1], [clip.fade_out_ms, x + w, -1]]) {
    const long = Math.min(w, ms * perMs);
    if (long < LEAST_FADE) continue;
    c.globalAlpha = isQuiet * 0.6;
    c.fillStyle = colours.panel;
    c.beginPath();
    c.moveTo(edge, y);
    c.lineTo(edge + way * long, y);
    c.lineTo(edge, y + h);
    c.fill();
    c.globalAlpha = isQuiet;
    c.strokeStyle = colours.ink;
    c.beginPath();
    c.moveTo(edge, y + h);
    c.lineTo(edge + way * long, y);
    c.stroke();
  }
}

/**
 * The waveform between two x: what a clip plays there, pass after pass, before its first and after its last.
 * @param {CanvasRenderingContext2D} c @param {Peaks} wave @param {Strand} strand @param {Clip} clip
 * @param {{y: number, height: number, left: number, right: number}} box @param {number} x of the clip's left edge
 * @param {number} perBeat @param {string} colour
 */
function drawPlayed(c, wave, strand, clip, box, x, perBeat, colour) {
  const rate = ((wave.values.length / 2) * wave.bin) / strand.seconds;
  const scale = loudest(wave);
  const pass = clip.pass_beats;
  const passes = Math.max(1, Math.ceil((clip.slip + clip.beats) / pass - 1e-6));
  /** @param {number} at x */
  const frameAt = (at) => {
    const played = clip.slip + (at - x) / perBeat;
    const inside = played < 0 ? played : played - Math.min(passes - 1, Math.floor(played / pass)) * pass;
    return secondOfBeat(strand.shape, (inside / pass) * strand.span) * rate;
  };
  const [middle, half] = [box.y + box.height / 2, box.height / 2 / scale];
  c.fillStyle = colour;
  c.beginPath();
  for (let at = Math.floor(box.left); at < box.right; at += 1) {
    const [from, to] = [frameAt(at), frameAt(at + 1)];
    const [low, high] = extremes(wave, Math.min(from, to), Math.max(from, to));
    const top = middle - high * half;
    c.rect(at, top - 0.4, 1, Math.max(0.8, middle - low * half - top));
  }
  c.fill();
}

/** Threads where one pass meets the next. @param {CanvasRenderingContext2D} c @param {Clip} clip @param {(beat: number) => number} xOf @param {number} y @param {number} h @param {Palette} colours @param {number} isQuiet */
function drawSeams(c, clip, xOf, y, h, colours, isQuiet) {
  const pass = clip.pass_beats;
  if (pass * (xOf(1) - xOf(0)) < 3) return;
  c.strokeStyle = colours.ink;
  c.globalAlpha = 0.5 * isQuiet;
  c.setLineDash([2, 3]);
  c.beginPath();
  for (let b = pass - (clip.slip % pass); b < clip.beats - 1e-6; b += pass) {
    c.moveTo(xOf(b), y);
    c.lineTo(xOf(b), y + h);
  }
  c.stroke();
  c.setLineDash([]);
}

/** @param {CanvasRenderingContext2D} c @param {number} x @param {number} y @param {number} w @param {number} h */
function roundRect(c, x, y, w, h) {
  c.beginPath();
  c.roundRect(x, y, Math.max(1, w), h, Math.min(8, w / 2));
}

/** A clip that cannot be heard: struck through. @param {CanvasRenderingContext2D} c @param {number} x @param {number} y @param {number} w @param {number} h @param {Palette} colours */
function crossOut(c, x, y, w, h, colours) {
  c.globalAlpha = 1;
  c.strokeStyle = colours.madder;
  c.setLineDash([5, 4]);
  c.beginPath();
  c.moveTo(x + 4, y + h / 2);
  c.lineTo(x + w - 4, y + h / 2);
  c.stroke();
  c.setLineDash([]);
}

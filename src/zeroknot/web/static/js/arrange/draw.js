// @ts-check
/** Arrange's strokes: bar lines, clips with what they play, what sounds outside their frames, strain. */

import { secondOfBeat } from "../loom/model.js";
import { barLine, beatOfBar, bpmAt, pulsesBetween } from "../metre.js";
import { dbAt, faded, pixelsOf, yOfDb } from "./shape-model.js";
import { strainColour } from "../ui/colours.js";
import { extremes, loudest } from "../ui/waves.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("../types.js").Strand} Strand */
/** @typedef {import("../ui/waves.js").Peaks} Peaks */
/** @typedef {import("../ui/frames.js").Palette} Palette */
/** @typedef {import("./rings.js").Rings} Rings */
/** @typedef {import("../ui/scrolled.js").Region} Region */
/** @typedef {{id: string, top: number, height: number}} Lane in CSS pixels of the scrolled field */
/**
 * What is drawn. isRough: in few strokes, as it will be another in a moment; shown: clips as they lie now, those that are dragged where they are dragged to.
 * @typedef {{state: import("../types.js").ProjectState, perBeat: number, head: number, scrollX: number, scrollY: number,
 *   lanes: Lane[], shown: Clip[], chosen: Set<string>, peaks: Map<string, Peaks>, strands: Map<string, Strand>,
 *   phrases: Map<string, import("../types.js").ProjectState["phrases"][number]>, showsGain: boolean, rings: Rings, isRough: boolean}} Scene
 */

const NAME_HEIGHT = 17; // pixels of a clip above its waveform
const EDGE = 5; // between a lane and its clips
const STRAIN = 3;
const LEAST_HEADED = 40; // pixels of a clip that has its name above its waveform
const MEETS = 1e-6;
export const RULER = 24; // pixels along the upper edge
const OVER = 8; // by which handles and points stand out of a clip
const CURVE_PARTS = 16;
const LEAST_HANDLED = 48; // pixels of a clip that has handles
const LEAST_NAMED_CLIP = 30; // pixels of a clip that has a ring and a name
const ROUGH_STEP = 4; // pixels of a waveform that is drawn in few strokes
const RING_GROUND = "#FFFCF5"; // in both palettes: rings are dyed for a light ground
const RING_AT = 11;
const NAME_FONT = "11px 'Spline Sans Variable', sans-serif";
const LEAST_FADE = 3; // pixels: what is shorter keeps an edge from clicking and is not drawn
const LEAST_NAMED = 30; // pixels from bar number to bar number
const MONO = "11px 'Spline Sans Mono Variable', monospace";

/** Bars and clips as far as they lie in a region. @param {CanvasRenderingContext2D} c @param {{width: number, height: number, colours: Palette}} sheet @param {Scene} scene @param {Region} region */
export function drawArrange(c, { height, colours }, scene, region) {
  for (const { x, isNamed } of barLines(scene, region.left, region.right)) {
    c.strokeStyle = colours.line;
    c.globalAlpha = isNamed ? 1 : 0.5;
    c.beginPath();
    c.moveTo(x, RULER);
    c.lineTo(x, height);
    c.stroke();
  }
  const firsts = firstOfPhrases(scene.shown);
  const [top, bottom] = [region.top + scene.scrollY, region.bottom + scene.scrollY];
  const rows = new Map(scene.lanes.filter((l) => l.top + l.height > top && l.top < bottom).map((l) => [l.id, l]));
  for (const clip of scene.shown) {
    const lane = rows.get(clip.track);
    if (lane) drawClip(c, region, colours, scene, clip, lane, firsts);
  }
}

/** Numbers of bars along the upper edge. @param {CanvasRenderingContext2D} c @param {{width: number, colours: Palette}} sheet @param {Scene} scene */
export function drawRuler(c, { width, colours }, scene) {
  c.save();
  c.beginPath();
  c.rect(scene.head, 0, width - scene.head, RULER);
  c.clip();
  c.font = MONO;
  for (const { x, isNamed, bar } of barLines(scene, scene.head, width)) {
    const change = bar > 1 && scene.state.metres.find((m) => m.bar === bar);
    c.strokeStyle = colours.line;
    c.globalAlpha = isNamed ? 1 : 0.5;
    c.beginPath();
    c.moveTo(x, isNamed ? 8 : 22);
    c.lineTo(x, RULER);
    c.stroke();
    c.globalAlpha = 1;
    c.fillStyle = colours.quiet;
    if (isNamed) c.fillText(`${bar}${change ? ` ${change.metre}` : ""}`, x + 4, 17);
  }
  c.restore();
}

/** Lines of bars between two x, and which of them have a number. @param {Scene} scene @param {number} left @param {number} right */
function barLines({ state, perBeat, head, scrollX }, left, right) {
  const { metres } = state;
  const beatAt = (/** @type {number} */ x) => Math.max(0, (x - head + scrollX) / perBeat);
  // A number may begin before what is to be seen: the bar before is looked at, too.
  const [from, to] = [beatAt(left - LEAST_NAMED), beatAt(right)];
  const named = new Set(pulsesBetween(metres, 0, to, perBeat, LEAST_NAMED).filter((p) => p.number === 1 && !p.part).map((p) => p.bar));
  const last = barLine(metres, to).bar + 1;
  const found = [];
  for (let bar = barLine(metres, from).bar; bar <= last; bar += 1) {
    found.push({ bar, x: Math.round(head + beatOfBar(metres, bar) * perBeat - scrollX) + 0.5, isNamed: named.has(bar) });
  }
  return found;
}

/** The clip that a phrase is named on. @param {readonly Clip[]} clips */
function firstOfPhrases(clips) {
  /** @type {Map<string, Clip>} */
  const found = new Map();
  for (const clip of clips) if (clip.phrase && clip.beat < (found.get(clip.phrase)?.beat ?? Infinity)) found.set(clip.phrase, clip);
  return found;
}

/** @param {CanvasRenderingContext2D} c @param {Region} region @param {Palette} colours @param {Scene} scene @param {Clip} clip @param {Lane} lane @param {Map<string, Clip>} firsts */
function drawClip(c, region, colours, scene, clip, lane, firsts) {
  const { perBeat, head: side, scrollX, scrollY, strands, peaks } = scene;
  const strand = strands.get(clip.strand);
  if (!strand) return;
  /** @param {number} beat of the clip's own, 0 at its left edge */
  const xOf = (beat) => side + (clip.beat + beat) * perBeat - scrollX;
  // Backwards, what rang past its end comes before it.
  const [leads, rings] = clip.reverse ? [strand.tail_beats, strand.lead_beats] : [strand.lead_beats, strand.tail_beats];
  const before = clip.slip === 0 ? leads : 0;
  const after = clip.is_whole ? rings : 0;
  if (xOf(clip.beats + after) < region.left - OVER || xOf(-before) > region.right + OVER) return;
  const [x, y] = [xOf(0), lane.top + EDGE - scrollY];
  const [w, h] = [Math.max(8, clip.beats * perBeat - 2), lane.height - 2 * EDGE];
  const yarn = colours.yarn(clip.yarn ?? strand.yarn);
  const isQuiet = clip.muted || clip.trouble ? 0.4 : 1;
  c.globalAlpha = isQuiet;
  c.fillStyle = `color-mix(in srgb, ${yarn} ${scene.chosen.has(clip.id) ? 26 : 14}%, ${colours.panel})`;
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
      drawPlayed(c, wave, strand, clip, { ...box, left: Math.max(region.left - 1, xOf(from)), right: Math.min(region.right + 1, xOf(to)) }, x, perBeat, yarn, scene.isRough ? ROUGH_STEP : 1);
    };
    draw(0, clip.beats, 1);
    // What sounds outside the frame: the pickup before it, what rings after it.
    if (before) draw(-before, 0, 0.4);
    if (after) draw(clip.beats, clip.beats + after, 0.4);
  }
  drawFades(c, scene, clip, { x, y, w, h }, colours, isQuiet);
  if (clip.gain_line.length || (scene.showsGain && scene.chosen.has(clip.id))) drawGain(c, scene, clip, { x, y: box.y, w, h: box.height }, colours, isQuiet);
  const phrase = clip.phrase && scene.phrases.get(clip.phrase);
  if (phrase) drawPhrase(c, phrase, firsts.get(phrase.id)?.id === clip.id, { x, y, w, h }, colours);
  if (!scene.isRough) drawSeams(c, clip, xOf, y, h, colours, isQuiet);
  if (h >= LEAST_HEADED && w > LEAST_NAMED_CLIP && !scene.isRough) drawName(c, clip, strand, scene.rings, { x, y, w }, colours, isQuiet);
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
 * How it comes and goes: what a fade takes away is covered, along its curve.
 * @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Clip} clip @param {{x: number, y: number, w: number, h: number}} box @param {Palette} colours @param {number} isQuiet
 */
function drawFades(c, scene, clip, { x, y, w, h }, colours, isQuiet) {
  const line = scene.state.tempo_line;
  const pixels = (/** @type {number} */ ms, /** @type {number} */ beat) => Math.min(w, pixelsOf(ms, bpmAt(line, beat), scene.perBeat));
  const crossed = clip.cross_ms ? scene.shown.find((other) => other.track === clip.track && Math.abs(other.beat + other.beats - clip.beat) < MEETS) : null;
  const fades = /** @type {const} */ ([
    [crossed ? 0 : pixels(clip.fade_in_ms, clip.beat), x, 1, clip.fade_in_curve],
    [pixels(clip.fade_out_ms, clip.beat + clip.beats), x + w, -1, clip.fade_out_curve],
  ]);
  for (const [long, edge, way, curve] of fades) {
    if (scene.chosen.has(clip.id) && w >= LEAST_HANDLED) handle(c, edge + way * Math.max(long, 5), y + 5, colours);
    if (long < LEAST_FADE) continue;
    const curved = () => {
      for (let i = CURVE_PARTS; i >= 0; i -= 1) c.lineTo(edge + way * long * (i / CURVE_PARTS), y + h * (1 - faded(i / CURVE_PARTS, curve)));
    };
    c.globalAlpha = isQuiet * 0.6;
    c.fillStyle = colours.panel;
    c.beginPath();
    c.moveTo(edge, y);
    curved();
    c.fill();
    c.globalAlpha = isQuiet;
    c.strokeStyle = colours.ink;
    c.beginPath();
    curved();
    c.stroke();
  }
  if (crossed) drawCross(c, clip, x, y, h, pixels(clip.cross_ms, clip.beat) / 2, colours, isQuiet);
}

/** One goes down as the other comes up, over the border. @param {CanvasRenderingContext2D} c @param {Clip} clip @param {number} x @param {number} y @param {number} h @param {number} half pixels @param {Palette} colours @param {number} isQuiet */
function drawCross(c, clip, x, y, h, half, colours, isQuiet) {
  const wide = Math.max(half, LEAST_FADE);
  c.globalAlpha = isQuiet * 0.55;
  c.fillStyle = colours.panel;
  c.fillRect(x - wide, y + 1, 2 * wide, h - 2);
  c.globalAlpha = isQuiet;
  c.strokeStyle = colours.indigo;
  for (const way of [1, -1]) {
    c.beginPath();
    for (let i = 0; i <= CURVE_PARTS; i += 1) c.lineTo(x + way * wide * ((2 * i) / CURVE_PARTS - 1), y + h * (1 - faded(i / CURVE_PARTS, clip.cross_curve)));
    c.stroke();
  }
}

/** Where a fade is held. @param {CanvasRenderingContext2D} c @param {number} x @param {number} y @param {Palette} colours */
function handle(c, x, y, colours) {
  c.globalAlpha = 1;
  c.fillStyle = colours.panel;
  c.strokeStyle = colours.ink;
  c.beginPath();
  c.arc(x, y, 3.5, 0, 2 * Math.PI);
  c.fill();
  c.stroke();
}

/** Its gain line. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Clip} clip @param {{x: number, y: number, w: number, h: number}} box @param {Palette} colours @param {number} isQuiet */
function drawGain(c, scene, clip, { x, y, w, h }, colours, isQuiet) {
  c.globalAlpha = isQuiet;
  c.strokeStyle = clip.gain_line.length ? colours.ink : colours.quiet;
  c.setLineDash(clip.gain_line.length ? [] : [4, 4]);
  c.lineWidth = 1.4;
  c.beginPath();
  const parts = clip.gain_line.length ? Math.max(1, Math.min(256, Math.ceil(w / 3))) : 1;
  for (let i = 0; i <= parts; i += 1) c.lineTo(x + (w * i) / parts, y + yOfDb(dbAt(clip, (clip.beats * i) / parts), h));
  c.stroke();
  c.setLineDash([]);
  c.lineWidth = 1;
  if (!scene.showsGain) return;
  c.fillStyle = colours.panel;
  for (const point of clip.gain_line) {
    const at = x + (Number(point.beat) - clip.slip) * scene.perBeat;
    if (at < x - 1 || at > x + w + 2) continue;
    c.beginPath();
    c.rect(at - 3.5, y + yOfDb(point.value, h) - 3.5, 7, 7);
    c.fill();
    c.stroke();
  }
}

/** What it belongs to: a band on its upper edge, named on the first of its clips. @param {CanvasRenderingContext2D} c @param {{id: string, name: string, yarn: number}} phrase @param {boolean} isNamed @param {{x: number, y: number, w: number, h: number}} box @param {Palette} colours */
function drawPhrase(c, phrase, isNamed, { x, y, w, h }, colours) {
  c.globalAlpha = 1;
  c.fillStyle = colours.yarn(phrase.yarn);
  c.fillRect(x + 2, y - 4, Math.max(2, w - 4), 3);
  if (!isNamed || w < 30) return;
  c.font = "600 10px 'Spline Sans Variable', sans-serif";
  const wide = Math.min(w - 4, c.measureText(phrase.name).width + 8);
  c.globalAlpha = 0.9;
  c.fillStyle = colours.panel;
  c.fillRect(x + 2, y + h - 14, wide, 13);
  c.globalAlpha = 1;
  c.fillStyle = colours.yarn(phrase.yarn);
  c.fillText(phrase.name, x + 6, y + h - 4, Math.max(1, wide - 6));
}

/**
 * The waveform between two x: what a clip plays there, pass after pass, before its first and after its last.
 * @param {CanvasRenderingContext2D} c @param {Peaks} wave @param {Strand} strand @param {Clip} clip
 * @param {{y: number, height: number, left: number, right: number}} box @param {number} x of the clip's left edge
 * @param {number} perBeat @param {string} colour @param {number} step pixels
 */
function drawPlayed(c, wave, strand, clip, box, x, perBeat, colour, step) {
  const rate = ((wave.values.length / 2) * wave.bin) / strand.seconds;
  const scale = loudest(wave);
  const pass = clip.pass_beats;
  const passes = Math.max(1, Math.ceil((clip.slip + clip.beats) / pass - 1e-6));
  /** @param {number} at x */
  const frameAt = (at) => {
    const played = clip.slip + (at - x) / perBeat;
    const inside = played < 0 ? played : played - Math.min(passes - 1, Math.floor(played / pass)) * pass;
    if (clip.reverse) return secondOfBeat(strand.shape, strand.span - (inside / pass) * strand.span) * rate;
    return secondOfBeat(strand.shape, (inside / pass) * strand.span) * rate;
  };
  const [middle, half] = [box.y + box.height / 2, box.height / 2 / scale];
  c.fillStyle = colour;
  c.beginPath();
  // One outline, along its upper edge and back along its lower one: many times as fast as a bar a pixel.
  /** @type {[number, number][]} */
  const below = [];
  for (let at = Math.floor(box.left); at < box.right; at += step) {
    const [from, to] = [frameAt(at), frameAt(at + step)];
    const [low, high] = extremes(wave, Math.min(from, to), Math.max(from, to));
    const top = middle - high * half;
    c.lineTo(at + 0.5, top - 0.4);
    below.push([at + 0.5, Math.max(top + 0.4, middle - low * half)]);
  }
  for (let i = below.length - 1; i >= 0; i -= 1) {
    c.lineTo(...below[i]);
  }
  c.fill();
}

/** Its ring, and what it is called. @param {CanvasRenderingContext2D} c @param {Clip} clip @param {Strand} strand @param {Rings} rings @param {{x: number, y: number, w: number}} box @param {Palette} colours @param {number} isQuiet */
function drawName(c, clip, strand, rings, { x, y, w }, colours, isQuiet) {
  c.globalAlpha = isQuiet;
  const ring = rings.of(strand);
  if (ring) {
    c.fillStyle = RING_GROUND;
    c.beginPath();
    c.arc(x + RING_AT + 8, y + 10, 8, 0, 2 * Math.PI);
    c.fill();
    c.drawImage(ring, x + RING_AT, y + 2, 16, 16);
  }
  const room = w - RING_AT - 22;
  if (room < 8) return;
  c.font = NAME_FONT;
  c.fillStyle = colours.ink;
  c.fillText(rings.fitted(c, clip.name ?? strand.name, room), x + RING_AT + 19, y + 12.5);
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

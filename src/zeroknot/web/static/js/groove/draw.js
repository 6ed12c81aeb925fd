// @ts-check
/** The Groove view's strokes: the groove's steps, the hits before and after, the threads between. */

import { pulsesBetween } from "../metre.js";
import { drawWaves } from "../loom/lod.js";
import { beatOfSecond, secondOfBeat } from "../loom/model.js";
import { beatOf, xOf } from "../ui/sight.js";
import { MOST_ACCENT, msOf, REGISTERS, stepsBetween } from "./model.js";

/** @typedef {import("./model.js").View} View */
/** @typedef {import("../ui/frames.js").Palette} Palette */
/** @typedef {{ruler: number, top: number, middle: number, bottom: number, before: number, threads: number, after: number, end: number}} Bands y of edges: the groove from top to bottom, its rest line in the middle; the rails before (to threads) and after (to end) */
/**
 * groove: what is shown above, of one register or of all; other: one to compare with; chosen: number of a step; hit: index of one pointed at.
 * @typedef {{view: View, bands: Bands, span: number, bpm: number, metres: import("../types.js").MetreSpan[],
 *   groove: import("../types.js").Groove | null, other: import("../types.js").Groove | null, row: string, chosen: number,
 *   sound: {source: import("../loom/lod.js").Waves | null, render: import("../loom/lod.js").Waves | null, sheet: import("../types.js").HandSheet | null, hand: import("../types.js").Hand},
 *   hits: import("../types.js").GroovedHit[], isLaid: boolean, hit: number, yarn: number, playhead: number | null}} Scene
 */

const MONO = "11px 'Spline Sans Mono Variable', monospace";
const SMALL = "10px 'Spline Sans Mono Variable', monospace";
const LEAST_MS = 2; // that is written out
const LABEL_PIXELS = 44; // that a number needs

/** @param {number} height @returns {Bands} */
export function bandsOf(height) {
  const [ruler, gap] = [22, 34];
  const inner = Math.max(200, height - ruler - gap - 16);
  const top = ruler;
  const bottom = top + inner * 0.42;
  const before = bottom + gap;
  const rail = inner * 0.17;
  const end = before + inner * 0.58;
  return { ruler, top, middle: (top + bottom) / 2, bottom, before, threads: before + rail, after: end - rail, end };
}

/** Everything that stands still. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawGroove(c, scene, colours) {
  const { bands, view } = scene;
  c.textBaseline = "alphabetic";
  for (const [from, to] of [[bands.top, bands.bottom], [bands.before, bands.threads], [bands.after, bands.end]]) {
    c.fillStyle = colours.panel;
    c.fillRect(view.left, from, view.width, to - from);
    c.strokeStyle = colours.line;
    c.lineWidth = 1;
    c.strokeRect(view.left + 0.5, from + 0.5, view.width - 1, to - from - 1);
  }
  drawNames(c, scene, colours);
  drawLines(c, scene, colours);
  c.save();
  c.beginPath();
  c.rect(view.left - 9, 0, view.width + 18, bands.end + 20);
  c.clip();
  drawSound(c, scene, colours);
  if (scene.other) drawSteps(c, scene, scene.other, colours, true);
  if (scene.groove) drawSteps(c, scene, scene.groove, colours, false);
  drawThreads(c, scene, colours);
  drawHits(c, scene, colours);
  c.restore();
}

/** What the heights mean. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawNames(c, { bands, view }, colours) {
  c.font = SMALL;
  c.fillStyle = colours.quiet;
  c.textAlign = "right";
  const right = view.left - 13;
  c.fillText(`+${MOST_ACCENT} dB`, right, bands.top + 9);
  c.fillText("0", right, bands.middle + 3);
  c.fillText(`−${MOST_ACCENT}`, right, bands.bottom - 2);
  for (const [from, to] of [[bands.before, bands.threads], [bands.after, bands.end]]) {
    REGISTERS.forEach((name, i) => c.fillText(name, right, to - ((i + 0.5) * (to - from)) / 3 + 3));
  }
  c.textAlign = "left";
}

/** Bars and pulses over all of it; the steps of the groove where there is room. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawLines(c, { bands, view, metres, groove, span }, colours) {
  const perBeat = view.width / (view.to - view.from);
  c.lineWidth = 1;
  if (groove && perBeat / groove.per_beat > 7) {
    c.strokeStyle = colours.line;
    c.globalAlpha = 0.7;
    c.beginPath();
    for (let i = Math.ceil(view.from * groove.per_beat); i <= view.to * groove.per_beat; i += 1) {
      const x = Math.round(xOf(view, i / groove.per_beat)) + 0.5;
      c.moveTo(x, bands.top);
      c.lineTo(x, bands.bottom);
      c.moveTo(x, bands.after);
      c.lineTo(x, bands.end);
    }
    c.stroke();
    c.globalAlpha = 1;
  }
  c.font = MONO;
  let last = -Infinity;
  for (const p of pulsesBetween([{ ...metres[0], beat: 0, bar: 1 }], view.from, Math.min(span, view.to), perBeat, 20, 0, 1)) {
    const isBar = p.number === 1 && p.part === 0;
    const x = Math.round(xOf(view, p.beat)) + 0.5;
    c.strokeStyle = isBar ? colours.quiet : colours.line;
    c.beginPath();
    for (const [from, to] of [[bands.top, bands.bottom], [bands.before, bands.threads], [bands.after, bands.end]]) {
      c.moveTo(x, from);
      c.lineTo(x, to);
    }
    c.stroke();
    if (p.part || x - last < 40) continue;
    last = x;
    c.fillStyle = colours.quiet;
    c.fillText(`${p.bar}.${p.number}`, x + 3, bands.ruler - 7);
  }
  c.strokeStyle = colours.quiet;
  c.setLineDash([2, 4]);
  c.beginPath();
  c.moveTo(view.left, Math.round(bands.middle) + 0.5);
  c.lineTo(view.left + view.width, Math.round(bands.middle) + 0.5);
  c.stroke();
  c.setLineDash([]);
}

/** A groove's steps: where they lie, how loud, how far its hits were spread. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {import("../types.js").Groove} groove @param {Palette} colours @param {boolean} isOther */
function drawSteps(c, { bands, view, row, chosen, bpm }, groove, colours, isOther) {
  const reach = (bands.bottom - bands.top) / 2 - 12;
  const perStep = view.width / (view.to - view.from) / groove.per_beat;
  let last = -Infinity;
  for (const step of stepsBetween(groove, row, view.from, view.to)) {
    if (!step.hits) continue;
    const [x, even] = [xOf(view, step.at), xOf(view, step.even)];
    const y = bands.middle - (step.accent / MOST_ACCENT) * reach;
    const isChosen = !isOther && step.number === chosen;
    c.strokeStyle = isOther ? colours.quiet : colours.indigo;
    c.fillStyle = isOther ? colours.panel : isChosen ? colours.ink : colours.indigo;
    // From where the grid has it to where it is played.
    c.lineWidth = 1.5;
    c.globalAlpha = isOther ? 0.6 : 0.85;
    c.beginPath();
    c.moveTo(even, bands.middle);
    c.lineTo(x, y);
    c.stroke();
    if (step.spread > 0) {
      const half = Math.max(1.5, (step.spread * view.width) / (view.to - view.from));
      c.globalAlpha = 0.28;
      c.lineWidth = 5;
      c.beginPath();
      c.moveTo(x - half, y);
      c.lineTo(x + half, y);
      c.stroke();
    }
    c.globalAlpha = 1;
    c.lineWidth = 1.5;
    c.beginPath();
    c.arc(x, y, isChosen ? 5.5 : 4, 0, 2 * Math.PI);
    c.fill();
    c.stroke();
    if (isOther || perStep < 10) continue;
    const ms = msOf((step.at - step.even) * groove.per_beat, groove.per_beat, bpm);
    if (Math.abs(ms) < LEAST_MS || x - last < LABEL_PIXELS * 0.72) continue;
    last = x;
    c.font = SMALL;
    c.fillStyle = colours.ink;
    c.textAlign = "center";
    c.fillText(`${ms > 0 ? "+" : "−"}${Math.abs(ms).toFixed(0)}`, x, y + (step.accent >= 0 ? -9 : 17));
    c.textAlign = "left";
  }
}

/** The sound behind the hits: as it lies before on the rail before, as it is rendered on the rail after. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawSound(c, { bands, view, sound, yarn }, colours) {
  const { source, render, sheet, hand } = sound;
  const box = { x: view.left, y: bands.before + 3, width: view.width, height: bands.threads - bands.before - 6 };
  const share = hand.beat_share;
  c.globalAlpha = 0.2;
  if (source) drawWaves(c, source, box, (x) => secondOfBeat(hand.knots, beatOf(view, view.left + x) * share) * hand.source_rate, colours.yarn(yarn), source.loudest || 1);
  if (render && sheet && hand.file_kind !== "midi") {
    const lower = { ...box, y: bands.after + 3 };
    drawWaves(c, render, lower, (x) => sheet.lead + beatOfSecond(sheet.beats, beatOf(view, view.left + x)), colours.yarn(yarn), render.loudest || 1);
  }
  c.globalAlpha = 1;
}

/** The y of a hit's lane on a rail. @param {number} from @param {number} to @param {number} register */
const laneOf = (from, to, register) => to - ((register + 0.5) * (to - from)) / 3;

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawThreads(c, { bands, view, hits, isLaid, hit }, colours) {
  for (const [i, h] of hits.entries()) {
    const [x, y] = [xOf(view, h.before), xOf(view, h.after)];
    if (Math.max(x, y) < view.left - 60 || Math.min(x, y) > view.left + view.width + 60) continue;
    c.strokeStyle = isLaid && h.noticed ? colours.verdigris : colours.quiet;
    c.globalAlpha = i === hit ? 1 : h.noticed ? 0.9 : 0.35;
    c.lineWidth = i === hit ? 2.5 : h.noticed ? 1.6 : 1;
    if (isLaid && h.target === null) c.setLineDash([2, 3]);
    c.beginPath();
    const reach = (bands.after - bands.threads) * 0.45;
    c.moveTo(x, bands.threads);
    c.bezierCurveTo(x, bands.threads + reach, y, bands.after - reach, y, bands.after);
    c.stroke();
    c.setLineDash([]);
  }
  c.globalAlpha = 1;
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawHits(c, { bands, view, hits, isLaid, hit, yarn }, colours) {
  let last = -Infinity;
  c.font = SMALL;
  for (const [i, h] of hits.entries()) {
    for (const rail of /** @type {const} */ (["before", "after"])) {
      const x = xOf(view, h[rail]);
      if (x < view.left - 8 || x > view.left + view.width + 8) continue;
      const [from, to] = rail === "before" ? [bands.before, bands.threads] : [bands.after, bands.end];
      const db = h.own_db + (rail === "after" ? h.gain_db : 0);
      const size = Math.max(2, Math.min(6.5, 4.2 + db / 5));
      const y = laneOf(from, to, h.register);
      c.strokeStyle = colours.yarn(yarn);
      c.lineWidth = 1.2;
      c.globalAlpha = 0.5;
      c.beginPath();
      c.moveTo(x, rail === "before" ? y : from);
      c.lineTo(x, rail === "before" ? to : y);
      c.stroke();
      c.globalAlpha = 1;
      c.fillStyle = isLaid && h.target === null ? colours.panel : colours.yarn(yarn);
      c.strokeStyle = i === hit ? colours.ink : colours.yarn(yarn);
      c.lineWidth = i === hit ? 2 : 1.2;
      c.beginPath();
      if (h.leans) {
        // A small wedge leaning towards what it leans on.
        c.moveTo(x - size, y + size * 0.8);
        c.lineTo(x + size, y + size * 0.8);
        c.lineTo(x, y - size * 0.9);
        c.closePath();
      } else c.arc(x, y, size, 0, 2 * Math.PI);
      c.fill();
      c.stroke();
      if (rail === "after" && h.held) {
        c.strokeStyle = colours.ochre;
        c.lineWidth = 2;
        c.beginPath();
        c.arc(x, y, size + 3, 0, 2 * Math.PI);
        c.stroke();
      }
    }
    const x = xOf(view, h.after);
    if (!h.noticed || x - last < LABEL_PIXELS * 0.72 || x < view.left || x > view.left + view.width) continue;
    last = x;
    c.fillStyle = colours.ink;
    c.textAlign = "center";
    c.fillText(`${h.moved_ms > 0 ? "+" : "−"}${Math.abs(h.moved_ms).toFixed(0)}`, x, bands.end + 12);
    c.textAlign = "left";
  }
}

/** What moves: the playhead on the rail after. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawPlayhead(c, { bands, view, playhead }, colours) {
  if (playhead === null) return;
  const x = xOf(view, playhead);
  if (x < view.left || x > view.left + view.width) return;
  c.strokeStyle = colours.ink;
  c.fillStyle = colours.ink;
  c.lineWidth = 1;
  c.beginPath();
  c.moveTo(x, bands.top);
  c.lineTo(x, bands.end);
  c.stroke();
  c.beginPath();
  c.arc(x, bands.top, 3.5, 0, 2 * Math.PI);
  c.fill();
}

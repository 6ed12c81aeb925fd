// @ts-check
/** The loom's strokes: two rails, the threads between them, the band, the playheads. */

import { drawWave } from "../ui/waves.js";
import { beatOfSecond, secondAt, secondOfBeat, threadsIn, xOfBeat, xOfSecond } from "./model.js";

/** @typedef {import("./model.js").View} View */
/** @typedef {import("./model.js").Knot} Knot */
/** @typedef {ReturnType<typeof import("../ui/colours.js").palette>} Palette */
/** @typedef {{top: number, recorded: number, fitted: number, bottom: number}} Rails */
/**
 * @typedef {{hand: import("../types.js").Hand, attacks: import("../types.js").Attack[], knots: Knot[], view: View, rails: Rails,
 *   source: import("../ui/waves.js").Peaks | null, sourceScale: number,
 *   render: import("../ui/waves.js").Peaks | null, renderScale: number,
 *   sheet: import("../types.js").HandSheet | null, beatsPerBar: number, beatsPerPulse: number,
 *   playhead: number | null, hover: string, projectBpm: number}} Scene
 */

/** Everything that stands still. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawLoom(c, scene, colours) {
  drawRulers(c, scene, colours);
  drawRails(c, scene, colours);
  drawBand(c, scene, colours);
  drawWaves(c, scene, colours);
  drawThreads(c, scene, colours);
  drawHeard(c, scene, colours);
  drawKnots(c, scene, colours);
}

/** What was heard, on the recorded rail: a stroke an attack, as long as it is strong; a dot a beat, larger on the one. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawHeard(c, { hand, attacks, view, rails }, colours) {
  c.fillStyle = colours.ink;
  c.globalAlpha = 0.7;
  for (const [second, strength] of threadsIn(attacks, view)) {
    const x = Math.round(xOfSecond(view, second));
    const length = 4 + 14 * strength;
    if (x >= view.left && x <= view.left + view.width) c.fillRect(x, rails.recorded - length, 1.5, length);
  }
  c.globalAlpha = 1;
  const per = hand.beats_per_bar;
  const step = hand.beats.length > 1 ? hand.beats[1] - hand.beats[0] : 1;
  const apart = (step / (view.to - view.from)) * view.width;
  const first = hand.beats.findIndex((b) => Math.abs(b - hand.zero_s) < 0.3 * step);
  hand.beats.forEach((beat, i) => {
    const isOne = first >= 0 && (((i - first) % per) + per) % per === 0;
    const x = xOfSecond(view, beat);
    if (x < view.left || x > view.left + view.width || (apart < 7 && !isOne) || apart * per < 7) return;
    c.fillStyle = isOne ? colours.ink : colours.quiet;
    c.beginPath();
    c.arc(x, rails.top + 5, isOne ? 3 : 1.8, 0, 2 * Math.PI);
    c.fill();
  });
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawRails(c, { view, rails }, colours) {
  c.fillStyle = colours.panel;
  c.strokeStyle = colours.line;
  for (const [y, height] of [[rails.top, rails.recorded - rails.top], [rails.fitted, rails.bottom - rails.fitted]]) {
    c.fillRect(view.left, y, view.width, height);
    c.strokeRect(view.left + 0.5, y + 0.5, view.width - 1, height - 1);
  }
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawRulers(c, { view, rails, beatsPerBar, beatsPerPulse }, colours) {
  c.font = "11px 'Spline Sans Mono Variable', monospace";
  c.fillStyle = colours.quiet;
  const step = niceStep((view.to - view.from) / (view.width / 74));
  const digits = Math.max(0, -Math.floor(Math.log10(step) + 1e-9));
  for (let s = Math.ceil(view.from / step) * step; s <= view.to; s += step) {
    const x = Math.round(xOfSecond(view, s));
    c.fillRect(x, rails.top - 9, 1, 5);
    if (x < view.left + view.width - 30) c.fillText((Math.round(s / step) * step).toFixed(Math.max(1, digits)), x + 4, rails.top - 4);
  }
  const perPulse = (view.width / (view.toBeat - view.fromBeat)) * beatsPerPulse;
  const every = perPulse > 46 ? beatsPerPulse : beatsPerBar * (niceBars((46 / perPulse) * (beatsPerPulse / beatsPerBar)));
  for (let i = Math.ceil(view.fromBeat / every - 1e-9); i * every <= view.toBeat; i += 1) {
    const beat = i * every;
    const bar = Math.floor(beat / beatsPerBar + 1e-9);
    const pulse = Math.round((beat - bar * beatsPerBar) / beatsPerPulse);
    const text = `${bar + 1}${every < beatsPerBar ? `.${pulse + 1}` : ""}`;
    c.fillStyle = pulse === 0 ? colours.ink : colours.quiet;
    c.fillText(text, xOfBeat(view, beat) + 4, rails.bottom + 14);
  }
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawBand(c, { view, rails, knots }, colours) {
  const [zero, end] = [knots.find((k) => k[1] === 0) ?? knots[0], knots[knots.length - 1]];
  const average = (end[1] - zero[1]) / (end[0] - zero[0]);
  for (let i = 0; i + 1 < knots.length; i += 1) {
    const [a, b] = [knots[i], knots[i + 1]];
    const share = (b[1] - a[1]) / (b[0] - a[0]) / average;
    const off = Math.abs(Math.log(share));
    c.globalAlpha = off < 1e-4 ? 0.35 : Math.min(0.45, 0.12 + off * 3);
    c.fillStyle = off < 1e-4 ? colours.line : share > 1 ? colours.madder : colours.verdigris;
    c.beginPath();
    c.moveTo(xOfSecond(view, a[0]), rails.recorded);
    c.lineTo(xOfSecond(view, b[0]), rails.recorded);
    c.lineTo(xOfBeat(view, b[1]), rails.fitted);
    c.lineTo(xOfBeat(view, a[1]), rails.fitted);
    c.fill();
    c.globalAlpha = 1;
    if (off < 1e-4) continue;
    c.fillStyle = colours.ink;
    c.font = "11px 'Spline Sans Mono Variable', monospace";
    const text = `${share > 1 ? "taut" : "slack"} ${share.toFixed(3)}`;
    const middle = (xOfSecond(view, (a[0] + b[0]) / 2) + xOfBeat(view, (a[1] + b[1]) / 2)) / 2;
    c.fillText(text, middle - c.measureText(text).width / 2, (rails.recorded + rails.fitted) / 2 + 4);
  }
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawWaves(c, scene, colours) {
  const { hand, knots, view, rails, source, render, sheet } = scene;
  const colour = colours.yarn(hand.yarn);
  const [zero, end] = [knots.find((k) => k[1] === 0) ?? knots[0], knots[knots.length - 1]];
  c.save();
  c.beginPath();
  c.rect(view.left, 0, view.width, rails.bottom);
  c.clip();
  const upper = { x: view.left, y: rails.top + 6, width: view.width, height: rails.recorded - rails.top - 12 };
  if (source) {
    drawWave(c, source, upper, (x) => secondAt(view, view.left + x) * hand.source_rate, colour, scene.sourceScale);
  }
  const lower = { ...upper, y: rails.fitted + 6, height: rails.bottom - rails.fitted - 12 };
  if (render && sheet) {
    /** @param {number} x */
    const frameAt = (x) => {
      const beat = view.fromBeat + (x / view.width) * (view.toBeat - view.fromBeat);
      return sheet.lead + (beat / sheet.span) * sheet.body;
    };
    drawWave(c, render, lower, frameAt, colour, scene.renderScale);
  } else if (source) {
    // Until the render is there: the recording, laid along the knots.
    c.globalAlpha = 0.45;
    drawWave(c, source, lower, (x) =>
      secondOfBeat(knots, view.fromBeat + (x / view.width) * (view.toBeat - view.fromBeat)) * hand.source_rate,
      colour, scene.sourceScale);
    c.globalAlpha = 1;
  }
  // What lies outside the pass is paler: the lead before the one, the rest behind the end.
  c.fillStyle = colours.paper;
  c.globalAlpha = 0.62;
  const [zx, ex] = [xOfSecond(view, zero[0]), xOfSecond(view, end[0])];
  c.fillRect(view.left, rails.top + 1, Math.max(0, zx - view.left), rails.recorded - rails.top - 2);
  c.fillRect(ex, rails.top + 1, Math.max(0, view.left + view.width - ex), rails.recorded - rails.top - 2);
  const [zb, eb] = [xOfBeat(view, zero[1]), xOfBeat(view, end[1])];
  c.fillRect(view.left, rails.fitted + 1, Math.max(0, zb - view.left), rails.bottom - rails.fitted - 2);
  c.fillRect(eb, rails.fitted + 1, Math.max(0, view.left + view.width - eb), rails.bottom - rails.fitted - 2);
  c.globalAlpha = 1;
  c.fillStyle = colours.quiet;
  c.font = "12px 'Spline Sans Variable', sans-serif";
  if (zx - view.left > 52) c.fillText(hand.lead ? "pickup" : "left out", view.left + 6, rails.top + 16);
  const behind = view.left + view.width - ex;
  if (behind > 40) c.fillText("tail", Math.min(ex + 6, view.left + view.width - 30), rails.top + 16);
  c.restore();
}

/** Faint threads for attacks, grid lines on the fitted rail. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawThreads(c, { attacks, knots, view, rails, beatsPerBar, beatsPerPulse }, colours) {
  c.save();
  c.beginPath();
  c.rect(view.left, rails.top, view.width, rails.bottom - rails.top);
  c.clip();
  const perPulse = (view.width / (view.toBeat - view.fromBeat)) * beatsPerPulse;
  const step = perPulse > 12 ? beatsPerPulse : beatsPerBar * niceBars((6 / perPulse) * (beatsPerPulse / beatsPerBar));
  for (let i = Math.ceil(view.fromBeat / step - 1e-9); i * step <= view.toBeat; i += 1) {
    const x = Math.round(xOfBeat(view, i * step)) + 0.5;
    const isBar = Math.abs((i * step) / beatsPerBar - Math.round((i * step) / beatsPerBar)) < 1e-6;
    c.strokeStyle = isBar ? colours.quiet : colours.line;
    c.globalAlpha = isBar ? 0.6 : 1;
    c.beginPath();
    c.moveTo(x, rails.fitted);
    c.lineTo(x, rails.bottom);
    c.stroke();
  }
  c.setLineDash([2, 3]);
  c.strokeStyle = colours.quiet;
  for (const [second, strength] of threadsIn(attacks, view)) {
    const [top, bottom] = [xOfSecond(view, second), xOfBeat(view, beatOfSecond(knots, second))];
    c.globalAlpha = 0.2 + 0.5 * strength;
    c.beginPath();
    c.moveTo(top, rails.recorded);
    c.bezierCurveTo(top, rails.recorded + 40, bottom, rails.fitted - 40, bottom, rails.fitted);
    c.stroke();
  }
  c.restore();
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawKnots(c, { knots, view, rails, hover }, colours) {
  knots.forEach(([second, beat], i) => {
    const isZero = beat === 0;
    const [top, bottom] = [xOfSecond(view, second), xOfBeat(view, beat)];
    if (Math.max(top, bottom) < view.left - 8 || Math.min(top, bottom) > view.left + view.width + 8) return;
    c.strokeStyle = isZero ? colours.madder : colours.ink;
    c.lineWidth = isZero ? 2.5 : 1.5;
    c.beginPath();
    c.moveTo(top, rails.recorded);
    c.bezierCurveTo(top, rails.recorded + 40, bottom, rails.fitted - 40, bottom, rails.fitted);
    c.stroke();
    const name = isZero ? "zero" : i === knots.length - 1 ? "end" : "";
    for (const [rail, x, y, tick] of /** @type {[string, number, number, number][]} */ ([
      ["recorded", top, rails.recorded, -12], ["fitted", bottom, rails.fitted, 12],
    ])) {
      const radius = (isZero ? 8 : 6) + (hover === `${name}/${rail}` ? 2 : 0);
      c.beginPath();
      c.moveTo(x, y + Math.sign(tick) * radius);
      c.lineTo(x, y + tick + Math.sign(tick) * 2);
      c.stroke();
      c.fillStyle = colours.panel;
      c.beginPath();
      c.arc(x, y, radius, 0, 2 * Math.PI);
      c.fill();
      c.stroke();
    }
    if (name) {
      c.fillStyle = isZero ? colours.madder : colours.ink;
      c.font = "600 12px 'Spline Sans Variable', sans-serif";
      const text = isZero ? "zero knot" : "end knot";
      const width = c.measureText(text).width;
      const x = isZero ? Math.min(top + 14, view.left + view.width - width) : Math.max(view.left, top - width - 12);
      c.fillText(text, x, rails.recorded + 26);
    }
    c.lineWidth = 1;
  });
}

/** @param {CanvasRenderingContext2D} c @param {Pick<Scene, "knots" | "view" | "rails" | "playhead">} scene @param {Palette} colours */
export function drawPlayheads(c, { knots, view, rails, playhead }, colours) {
  if (playhead === null) return;
  c.strokeStyle = c.fillStyle = colours.ink;
  for (const [x, top, bottom] of [
    [xOfSecond(view, playhead), rails.top, rails.recorded],
    [xOfBeat(view, beatOfSecond(knots, playhead)), rails.fitted, rails.bottom],
  ]) {
    if (x < view.left || x > view.left + view.width) continue;
    c.beginPath();
    c.moveTo(x, top);
    c.lineTo(x, bottom);
    c.stroke();
    c.beginPath();
    c.arc(x, top, 4, 0, 2 * Math.PI);
    c.fill();
  }
}

/** @param {number} least */
function niceStep(least) {
  const power = 10 ** Math.floor(Math.log10(least));
  return [1, 2, 5, 10].map((n) => n * power).find((n) => n >= least) ?? 10 * power;
}

/** @param {number} least */
const niceBars = (least) => [1, 2, 4, 8, 16, 32, 64, 128, 256].find((n) => n >= least) ?? 512;

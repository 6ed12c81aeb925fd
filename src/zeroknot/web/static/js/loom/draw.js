// @ts-check
/** The loom's strokes: two rails, the threads between them, the bands, strain, the playheads. */

import { strainColour } from "../ui/colours.js";
import { drawKnots } from "./knots.js";
import { drawWaves } from "./lod.js";
import { drawGrid, drawRails, drawRulers } from "./rulers.js";
import { MONO, MOST_CROWD, SANS, thread } from "./scene.js";
import { beatAt, beatOfSecond, endOf, firstFrom, secondAt, secondOfBeat, threadsIn, xOfBeat, xOfSecond, zeroOf } from "./model.js";

/** @typedef {import("./scene.js").Scene} Scene */
/** @typedef {import("./scene.js").Palette} Palette */
/** @typedef {import("./scene.js").Rails} Rails */
/** @typedef {import("./model.js").View} View */
/** @typedef {import("./model.js").Knot} Knot */

const MOST_BANDS = 0.28; // bands a pixel, over which upright strips do

/** Everything that stands still. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawLoom(c, scene, colours) {
  drawRails(c, scene, colours);
  drawRulers(c, scene, colours);
  clipped(c, scene.view, 0, scene.rails.strain + 4, () => {
    drawBand(c, scene, colours);
    drawRange(c, scene, colours);
    if (scene.hand.file_kind === "midi") drawNotes(c, scene, colours);
    else drawBoth(c, scene, colours);
    drawOutside(c, scene, colours);
    drawGrid(c, scene, colours);
    drawThreads(c, scene, colours);
    drawHeard(c, scene, colours);
    drawStrain(c, scene, colours);
  });
  drawKnots(c, scene, colours);
}

/** @param {CanvasRenderingContext2D} c @param {View} view @param {number} top @param {number} bottom @param {() => void} draw */
function clipped(c, view, top, bottom, draw) {
  c.save();
  c.beginPath();
  c.rect(view.left, top, view.width, bottom - top);
  c.clip();
  draw();
  c.restore();
}

/** Between the knots: taut or slack against the loop's own average. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawBand(c, { view, rails, knots, hand }, colours) {
  const [zero, end] = [zeroOf(knots), endOf(knots)];
  const average = (end[1] - zero[1]) / (end[0] - zero[0]);
  const first = Math.max(0, firstFrom(knots, 0, Math.min(view.recorded.from, secondOfBeat(knots, view.fitted.from))) - 1);
  const labels = [];
  // Where they are narrower than can be told apart, upright strips do, and take a tenth of the time.
  const isCrowded = crowd(knots, view) > MOST_BANDS;
  /** Bands of one look are filled at once. @type {Map<string, Path2D>} */
  const looks = new Map();
  let strip = { look: "", from: 0, to: 0 };
  const fillStrip = () => {
    if (!strip.look) return;
    shade(c, strip.look, colours);
    c.fillRect(strip.from, rails.recorded, strip.to - strip.from, rails.fitted - rails.recorded);
  };
  for (let i = first; i + 1 < knots.length; i += 1) {
    const [a, b] = [knots[i], knots[i + 1]];
    const xs = [xOfSecond(view, a[0]), xOfSecond(view, b[0]), xOfBeat(view, b[1]), xOfBeat(view, a[1])];
    if (Math.min(xs[0], xs[3]) > view.left + view.width) break;
    const share = (b[1] - a[1]) / (b[0] - a[0]) / average;
    const look = lookOf(share);
    if (isCrowded) {
      const [from, to] = [(xs[0] + xs[3]) / 2, (xs[1] + xs[2]) / 2];
      if (look === strip.look) strip.to = to;
      else {
        fillStrip();
        strip = { look, from, to };
      }
      continue;
    }
    const path = looks.get(look) ?? new Path2D();
    looks.set(look, path);
    path.moveTo(xs[0], rails.recorded);
    path.lineTo(xs[1], rails.recorded);
    path.lineTo(xs[2], rails.fitted);
    path.lineTo(xs[3], rails.fitted);
    path.closePath();
    const width = Math.min(xs[1] - xs[0], xs[2] - xs[3]);
    if (look !== "even" && width > 58) labels.push({ text: width > 84 ? `${share > 1 ? "taut" : "slack"} ${share.toFixed(3)}` : share.toFixed(3), x: (xs[0] + xs[1] + xs[2] + xs[3]) / 4 });
  }
  fillStrip();
  for (const [look, path] of looks) {
    shade(c, look, colours);
    c.fill(path);
  }
  c.globalAlpha = 1;
  c.font = MONO;
  c.fillStyle = colours.ink;
  for (const { text, x } of labels) c.fillText(text, x - c.measureText(text).width / 2, (rails.recorded + rails.fitted) / 2 + 4);
  // A stretch that is held: hatched, as far as it reaches.
  for (const [start, stop] of hand.fastened) {
    const [a, b, d, e] = [xOfSecond(view, start), xOfSecond(view, stop), xOfBeat(view, beatOfSecond(knots, stop)), xOfBeat(view, beatOfSecond(knots, start))];
    c.save();
    c.beginPath();
    c.moveTo(a, rails.recorded);
    c.lineTo(b, rails.recorded);
    c.lineTo(d, rails.fitted);
    c.lineTo(e, rails.fitted);
    c.clip();
    c.strokeStyle = colours.ink;
    c.globalAlpha = 0.22;
    c.beginPath();
    const height = rails.fitted - rails.recorded;
    const [low, high] = [Math.max(view.left, Math.min(a, e)) - height, Math.min(view.left + view.width, Math.max(b, d))];
    for (let x = Math.floor(low / 9) * 9; x < high; x += 9) {
      c.moveTo(x, rails.fitted);
      c.lineTo(x + height, rails.recorded);
    }
    c.stroke();
    c.globalAlpha = 1;
    c.restore();
    c.font = SANS;
    const text = "fastened";
    if (Math.min(b - a, d - e) > 70) c.fillText(text, (a + b + d + e) / 4 - c.measureText(text).width / 2, rails.fitted - 10);
  }
}

const SHADES = 24;

/** How a band looks: even, or taut or slack by so much. @param {number} share of the average */
function lookOf(share) {
  const off = Math.abs(Math.log(share));
  return off < 1e-4 ? "even" : `${share > 1 ? "taut" : "slack"}${Math.round(Math.min(0.45, 0.12 + off * 3) * SHADES)}`;
}

/** @param {CanvasRenderingContext2D} c @param {string} look @param {Palette} colours */
function shade(c, look, colours) {
  const isEven = look === "even";
  c.globalAlpha = isEven ? 0.35 : Number(look.replace(/\D/g, "")) / SHADES;
  c.fillStyle = isEven ? colours.line : look.startsWith("taut") ? colours.madder : colours.verdigris;
}

/** What is chosen, on both rails and between. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawRange(c, { view, rails, knots, range }, colours) {
  if (!range) return;
  const [a, b] = range.map((s) => xOfSecond(view, s));
  const [d, e] = range.map((s) => xOfBeat(view, beatOfSecond(knots, s)));
  c.fillStyle = colours.indigo;
  c.globalAlpha = 0.14;
  c.fillRect(a, rails.top, b - a, rails.recorded - rails.top);
  c.fillRect(d, rails.fitted, e - d, rails.bottom - rails.fitted);
  c.globalAlpha = 0.07;
  c.beginPath();
  c.moveTo(a, rails.recorded);
  c.lineTo(b, rails.recorded);
  c.lineTo(e, rails.fitted);
  c.lineTo(d, rails.fitted);
  c.fill();
  c.globalAlpha = 1;
  c.fillRect(a, rails.top, 1.5, rails.recorded - rails.top);
  c.fillRect(b - 1.5, rails.top, 1.5, rails.recorded - rails.top);
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawBoth(c, { hand, knots, view, rails, source, render, sheet }, colours) {
  const colour = colours.yarn(hand.yarn);
  const upper = { x: view.left, y: rails.top + 6, width: view.width, height: rails.recorded - rails.top - 12 };
  const scale = source?.loudest || 1;
  if (source) drawWaves(c, source, upper, (x) => secondAt(view, view.left + x) * hand.source_rate, colour, scale);
  const lower = { ...upper, y: rails.fitted + 6, height: rails.bottom - rails.fitted - 12 };
  /** @param {number} x */
  const secondUnder = (x) => secondOfBeat(knots, beatAt(view, view.left + x));
  if (render && sheet && render.isFor(framesPerPixel(view, knots, sheet))) {
    // By its beats, not by the knots: a groove that lies over them moves what sounds, not the grid.
    const { lead, beats } = sheet;
    const share = hand.beat_share;
    drawWaves(c, render, lower, (x) => lead + beatOfSecond(beats, beatAt(view, view.left + x) / share), colour, render.loudest || scale);
  } else if (source) {
    // Until the render is there: the recording, laid along the knots.
    c.globalAlpha = 0.45;
    drawWaves(c, source, lower, (x) => secondUnder(x) * hand.source_rate, colour, scale);
    c.globalAlpha = 1;
  }
}

/** Frames of the render under a pixel of the fitted rail. @param {View} view @param {Knot[]} knots @param {import("../types.js").HandSheet} sheet */
function framesPerPixel(view, knots, sheet) {
  const span = endOf(knots)[1] - zeroOf(knots)[1];
  return ((view.fitted.to - view.fitted.from) / span) * sheet.body / view.width;
}

/** A MIDI loop: its notes on both rails, moved by the knots. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawNotes(c, { hand, knots, view, rails, notes }, colours) {
  if (!notes.length) return;
  const pitches = notes.map((n) => n[2]);
  const [low, high] = [Math.min(...pitches) - 1, Math.max(...pitches) + 1];
  const room = rails.recorded - rails.top - 14;
  const tall = Math.max(2, Math.min(9, room / (high - low + 1) - 1));
  c.fillStyle = colours.yarn(hand.yarn);
  c.beginPath();
  for (const [start, end, pitch] of notes) {
    const share = 1 - (pitch - low) / (high - low);
    const [a, b] = [xOfSecond(view, start), xOfSecond(view, end)];
    c.roundRect(a, rails.top + 7 + share * (room - tall), Math.max(2, b - a - 1), tall, 2);
    const [d, e] = [xOfBeat(view, beatOfSecond(knots, start)), xOfBeat(view, beatOfSecond(knots, end))];
    c.roundRect(d, rails.fitted + 7 + share * (room - tall), Math.max(2, e - d - 1), tall, 2);
  }
  c.fill();
}

/** What lies outside the pass is paler: the lead before the one, the rest behind the end. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawOutside(c, { hand, knots, view, rails }, colours) {
  const [zero, end] = [zeroOf(knots), endOf(knots)];
  const right = view.left + view.width;
  c.fillStyle = colours.paper;
  c.globalAlpha = 0.62;
  const [zx, ex] = [xOfSecond(view, zero[0]), xOfSecond(view, end[0])];
  c.fillRect(view.left, rails.top + 1, Math.max(0, zx - view.left), rails.recorded - rails.top - 2);
  c.fillRect(ex, rails.top + 1, Math.max(0, right - ex), rails.recorded - rails.top - 2);
  const [zb, eb] = [xOfBeat(view, zero[1]), xOfBeat(view, end[1])];
  c.fillRect(view.left, rails.fitted + 1, Math.max(0, zb - view.left), rails.bottom - rails.fitted - 2);
  c.fillRect(eb, rails.fitted + 1, Math.max(0, right - eb), rails.bottom - rails.fitted - 2);
  c.globalAlpha = 1;
  c.fillStyle = colours.quiet;
  c.font = SANS;
  const before = hand.sounding[0] >= zero[0] - LEAST_LEAD ? "silence" : hand.lead ? "pickup" : "left out";
  if (zx - view.left > 52) c.fillText(before, view.left + 6, rails.top + 16);
  if (right - ex > 40) c.fillText("tail", Math.min(Math.max(view.left, ex) + 6, right - 30), rails.top + 16);
}

/** Seconds that have to sound before the one to be more than its own rise. */
const LEAST_LEAD = 0.02;

/** Faint threads for attacks; none where they could not be told apart. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawThreads(c, { attacks, knots, view, rails }, colours) {
  if (crowd(attacks, view) > MOST_CROWD) return;
  /** Of one strength together. @type {Path2D[]} */
  const paths = [];
  for (const [second, strength] of threadsIn(attacks, view)) {
    const step = Math.min(4, Math.floor(strength * 5));
    paths[step] ??= new Path2D();
    thread(paths[step], xOfSecond(view, second), xOfBeat(view, beatOfSecond(knots, second)), rails);
  }
  c.setLineDash([2, 3]);
  c.strokeStyle = colours.quiet;
  paths.forEach((path, step) => {
    c.globalAlpha = 0.25 + 0.1 * step;
    c.stroke(path);
  });
  c.globalAlpha = 1;
  c.setLineDash([]);
}

/** How many rows stand on a pixel of the recorded rail. @param {ArrayLike<number>[]} rows @param {View} view */
const crowd = (rows, view) => (firstFrom(rows, 0, view.recorded.to) - firstFrom(rows, 0, view.recorded.from)) / view.width;

/** What was heard, on the recorded rail: a stroke an attack, as long as it is strong; a dot a beat, larger on the one. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawHeard(c, { hand, attacks, view, rails }, colours) {
  c.fillStyle = colours.ink;
  c.globalAlpha = 0.7;
  const perSecond = view.width / (view.recorded.to - view.recorded.from);
  let last = -Infinity;
  for (let i = firstFrom(attacks, 0, view.recorded.from); i < attacks.length && attacks[i][0] <= view.recorded.to; i += 1) {
    const [second, strength] = attacks[i];
    const x = Math.round(xOfSecond(view, second));
    if (x === last) continue;
    last = x;
    const length = 4 + 14 * strength;
    c.fillRect(x, rails.recorded - length, 1.5, length);
  }
  c.globalAlpha = 1;
  const per = hand.beats_per_bar;
  const beats = hand.beats;
  const step = beats.length > 1 ? (beats[beats.length - 1] - beats[0]) / (beats.length - 1) : 1;
  const apart = step * perSecond;
  const first = beats.findIndex((b) => Math.abs(b - hand.zero_s) < 0.3 * step);
  for (const isOne of [false, true]) {
    if (apart * per < 7 || (apart < 7 && !isOne)) continue;
    c.fillStyle = isOne ? colours.ink : colours.quiet;
    c.beginPath();
    beats.forEach((beat, i) => {
      const is = first >= 0 && (((i - first) % per) + per) % per === 0;
      const x = xOfSecond(view, beat);
      if (is !== isOne || x < view.left || x > view.left + view.width) return;
      c.moveTo(x, rails.top + 5);
      c.arc(x, rails.top + 5, isOne ? 3 : 1.8, 0, 2 * Math.PI);
    });
    c.fill();
  }
}

/** How audibly each place is stretched, under the fitted rail. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawStrain(c, { view, rails, knots, strain }, colours) {
  if (!strain) return;
  c.fillStyle = colours.quiet;
  c.font = SANS;
  c.fillText("Strain", view.left, rails.strain - 14);
  const room = rails.strain - rails.bottom - 20;
  const end = endOf(knots)[0];
  c.globalAlpha = 0.75;
  strain.along.forEach(([second, value, level], i) => {
    const until = strain.along[i + 1]?.[0] ?? end;
    const a = Math.max(view.left, xOfBeat(view, beatOfSecond(knots, second)));
    const b = Math.min(view.left + view.width, xOfBeat(view, beatOfSecond(knots, until)));
    if (b <= a) return;
    const height = Math.max(1, value * room);
    c.fillStyle = strainColour(colours, level);
    c.fillRect(a, rails.strain - height, Math.max(1, b - a - 0.5), height);
  });
  c.globalAlpha = 1;
}


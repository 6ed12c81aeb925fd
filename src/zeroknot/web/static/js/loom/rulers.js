// @ts-check
/** The loom's ground: two rails, what is measured along them, the grid. */

import { barLine, pulsesBetween } from "../metre.js";
import { xOfBeat, xOfSecond } from "./model.js";
import { MONO } from "./scene.js";

/** @typedef {import("./scene.js").Scene} Scene */
/** @typedef {import("./scene.js").Palette} Palette */
/** @typedef {import("./scene.js").Rails} Rails */
/** @typedef {import("./model.js").View} View */

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawRails(c, { view, rails }, colours) {
  c.fillStyle = colours.panel;
  c.strokeStyle = colours.line;
  for (const [y, height] of [[rails.top, rails.recorded - rails.top], [rails.fitted, rails.bottom - rails.fitted]]) {
    c.fillRect(view.left, y, view.width, height);
    c.strokeRect(view.left + 0.5, y + 0.5, view.width - 1, height - 1);
  }
}

/** Seconds above; bars and beats of the project below. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawRulers(c, scene, colours) {
  const { view, rails } = scene;
  c.font = MONO;
  c.fillStyle = colours.quiet;
  const { from, to } = view.recorded;
  const step = niceStep((to - from) / (view.width / 74));
  const digits = Math.max(1, -Math.floor(Math.log10(step) + 1e-9));
  for (let i = Math.ceil(from / step - 1e-9); i * step <= to; i += 1) {
    const x = Math.round(xOfSecond(view, i * step));
    c.fillRect(x, rails.top - 9, 1, 5);
    if (x < view.left + view.width - 34) c.fillText(clock(i * step, digits), x + 4, rails.top - 4);
  }
  let free = -Infinity; // where the text before ends
  for (const { x, text, isBar } of rulerMarks(scene)) {
    if (x < free) continue;
    free = x + c.measureText(text).width + 8;
    c.fillStyle = isBar ? colours.ink : colours.quiet;
    c.fillText(text, x + 4, rails.bottom + 13);
  }
}

/** "3:05.5" from a minute on. @param {number} second @param {number} digits */
function clock(second, digits) {
  const shown = digits <= 1 && Number.isInteger(second) && Math.abs(second) >= 60 ? 0 : digits;
  if (Math.abs(second) < 60) return second.toFixed(digits);
  const minutes = Math.floor(second / 60);
  return `${minutes}:${(second - 60 * minutes).toFixed(shown).padStart(shown ? shown + 3 : 2, "0")}`;
}

/** What the lower ruler names, as near together as can be read. @param {Scene} scene */
function rulerMarks({ view, metres, startBeat }) {
  const perBeat = view.width / (view.fitted.to - view.fitted.from);
  const { from, to } = view.fitted;
  const marks = [];
  const bars = barLine(metres, startBeat);
  for (const pulse of pulsesBetween(metres, startBeat + from, startBeat + to, perBeat, 44, 0, 0.25)) {
    const bar = pulse.bar - bars.bar + 1;
    const x = xOfBeat(view, pulse.beat - startBeat);
    if (x < view.left - 1 || x > view.left + view.width - 26) continue;
    marks.push({
      x, isBar: pulse.number === 1 && !pulse.part,
      text: pulse.part ? `${bar}.${pulse.number}.${pulse.sixteenth}` : pulse.step < 1 ? `${bar}.${pulse.number}` : String(bar),
    });
  }
  return marks;
}

/** Vertical lines of the grid on the fitted rail. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawGrid(c, { view, rails, metres, startBeat, grid }, colours) {
  const perBeat = view.width / (view.fitted.to - view.fitted.from);
  for (const isBar of [false, true]) {
    c.beginPath();
    for (const pulse of pulsesBetween(metres, startBeat + view.fitted.from, startBeat + view.fitted.to, perBeat, 8, grid)) {
      if ((pulse.number === 1 && !pulse.part) !== isBar) continue;
      const x = Math.round(xOfBeat(view, pulse.beat - startBeat)) + 0.5;
      c.moveTo(x, rails.fitted);
      c.lineTo(x, rails.bottom);
    }
    c.strokeStyle = isBar ? colours.quiet : colours.line;
    c.globalAlpha = isBar ? 0.6 : 1;
    c.stroke();
  }
  c.globalAlpha = 1;
}

/** @param {number} least */
function niceStep(least) {
  const power = 10 ** Math.floor(Math.log10(least));
  return [1, 2, 5, 10].map((n) => n * power).find((n) => n >= least) ?? 10 * power;
}

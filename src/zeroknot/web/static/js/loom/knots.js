// @ts-check
/** The loom's knots and playheads. */

import { beatOfSecond, firstFrom, xOfBeat, xOfSecond } from "./model.js";
import { MOST_CROWD, SANS, thread } from "./scene.js";

/** @typedef {import("./scene.js").Scene} Scene */
/** @typedef {import("./scene.js").Palette} Palette */
/** @typedef {import("./scene.js").Rails} Rails */
/** @typedef {import("./model.js").View} View */

const CLOSE_KNOTS = 9; // pixels from knot to knot, under which they have no rings

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawKnots(c, { knots, view, rails, hover, chosen }, colours) {
  const right = view.left + view.width;
  const count = knots.length;
  const apart = Math.min(
    view.width / Math.max(1, firstFrom(knots, 0, view.recorded.to) - firstFrom(knots, 0, view.recorded.from)),
    view.width / Math.max(1, firstFrom(knots, 1, view.fitted.to) - firstFrom(knots, 1, view.fitted.from)),
  );
  const hasRings = apart >= CLOSE_KNOTS;
  const isCrowded = apart < 1 / MOST_CROWD;
  const [plain, picked] = [new Path2D(), new Path2D()];
  /** Where they are crowded: a tick on each rail. @type {[number, number][]} */
  const ticks = [];
  /** @type {number[]} */
  const ringed = [];
  for (let i = 0; i < count; i += 1) {
    const [second, beat] = knots[i];
    const [top, bottom] = [xOfSecond(view, second), xOfBeat(view, beat)];
    if (Math.max(top, bottom) < view.left - 8 || Math.min(top, bottom) > right + 8) continue;
    const isEnd = beat === 0 || i === count - 1;
    if (!isEnd && isCrowded && !chosen.has(second)) {
      ticks.push([top, bottom]);
    } else if (!isEnd) thread(chosen.has(second) ? picked : plain, top, bottom, rails);
    if (hasRings || isEnd || chosen.has(second)) ringed.push(i);
  }
  c.save();
  c.beginPath();
  c.rect(view.left - 9, 0, view.width + 18, rails.strain + 4);
  c.clip();
  c.strokeStyle = c.fillStyle = colours.ink;
  c.lineWidth = hasRings ? 1.5 : 1;
  c.globalAlpha = hasRings ? 1 : 0.55;
  c.stroke(plain);
  for (const [top, bottom] of ticks) {
    c.fillRect(top, rails.recorded - 4, 1, 8);
    c.fillRect(bottom, rails.fitted - 4, 1, 8);
  }
  c.globalAlpha = 1;
  c.strokeStyle = colours.indigo;
  c.lineWidth = 2;
  c.stroke(picked);
  for (const i of ringed) {
    const [second, beat, ofLayer] = knots[i];
    const isZero = beat === 0;
    const isEnd = i === count - 1;
    const [top, bottom] = [xOfSecond(view, second), xOfBeat(view, beat)];
    c.strokeStyle = isZero ? colours.madder : chosen.has(second) ? colours.indigo : colours.ink;
    c.lineWidth = isZero ? 2.5 : 1.5;
    if (isZero || isEnd) {
      c.beginPath();
      thread(c, top, bottom, rails);
      c.stroke();
    }
    for (const [rail, x, y, tick] of /** @type {[string, number, number, number][]} */ ([
      ["recorded", top, rails.recorded, -12], ["fitted", bottom, rails.fitted, 12],
    ])) {
      const radius = (isZero ? 8 : isEnd ? 6 : apart < 16 ? 3.5 : 5.5) + (hover === `${i}/${rail}` ? 2 : 0);
      c.beginPath();
      c.moveTo(x, y + Math.sign(tick) * radius);
      c.lineTo(x, y + tick + Math.sign(tick) * 2);
      c.stroke();
      c.fillStyle = chosen.has(second) ? c.strokeStyle : colours.panel;
      c.beginPath();
      c.arc(x, y, radius, 0, 2 * Math.PI);
      c.fill();
      c.stroke();
      if (ofLayer && !chosen.has(second)) {
        c.fillStyle = colours.ink;
        c.beginPath();
        c.arc(x, y, Math.min(1.6, radius / 2.4), 0, 2 * Math.PI);
        c.fill();
      }
    }
    if (isZero || isEnd) nameEnd(c, view, rails, top, isZero, colours);
  }
  c.restore();
  c.lineWidth = 1;
}

/** @param {CanvasRenderingContext2D} c @param {View} view @param {Rails} rails @param {number} top @param {boolean} isZero @param {Palette} colours */
function nameEnd(c, view, rails, top, isZero, colours) {
  if (top < view.left - 8 || top > view.left + view.width + 8) return;
  c.fillStyle = isZero ? colours.madder : colours.ink;
  c.font = `600 ${SANS}`;
  const text = isZero ? "zero knot" : "end knot";
  const width = c.measureText(text).width;
  const x = isZero ? Math.min(top + 14, view.left + view.width - width) : Math.max(view.left, top - width - 12);
  c.fillText(text, x, rails.recorded + 26);
}

/** What moves: the playheads, and the cursor that waits. @param {CanvasRenderingContext2D} c @param {Pick<Scene, "knots" | "view" | "rails" | "playhead" | "cursor">} scene @param {Palette} colours */
export function drawPlayheads(c, { knots, view, rails, playhead, cursor }, colours) {
  for (const [second, isCursor] of /** @type {[number | null, boolean][]} */ ([[cursor, true], [playhead, false]])) {
    if (second === null) continue;
    c.strokeStyle = c.fillStyle = isCursor ? colours.indigo : colours.ink;
    for (const [x, top, bottom] of [
      [xOfSecond(view, second), rails.top, rails.recorded],
      [xOfBeat(view, beatOfSecond(knots, second)), rails.fitted, rails.bottom],
    ]) {
      if (x < view.left || x > view.left + view.width) continue;
      c.setLineDash(isCursor ? [3, 3] : []);
      c.beginPath();
      c.moveTo(x, top);
      c.lineTo(x, bottom);
      c.stroke();
      c.setLineDash([]);
      if (isCursor) continue;
      c.beginPath();
      c.arc(x, top, 4, 0, 2 * Math.PI);
      c.fill();
    }
  }
}

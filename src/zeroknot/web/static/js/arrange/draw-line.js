// @ts-check
/** A line of what moves along the song, in its row under a track. */

import { between, heightOf, isByOctaves } from "./line-model.js";

/** @typedef {import("./line-model.js").Point} Point */
/** still: what holds where there is no line; chosen: of its points, −1 for none. @typedef {{range: import("./line-model.js").Range, points: readonly Point[], still: number, chosen: number, perBeat: number, scrollX: number}} Row */

const [EDGE, DOT, BENT_PARTS] = [7, 3.5, 16];

/** Where a value stands in a row so high. @param {import("./line-model.js").Range} range @param {number} value @param {number} height */
export const yOfValue = (range, value, height) => EDGE + (1 - heightOf(range, value)) * (height - 2 * EDGE);

/** How high a point of the row stands, 0 to 1. @param {number} y @param {number} height */
export const heightAt = (y, height) => 1 - (y - EDGE) / (height - 2 * EDGE);

/** @param {CanvasRenderingContext2D} c @param {import("../ui/frames.js").Sheet} sheet @param {Row} row */
export function drawLine(c, { width, height, colours }, { range, points, still, chosen, perBeat, scrollX }) {
  const x = (/** @type {number} */ beat) => beat * perBeat - scrollX;
  const y = (/** @type {number} */ value) => yOfValue(range, value, height);
  c.beginPath();
  if (!points.length) {
    c.setLineDash([4, 4]);
    c.moveTo(0, y(still));
    c.lineTo(width, y(still));
    c.strokeStyle = colours.quiet;
    c.stroke();
    c.setLineDash([]);
    return;
  }
  const last = points[points.length - 1];
  c.moveTo(Math.min(0, x(points[0].beat)), y(points[0].value));
  points.forEach((point, i) => {
    c.lineTo(x(point.beat), y(point.value));
    const next = points[i + 1];
    if (!next || x(next.beat) < 0 || x(point.beat) > width) return;
    const isBent = Math.abs(point.bend) >= 0.01 || isByOctaves(range);
    const parts = point.shape === "step" ? 1 : isBent ? BENT_PARTS : 0;
    for (let k = 1; k <= parts; k += 1) {
      c.lineTo(x(point.beat + ((next.beat - point.beat) * k) / parts), y(between(point, next, k / parts, range.unit === "hz")));
    }
  });
  c.lineTo(Math.max(width, x(last.beat)), y(last.value));
  c.strokeStyle = colours.indigo;
  c.lineWidth = 1.75;
  c.stroke();
  points.forEach((point, i) => {
    if (x(point.beat) < -DOT || x(point.beat) > width + DOT) return;
    c.fillStyle = i === chosen ? colours.indigo : colours.panel;
    c.beginPath();
    c.rect(x(point.beat) - DOT, y(point.value) - DOT, 2 * DOT, 2 * DOT);
    c.fill();
    c.lineWidth = 1.5;
    c.stroke();
  });
}

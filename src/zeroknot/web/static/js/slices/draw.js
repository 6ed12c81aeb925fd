// @ts-check
/** The Slices view's strokes: the cut above, the new order below, a thread from each tile to where it came from. */

import { along } from "../engine/schedule.js";
import { drawWaves } from "../loom/lod.js";
import { pulsesBetween } from "../metre.js";
import { beatOf, xOf } from "../ui/sight.js";
import { boxOf, hasRoom, marksOf, xOfSecond } from "./model.js";

/** @typedef {import("./model.js").Bands} Bands */
/** @typedef {import("../ui/frames.js").Palette} Palette */
/**
 * chosen: pieces; picked: tiles; pointed: a tile; dragged: tiles as they would lie; level: of a line that is drawn
 * @typedef {{sight: import("../ui/sight.js").Sight, span: import("./model.js").Span, bands: Bands, slices: import("./model.js").HandSlices,
 *   metres: import("../types.js").MetreSpan[], chosen: Set<number>, picked: Set<number>, pointed: number, held: Set<number>,
 *   dragged: {by: number, copies: boolean} | null, movedCut: {index: number, second: number} | null, line: [number, number, number, number] | null,
 *   sound: {source: import("../loom/lod.js").Waves | null, render: import("../loom/lod.js").Waves | null, sheet: import("../types.js").HandSheet | null, sourceRate: number},
 *   heardSecond: number | null, heardBeat: number | null}} Scene
 */

const MONO = "11px 'Spline Sans Mono Variable', monospace";
const BOLD = "600 11px 'Spline Sans Mono Variable', monospace";
const TEXT = "14px 'Spline Sans Variable', sans-serif";
const MOST_THREADS = 160;

/** Everything that stands still. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawSlices(c, scene, colours) {
  const { bands, span, sight } = scene;
  c.textBaseline = "alphabetic";
  for (const [x, width, from, to] of [[span.left, span.width, bands.top, bands.bottom], [sight.left, sight.width, bands.order, bands.end]]) {
    c.fillStyle = colours.panel;
    c.fillRect(x, from, width, to - from);
    c.strokeStyle = colours.line;
    c.lineWidth = 1;
    c.strokeRect(x + 0.5, from + 0.5, width - 1, to - from - 1);
  }
  c.save();
  c.beginPath();
  c.rect(span.left - 8, 0, span.width + 16, bands.end + 24);
  c.clip();
  drawPieces(c, scene, colours);
  if (scene.slices.is_cut) {
    drawThreads(c, scene, colours);
    drawTiles(c, scene, colours);
    drawPulses(c, scene, colours);
  } else {
    c.fillStyle = colours.quiet;
    c.font = TEXT;
    c.textAlign = "center";
    c.fillText("Once it is cut its slices lie here, to be put in a new order.", sight.left + sight.width / 2, (bands.order + bands.end) / 2, sight.width - 20);
    c.textAlign = "left";
  }
  c.restore();
}

/** The recording, piece by piece in its dye. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawPieces(c, { bands, span, slices, chosen, sound, movedCut }, colours) {
  const { edges } = slices;
  const height = bands.bottom - bands.top;
  const source = sound.source;
  let lastNumber = -Infinity;
  for (let i = 0; i + 1 < edges.length; i += 1) {
    const [a, b] = [xOfSecond(span, edges[i]), xOfSecond(span, edges[i + 1])];
    if (b < span.left || a > span.left + span.width) continue;
    const piece = slices.pieces[i];
    c.fillStyle = colours.yarn(i);
    c.globalAlpha = chosen.has(i) ? 0.26 : 0.07;
    c.fillRect(a, bands.top, b - a, height);
    c.globalAlpha = piece?.muted ? 0.25 : 1;
    if (source) {
      const box = { x: Math.max(a, span.left), y: bands.top + 12, width: Math.min(b, span.left + span.width) - Math.max(a, span.left), height: height - 20 };
      const at = (/** @type {number} */ x) => (span.from + ((box.x + x - span.left) / span.width) * (span.to - span.from)) * sound.sourceRate;
      drawWaves(c, source, box, at, slices.is_cut ? colours.yarn(i) : colours.quiet, source.loudest || 1);
    }
    c.globalAlpha = 1;
    if (!slices.is_cut) continue;
    drawCut(c, a, bands, colours, chosen.has(i) ? 2 : 1.25);
    if (a - lastNumber > 15) {
      c.font = chosen.has(i) ? BOLD : MONO;
      c.fillStyle = chosen.has(i) ? colours.ink : colours.quiet;
      c.fillText(String(i + 1), a + 4, bands.top + 11);
      lastNumber = a;
    }
  }
  if (!movedCut) return;
  c.globalAlpha = 0.9;
  c.strokeStyle = colours.madder;
  const x = Math.round(xOfSecond(span, movedCut.second)) + 0.5;
  c.lineWidth = 1.5;
  c.beginPath();
  c.moveTo(x, bands.top);
  c.lineTo(x, bands.bottom);
  c.stroke();
  c.globalAlpha = 1;
}

/** A cut: an open ring on the rail's edge with a short tick, never a bar through the wave. @param {CanvasRenderingContext2D} c @param {number} x @param {Bands} bands @param {Palette} colours @param {number} width */
function drawCut(c, x, bands, colours, width) {
  c.strokeStyle = colours.ink;
  c.lineWidth = width;
  c.beginPath();
  for (const [from, to] of [[bands.top, bands.top + 10], [bands.bottom - 8, bands.bottom - 3.5]]) {
    c.moveTo(x, from);
    c.lineTo(x, to);
  }
  c.stroke();
  c.beginPath();
  c.arc(x, bands.bottom, 3.5, 0, 2 * Math.PI);
  c.fillStyle = colours.panel;
  c.fill();
  c.stroke();
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawThreads(c, { bands, span, sight, slices, picked, chosen, pointed }, colours) {
  const { edges, order } = slices;
  const inSight = order.tiles.flatMap((t, i) => (t.beat < sight.to && t.beat + t.beats > sight.from ? [i] : []));
  const isCalm = inSight.length > MOST_THREADS;
  for (const i of inSight) {
    const tile = order.tiles[i];
    if (tile.muted || edges[tile.piece + 1] === undefined) continue;
    const isMeant = picked.has(i) || pointed === i || chosen.has(tile.piece);
    // Of a great many only those that somebody looks at.
    if (isCalm && !isMeant) continue;
    const top = xOfSecond(span, (edges[tile.piece] + edges[tile.piece + 1]) / 2);
    const below = xOf(sight, tile.beat + tile.beats / 2);
    const [y0, y1] = [bands.bottom + 5, bands.order];
    c.strokeStyle = colours.yarn(tile.piece);
    c.lineWidth = isMeant ? 2.4 : 1.5;
    c.globalAlpha = isMeant ? 1 : 0.62;
    c.beginPath();
    c.moveTo(top, y0);
    c.bezierCurveTo(top, y0 + (y1 - y0) * 0.55, below, y0 + (y1 - y0) * 0.45, below, y1);
    c.stroke();
  }
  c.globalAlpha = 1;
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawTiles(c, scene, colours) {
  const { bands, sight, slices, picked, pointed, dragged, sound, held } = scene;
  const { tiles } = slices.order;
  tiles.forEach((tile, i) => {
    if (tile.beat + tile.beats < sight.from || tile.beat > sight.to) return;
    const leaves = dragged && !dragged.copies && picked.has(i);
    drawTile(c, scene, tile, { isPicked: picked.has(i), isPointed: pointed === i, isHeld: held.has(i), alpha: leaves ? 0.25 : 1 }, colours);
  });
  drawFelt(c, scene, colours);
  const { render, sheet } = sound;
  if (render && sheet && !dragged) {
    const box = { x: sight.left, y: bands.order + 18, width: sight.width, height: bands.end - bands.order - 36 };
    c.save();
    c.globalCompositeOperation = "source-atop";
    for (const tile of tiles) {
      const own = boxOf(sight, bands, tile);
      if (own.x + own.width < sight.left || own.x > sight.left + sight.width || tile.muted) continue;
      const part = { x: own.x, y: box.y, width: Math.max(1, own.width), height: box.height };
      drawWaves(c, render, part, (x) => sheet.lead + along(sheet.beats, 0, 1, beatOf(sight, own.x + x)), colours.yarn(tile.piece), render.loudest || 1);
    }
    c.restore();
  }
  if (dragged) {
    for (const i of picked) {
      const tile = tiles[i];
      if (tile) drawTile(c, scene, { ...tile, beat: tile.beat + dragged.by }, { isPicked: true, isPointed: false, isHeld: false, alpha: 0.8 }, colours);
    }
  }
  drawLine(c, scene, colours);
}

/** Where a groove has the tiles: a dot on the order's upper edge, and a thread to it from where the tile was put. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawFelt(c, { bands, sight, slices }, colours) {
  const { felt, tiles } = slices.order;
  c.strokeStyle = c.fillStyle = colours.ink;
  c.lineWidth = 1.25;
  felt.forEach((beat, i) => {
    const [from, to] = [xOf(sight, tiles[i]?.beat ?? beat), xOf(sight, beat)];
    if (Math.abs(to - from) < 0.75 || to < sight.left || to > sight.left + sight.width) return;
    c.beginPath();
    c.moveTo(from, bands.order + 3);
    c.lineTo(to, bands.order - 4);
    c.stroke();
    c.beginPath();
    c.arc(to, bands.order - 4, 2.2, 0, 2 * Math.PI);
    c.fill();
  });
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {import("./model.js").Tile} tile @param {{isPicked: boolean, isPointed: boolean, isHeld: boolean, alpha: number}} how @param {Palette} colours */
function drawTile(c, { bands, sight, slices }, tile, how, colours) {
  const box = boxOf(sight, bands, tile);
  c.globalAlpha = how.alpha * (tile.muted ? 0.05 : how.isPicked ? 0.3 : how.isPointed ? 0.2 : 0.12);
  c.fillStyle = colours.yarn(tile.piece);
  c.beginPath();
  c.roundRect(box.x, box.y, box.width, box.height, Math.min(6, box.width / 4));
  c.fill();
  c.globalAlpha = how.alpha;
  if (how.isPicked || tile.muted) {
    c.strokeStyle = colours.yarn(tile.piece);
    c.setLineDash(tile.muted ? [3, 3] : []);
    c.lineWidth = how.isPicked ? 2 : 1;
    c.stroke();
    c.setLineDash([]);
  }
  if (hasRoom(box)) {
    c.fillStyle = tile.muted ? colours.quiet : colours.yarn(tile.piece);
    c.font = BOLD;
    c.textAlign = "left";
    c.fillText(String(tile.piece + 1), box.x + 5, box.y + 13);
    const marks = marksOf(tile, slices.pieces[tile.piece]);
    if (marks) {
      // Beside the number, or under it where there is no room.
      const isBeside = box.width > 46;
      c.font = MONO;
      c.fillStyle = colours.ink;
      c.textAlign = isBeside ? "right" : "left";
      c.fillText(marks, isBeside ? box.x + box.width - 4 : box.x + 4, box.y + (isBeside ? 13 : 27), box.width - (isBeside ? 24 : 5));
      c.textAlign = "left";
    }
  }
  // How loud: a bar at its foot, as long as the level is high.
  if (box.width > 6) {
    const share = Math.max(0, Math.min(1, (tile.gain_db + 24) / 36));
    c.fillStyle = colours.quiet;
    c.globalAlpha = how.alpha * 0.8;
    c.fillRect(box.x + 3, box.y + box.height - 6, (box.width - 6) * share, 3);
    if (how.isHeld) {
      c.strokeStyle = colours.ink;
      c.lineWidth = 1.5;
      c.beginPath();
      c.arc(box.x + box.width / 2, box.y, 3, 0, 2 * Math.PI);
      c.fillStyle = colours.ink;
      c.fill();
    }
  }
  c.globalAlpha = 1;
}

/** Levels as they are being drawn. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawLine(c, { line }, colours) {
  if (!line) return;
  c.strokeStyle = colours.madder;
  c.lineWidth = 2;
  c.beginPath();
  c.moveTo(line[0], line[1]);
  c.lineTo(line[2], line[3]);
  c.stroke();
}

/** The order's bars and pulses under it. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawPulses(c, { bands, sight, metres, slices }, colours) {
  const perBeat = sight.width / (sight.to - sight.from);
  let last = -Infinity;
  c.font = MONO;
  for (const p of pulsesBetween([{ ...metres[0], beat: 0, bar: 1 }], sight.from, Math.min(slices.order.beats, sight.to), perBeat, 26, 0, 1)) {
    const x = Math.round(xOf(sight, p.beat)) + 0.5;
    const isBar = p.number === 1 && p.part === 0;
    c.strokeStyle = isBar ? colours.quiet : colours.line;
    c.lineWidth = 1;
    c.beginPath();
    c.moveTo(x, bands.end);
    c.lineTo(x, bands.end + (isBar ? 8 : 4));
    c.stroke();
    if (p.part || x - last < 40) continue;
    last = x;
    c.fillStyle = colours.quiet;
    c.fillText(`${p.bar}.${p.number}`, x + 3, bands.end + 15);
  }
}

/** What moves: where it is heard, in the cut and in the order. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawHeard(c, { bands, span, sight, heardBeat, heardSecond }, colours) {
  c.strokeStyle = colours.ink;
  c.fillStyle = colours.ink;
  c.lineWidth = 1.5;
  /** @param {number} x @param {number} from @param {number} to */
  const stroke = (x, from, to) => {
    c.beginPath();
    c.moveTo(x, from);
    c.lineTo(x, to);
    c.stroke();
    c.beginPath();
    c.arc(x, from, 3.5, 0, 2 * Math.PI);
    c.fill();
  };
  if (heardSecond !== null) stroke(xOfSecond(span, heardSecond), bands.top, bands.bottom);
  if (heardBeat !== null && heardBeat >= sight.from && heardBeat <= sight.to) stroke(xOf(sight, heardBeat), bands.order, bands.end);
}

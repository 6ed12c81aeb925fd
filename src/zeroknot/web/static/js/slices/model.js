// @ts-check
/**
 * The Slices view's sums: where pieces and tiles are drawn, which is meant, what is said of them.
 * Pure; what an order becomes is told by the server.
 */

import { along } from "../engine/schedule.js";
import { db, round, seconds, semitones } from "../format.js";
import { xOf } from "../ui/sight.js";

/** @typedef {import("../types.js").HandSlices} HandSlices */
/** @typedef {import("../types.js").Tile} Tile */
/** @typedef {import("../types.js").Piece} Piece */
/** @typedef {import("../ui/sight.js").Sight} Sight */
/** @typedef {{ruler: number, top: number, bottom: number, order: number, end: number}} Bands y of edges: the cut from top to bottom, the order from `order` to `end` */
/** @typedef {{left: number, width: number, from: number, to: number}} Span seconds of the cut in sight, and the pixels they take */

const EDGE_PIXELS = 6; // around a cut, in which it is meant
const NUMBER_ROOM = 22;

/** @param {number} height @returns {Bands} */
export function bandsOf(height) {
  const [ruler, foot] = [20, 20];
  const inner = Math.max(180, height - ruler - foot - 18);
  const top = ruler;
  const bottom = top + inner * 0.36;
  const order = top + inner * 0.6;
  return { ruler, top, bottom, order, end: top + inner };
}

/** @param {Span} span @param {number} second */
export const xOfSecond = (span, second) => span.left + ((second - span.from) / (span.to - span.from)) * span.width;

/** @param {Span} span @param {number} x */
export const secondOf = (span, x) => span.from + ((x - span.left) / span.width) * (span.to - span.from);

/** The piece that holds a second; −1 outside all. @param {number[]} edges @param {number} second */
export function pieceAt(edges, second) {
  if (second < edges[0] || second >= edges[edges.length - 1]) return -1;
  let [low, high] = [0, edges.length - 1];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (edges[middle] <= second) low = middle;
    else high = middle;
  }
  return low;
}

/** The cut that a pointer means: the piece that begins there; 0 where it means none, for the one is not moved. @param {number[]} edges @param {Span} span @param {number} x */
export function cutAt(edges, span, x) {
  let [best, nearest] = [0, EDGE_PIXELS];
  for (let i = 1; i < edges.length - 1; i += 1) {
    const away = Math.abs(xOfSecond(span, edges[i]) - x);
    if (away < nearest) [best, nearest] = [i, away];
  }
  return best;
}

/** The tile under a beat; −1 for a rest. @param {Tile[]} tiles @param {number} beat */
export function tileAt(tiles, beat) {
  let [low, high] = [-1, tiles.length];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (tiles[middle].beat <= beat + 1e-9) low = middle;
    else high = middle;
  }
  const tile = tiles[low];
  return tile && beat < tile.beat + tile.beats ? low : -1;
}

/** Tiles between two beats, as indices from and to. @param {Tile[]} tiles @param {number} from @param {number} to */
export function tilesIn(tiles, from, to) {
  const [a, b] = from <= to ? [from, to] : [to, from];
  return tiles.flatMap((t, i) => (t.beat < b - 1e-9 && t.beat + t.beats > a + 1e-9 ? [i] : []));
}

/** As little as a tile of an order is moved by: the shortest of its lengths that comes often, or a sixteenth. @param {Tile[]} tiles */
export function gridOf(tiles) {
  /** @type {Map<number, number>} */
  const lengths = new Map();
  for (const tile of tiles) lengths.set(round(tile.beats, 4), (lengths.get(round(tile.beats, 4)) ?? 0) + 1);
  const common = [...lengths].filter(([, count]) => count * 4 >= tiles.length).map(([beats]) => beats);
  return common.length ? Math.min(1, ...common) : 0.25;
}

/** Where a tile is drawn. @param {Sight} sight @param {Bands} bands @param {Tile} tile */
export function boxOf(sight, bands, tile) {
  const [a, b] = [xOf(sight, tile.beat), xOf(sight, tile.beat + tile.beats)];
  const gap = b - a > 8 ? 2 : b - a > 3 ? 1 : 0;
  return { x: a + gap / 2, y: bands.order + 3, width: Math.max(1, b - a - gap), height: bands.end - bands.order - 6 };
}

/** Is there room to write on it? @param {{width: number}} box */
export const hasRoom = (box) => box.width >= NUMBER_ROOM;

/** What is written beside a tile's number: a roll, a shift, that it is reversed. @param {Tile} tile @param {Piece} piece */
export function marksOf(tile, piece) {
  const marks = tile.also.length ? [`+${tile.also.map((i) => i + 1).join("+")}`] : [];
  if (tile.reverse !== piece.reverse) marks.push("⇄");
  const shift = round(tile.semitones, 2);
  if (shift) marks.push(`${shift > 0 ? "+" : "−"}${Math.abs(shift)}`);
  if (tile.hits > 1) marks.push(`×${tile.hits}${tile.rise_db > 0 ? "↗" : tile.rise_db < 0 ? "↘" : ""}`);
  return marks.join(" ");
}

/** How many pieces are its own; those that are borrowed are numbered after them. @param {HandSlices} slices */
export const ownCount = (slices) => slices.edges.length - 1;

/** Where a piece lies in its recording. @param {HandSlices} slices @param {number} index */
export function whereText(slices, index) {
  const borrowed = slices.borrowed[index - ownCount(slices)];
  const [from, to] = borrowed ? [borrowed.start, borrowed.stop] : slices.edges.slice(index, index + 2);
  return `${seconds(from, 3)} – ${seconds(to, 3)}${borrowed ? ` of ${borrowed.name}` : ""}`;
}

/** @param {HandSlices} slices @param {number} index */
export function pieceText(slices, index) {
  const { name } = slices.pieces[index];
  return `${whereText(slices, index)}${name ? ` · ${name}` : ""}`;
}

/** The beat at which a second of the recording is laid; along the knots. @param {HandSlices} slices @param {number} second */
export const beatAt = (slices, second) => along(slices.warp, 0, 1, second);

/** The other way round. @param {HandSlices} slices @param {number} beat */
export const secondAt = (slices, beat) => along(slices.warp, 1, 0, beat);

/** What a tile is, for who points at it. @param {HandSlices} slices @param {Tile} tile @param {string} place */
export function tileText(slices, tile, place) {
  const parts = [`${place}: slice ${tile.piece + 1}`];
  const { name } = slices.pieces[tile.piece];
  if (name) parts[0] += ` (${name})`;
  if (tile.also.length) parts[0] += ` with ${tile.also.map((i) => i + 1).join(", ")}`;
  if (tile.muted) parts.push("muted");
  if (tile.reverse) parts.push("reversed");
  if (tile.semitones) parts.push(semitones(tile.semitones));
  if (tile.gain_db) parts.push(db(tile.gain_db));
  if (tile.hits > 1) parts.push(`${tile.hits} hits`);
  return parts.join(", ");
}

/** How many slices, and from what. @param {HandSlices} slices */
export function cutText(slices) {
  if (!slices.is_cut) return "not cut yet";
  const count = ownCount(slices);
  const more = slices.borrowed.length;
  return `${count} slice${count === 1 ? "" : "s"}${more ? ` and ${more} of others` : ""}`;
}

/** @param {HandSlices} slices */
export function orderText(slices) {
  if (!slices.is_cut) return "";
  if (!slices.order.is_own) return "as it was cut";
  const now = slices.dealt.find((d) => d.is_now);
  const { tiles } = slices.order;
  return `${tiles.length} tile${tiles.length === 1 ? "" : "s"}${now ? `, deal ${now.seed}` : ""}`;
}

const CLICKS_DB = -20; // from which a step or a slope is heard as a click: common practice, no source

/** Would its begin click, and what is done about it. @param {[number, number] | undefined} risk @param {Piece} piece */
export function edgeText(risk, piece) {
  if (!risk) return "";
  const [step, slope] = risk;
  const told = `edge: step ${db(step)}, slope ${db(slope)}`;
  if (Math.max(step, slope) < CLICKS_DB) return `${told}; it would not click`;
  return piece.fade_in_ms > 0 ? `${told}; its fade-in takes the click away` : `${told}: it clicks without a fade-in`;
}

/** The value that all of some have; `mixed` where they differ. @template T @param {T[]} values @param {T} mixed */
export const common = (values, mixed) => (values.every((v) => v === values[0]) ? values[0] ?? mixed : mixed);

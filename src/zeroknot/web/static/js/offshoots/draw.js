// @ts-check
/** The strokes of a family: cards with a ring of their hits, threads from parent to child. */

import { CARD } from "./model.js";

/** @typedef {import("../ui/frames.js").Palette} Palette */
/** @typedef {import("./model.js").Place} Place */
/** @typedef {import("./model.js").Tree} Tree */
/** @typedef {{zoom: number, x: number, y: number}} Look */
/** @typedef {{tree: Tree, look: Look, chosen: ReadonlySet<string>, focused: string, heard: string, marked: string, place: number | null}} Scene place: share of the round that is heard */

const RING = { x: 32, radius: 17, longest: 9 };
const LEAST_TEXT = 0.55; // zoom under which a card has no words
const LEAST_RING = 0.3; // and under which it has no ring
const BOLD = "600 12.5px 'Spline Sans Variable', sans-serif";
const SANS = "11px 'Spline Sans Variable', sans-serif";
const MONO = "10.5px 'Spline Sans Mono Variable', monospace";
const TURN = 2 * Math.PI;

/** @param {CanvasRenderingContext2D} c @param {{width: number, height: number, colours: Palette}} sheet @param {Scene} scene */
export function drawFamily(c, { width, height, colours }, scene) {
  const { tree, look } = scene;
  c.save();
  c.translate(look.x, look.y);
  c.scale(look.zoom, look.zoom);
  const seen = { left: -look.x / look.zoom, top: -look.y / look.zoom, right: (width - look.x) / look.zoom, bottom: (height - look.y) / look.zoom };
  for (const [from, to, isMain] of tree.links) if (isSeen(from, to, seen)) drawThread(c, from, to, isMain, colours);
  for (const place of tree.places) if (isSeen(place, place, seen)) drawCard(c, place, scene, colours);
  c.restore();
}

/** @param {Place} a @param {Place} b @param {{left: number, top: number, right: number, bottom: number}} seen */
const isSeen = (a, b, seen) => a.x < seen.right && b.x + CARD.width > seen.left && Math.min(a.y, b.y) < seen.bottom && Math.max(a.y, b.y) + CARD.height > seen.top;

/** @param {CanvasRenderingContext2D} c @param {Place} from @param {Place} to @param {boolean} isMain @param {Palette} colours */
function drawThread(c, from, to, isMain, colours) {
  const [x, y] = [from.x + CARD.width, from.y + CARD.height / 2];
  const [u, v] = [to.x, to.y + CARD.height / 2];
  c.strokeStyle = colours.yarn(to.member.yarn);
  c.globalAlpha = to.member.kind === "grown" ? 0.45 : 0.9;
  c.lineWidth = isMain ? 1.6 : 1;
  c.setLineDash(isMain ? [] : [4, 4]);
  c.beginPath();
  c.moveTo(x, y);
  const bend = Math.max(24, (u - x) * 0.55);
  c.bezierCurveTo(x + bend, y, u - bend, v, u, v);
  c.stroke();
  c.setLineDash([]);
  c.globalAlpha = 1;
}

/** @param {CanvasRenderingContext2D} c @param {Place} place @param {Scene} scene @param {Palette} colours */
function drawCard(c, place, scene, colours) {
  const { member, x, y } = place;
  const isChosen = scene.chosen.has(member.id);
  const isHeard = scene.heard === member.id;
  c.beginPath();
  c.roundRect(x, y, CARD.width, CARD.height, 10);
  c.fillStyle = colours.panel;
  c.fill();
  c.lineWidth = isChosen ? 2 : 1;
  c.strokeStyle = isChosen ? colours.indigo : colours.line;
  // What is no loop yet is only basted.
  c.setLineDash(member.kind === "grown" && !isChosen ? [5, 4] : []);
  c.stroke();
  c.setLineDash([]);
  if (scene.focused === member.id && scene.look.zoom > LEAST_TEXT) {
    c.beginPath();
    c.roundRect(x - 3, y - 3, CARD.width + 6, CARD.height + 6, 12);
    c.strokeStyle = colours.ink;
    c.lineWidth = 1;
    c.stroke();
  }
  if (scene.look.zoom < LEAST_RING) {
    c.fillStyle = colours.yarn(member.yarn);
    c.fillRect(x + 12, y + 12, CARD.height - 24, CARD.height - 24);
    return;
  }
  drawRing(c, x + RING.x, y + CARD.height / 2, place, isHeard ? scene.place : null, colours);
  if (scene.look.zoom < LEAST_TEXT) return;
  const [left, room] = [x + 64, CARD.width - 72];
  c.textBaseline = "alphabetic";
  c.fillStyle = colours.ink;
  c.font = BOLD;
  c.fillText(named(c, member.name, room), left, y + 21);
  c.fillStyle = colours.quiet;
  c.font = SANS;
  c.fillText(fitted(c, member.said, room), left, y + 37);
  c.font = MONO;
  c.fillText(stateOf(place, scene), left, y + 53);
}

/** @param {Place} place @param {Scene} scene */
function stateOf({ member, folded }, scene) {
  const state = scene.heard === member.id ? "sounds" : member.kind === "grown" ? "not kept yet" : member.on_shelf ? (member.kind === "source" ? "from outside" : "kept") : "off the shelf";
  return [state, member.favourite ? "♥" : "", scene.marked === member.id ? "marked" : "", folded ? `+${folded}` : ""].filter(Boolean).join(" ");
}

/** Its hits round a circle, the zero knot on top. @param {CanvasRenderingContext2D} c @param {number} x @param {number} y @param {Place} place @param {number | null} at @param {Palette} colours */
function drawRing(c, x, y, { member }, at, colours) {
  c.strokeStyle = colours.yarn(member.yarn);
  c.lineWidth = 3.5;
  c.beginPath();
  c.arc(x, y, RING.radius - 5, 0, TURN);
  c.stroke();
  c.lineWidth = 2;
  c.beginPath();
  for (const [share, level] of member.ticks) {
    const angle = TURN * share - TURN / 4;
    const [inner, outer] = [RING.radius - 3, RING.radius - 3 + 2 + RING.longest * level];
    c.moveTo(x + inner * Math.cos(angle), y + inner * Math.sin(angle));
    c.lineTo(x + outer * Math.cos(angle), y + outer * Math.sin(angle));
  }
  c.stroke();
  c.strokeStyle = colours.ink;
  c.lineWidth = 1.6;
  c.beginPath();
  c.arc(x, y - RING.radius - 4, 3.2, 0, TURN);
  c.fillStyle = colours.panel;
  c.fill();
  c.stroke();
  if (at === null) return;
  const angle = TURN * at - TURN / 4;
  c.beginPath();
  c.moveTo(x, y);
  c.lineTo(x + (RING.radius + 8) * Math.cos(angle), y + (RING.radius + 8) * Math.sin(angle));
  c.stroke();
}

/** A name with its end, where its number is. @param {CanvasRenderingContext2D} c @param {string} text @param {number} room */
function named(c, text, room) {
  if (c.measureText(text).width <= room) return text;
  const end = /( \d+| [^ ]{1,9})$/.exec(text)?.[0] ?? "";
  return fitted(c, text.slice(0, text.length - end.length), room - c.measureText(end).width) + end;
}

/** As much of a text as there is room for. @param {CanvasRenderingContext2D} c @param {string} text @param {number} room */
function fitted(c, text, room) {
  if (c.measureText(text).width <= room) return text;
  let end = text.length;
  while (end > 1 && c.measureText(`${text.slice(0, end)}…`).width > room) end -= Math.max(1, Math.floor(end / 16));
  return `${text.slice(0, end)}…`;
}

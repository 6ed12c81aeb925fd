// @ts-check
/** The notes' strokes: a lane a pitch, a note as long as it is held, how hard it is struck at the foot. */

import { pulsesBetween } from "../metre.js";
import { xOf } from "../ui/sight.js";
import { isBlack, laneName, noteBox } from "./lanes.js";

/** @typedef {import("../ui/frames.js").Palette} Palette */
/**
 * dragged: chosen notes as they would lie
 * @typedef {{sight: import("../ui/sight.js").Sight, lanes: import("./lanes.js").Lanes, notes: import("./lanes.js").HandLanes, picked: Set<number>,
 *   metres: import("../types.js").MetreSpan[], dragged: {by: number, semitones: number, longer: number, copies: boolean} | null,
 *   frame: [number, number, number, number] | null, line: [number, number, number, number] | null, yarn: number, heardBeat: number | null}} Scene
 */

const MONO = "10px 'Spline Sans Mono Variable', monospace";
const NAME_ROOM = 10; // pixels of a lane from which on its name is written

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawLanes(c, scene, colours) {
  const { sight, lanes, notes } = scene;
  const isDrums = notes.notes.some((n) => notes.drums.includes(n.part));
  c.font = MONO;
  c.textBaseline = "middle";
  const used = new Set(notes.notes.map((n) => n.pitch));
  lanes.pitches.forEach((pitch, i) => {
    const y = lanes.top + i * lanes.height;
    c.fillStyle = colours.panel;
    c.globalAlpha = !isDrums && isBlack(pitch) ? 0.45 : 1;
    c.fillRect(sight.left, y, sight.width, lanes.height - 0.5);
    c.globalAlpha = 1;
    const isNamed = lanes.height >= NAME_ROOM || used.has(pitch) || pitch % 12 === 0;
    if (!isNamed) return;
    c.fillStyle = used.has(pitch) ? colours.ink : colours.quiet;
    c.textAlign = "right";
    c.fillText(laneName(pitch, isDrums), sight.left - 6, y + lanes.height / 2, sight.left - 8);
  });
  c.textAlign = "left";
  c.textBaseline = "alphabetic";
  c.save();
  c.beginPath();
  c.rect(sight.left - 4, 0, sight.width + 8, lanes.end + 20);
  c.clip();
  drawGrid(c, scene, colours);
  notes.notes.forEach((note, i) => drawNote(c, scene, note, scene.picked.has(i), colours));
  drawDragged(c, scene, colours);
  c.restore();
  c.strokeStyle = colours.line;
  c.lineWidth = 1;
  c.strokeRect(sight.left + 0.5, lanes.foot + 0.5, sight.width - 1, lanes.end - lanes.foot - 1);
  c.fillStyle = colours.quiet;
  c.textAlign = "right";
  c.fillText("velocity", sight.left - 6, lanes.foot + 12, sight.left - 8);
  c.textAlign = "left";
  if (scene.frame) {
    const [x, y, toX, toY] = scene.frame;
    c.strokeStyle = colours.indigo;
    c.setLineDash([4, 3]);
    c.strokeRect(x, y, toX - x, toY - y);
    c.setLineDash([]);
  }
  if (scene.line) {
    c.strokeStyle = colours.madder;
    c.lineWidth = 2;
    c.beginPath();
    c.moveTo(scene.line[0], scene.line[1]);
    c.lineTo(scene.line[2], scene.line[3]);
    c.stroke();
  }
}

/** Bars and pulses behind the notes. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawGrid(c, { sight, lanes, metres, notes }, colours) {
  const perBeat = sight.width / (sight.to - sight.from);
  let last = -Infinity;
  c.font = MONO;
  for (const p of pulsesBetween([{ ...metres[0], beat: 0, bar: 1 }], sight.from, Math.min(notes.span, sight.to), perBeat, 18, 0, 1)) {
    const x = Math.round(xOf(sight, p.beat)) + 0.5;
    const isBar = p.number === 1 && p.part === 0;
    c.strokeStyle = isBar ? colours.quiet : colours.line;
    c.lineWidth = 1;
    c.beginPath();
    c.moveTo(x, isBar ? 6 : lanes.top);
    c.lineTo(x, lanes.foot - 10);
    c.stroke();
    if (p.part || x - last < 40) continue;
    last = x;
    c.fillStyle = colours.quiet;
    c.fillText(`${p.bar}.${p.number}`, x + 3, 14);
  }
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {import("./lanes.js").LaneNote} note @param {boolean} isPicked @param {Palette} colours */
function drawNote(c, { sight, lanes, yarn, dragged }, note, isPicked, colours) {
  const box = noteBox(sight, lanes, note);
  if (box.x > sight.left + sight.width || box.x + box.width < sight.left) return;
  const leaves = isPicked && dragged && !dragged.copies;
  c.fillStyle = colours.yarn(yarn);
  c.globalAlpha = (leaves ? 0.3 : 1) * (0.35 + 0.65 * (note.velocity / 127));
  c.beginPath();
  c.roundRect(box.x, box.y, box.width, box.height, Math.min(3, box.height / 3));
  c.fill();
  c.globalAlpha = 1;
  if (isPicked) {
    c.strokeStyle = colours.ink;
    c.lineWidth = 2;
    c.stroke();
  }
  // How hard: a stem at the foot with an open head.
  const y = lanes.end - ((lanes.end - lanes.foot) * note.velocity) / 127;
  c.strokeStyle = isPicked ? colours.ink : colours.yarn(yarn);
  c.lineWidth = isPicked ? 2 : 1.5;
  c.beginPath();
  c.moveTo(box.x, lanes.end);
  c.lineTo(box.x, y + 3);
  c.stroke();
  c.beginPath();
  c.arc(box.x, y + 3, 3, 0, 2 * Math.PI);
  c.fillStyle = colours.panel;
  c.fill();
  c.stroke();
}

/** @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
function drawDragged(c, { sight, lanes, notes, picked, dragged, yarn }, colours) {
  if (!dragged) return;
  for (const i of picked) {
    const note = notes.notes[i];
    if (!note) continue;
    const box = noteBox(sight, lanes, { ...note, beat: note.beat + dragged.by, beats: Math.max(0.01, note.beats + dragged.longer), pitch: note.pitch + dragged.semitones });
    c.fillStyle = colours.yarn(yarn);
    c.globalAlpha = 0.8;
    c.fillRect(box.x, box.y, box.width, box.height);
    c.globalAlpha = 1;
    c.strokeStyle = colours.ink;
    c.lineWidth = 1.5;
    c.strokeRect(box.x, box.y, box.width, box.height);
  }
}

/** Where it is heard. @param {CanvasRenderingContext2D} c @param {Scene} scene @param {Palette} colours */
export function drawLanesHeard(c, { sight, lanes, heardBeat }, colours) {
  if (heardBeat === null || heardBeat < sight.from || heardBeat > sight.to) return;
  const x = xOf(sight, heardBeat);
  c.strokeStyle = c.fillStyle = colours.ink;
  c.lineWidth = 1.5;
  c.beginPath();
  c.moveTo(x, lanes.top);
  c.lineTo(x, lanes.foot - 10);
  c.stroke();
  c.beginPath();
  c.arc(x, lanes.top, 3.5, 0, 2 * Math.PI);
  c.fill();
}

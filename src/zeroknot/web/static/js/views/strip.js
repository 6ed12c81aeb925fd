// @ts-check
/** The strip: the whole project, bar by bar; click to go, drag to set the cycle, drop to place. */

import { barLine, beatOfBar, nextBarLine, pulsesBetween } from "../metre.js";
import { Scope } from "../scope.js";
import { fitted, palette, paletteName } from "../ui/colours.js";
import { cycleOf, setCycle } from "./transport.js";

const LEFT = 12;
const LEAST_BARS = 16;
const LEAST_APART = 44; // pixels from number to number

/** @param {import("../session.js").Session} session @param {HTMLCanvasElement} canvas */
export function startStrip(session, canvas) {
  const scope = new Scope();
  /** @type {{from: number, to: number} | null} */
  let dragged = null;
  let isDown = false;

  const metres = () => session.state.metres;
  const bars = () => Math.max(LEAST_BARS, session.state.last_bar + 1);
  let width = canvas.clientWidth;
  scope.onResize(canvas, () => { width = canvas.clientWidth; });
  const perBeat = () => (width - 2 * LEFT) / beatOfBar(metres(), bars() + 1);
  /** @param {number} beat */
  const xOf = (beat) => LEFT + beat * perBeat();
  /** @param {number} clientX */
  const beatAt = (clientX) =>
    Math.max(0, (clientX - canvas.getBoundingClientRect().left - LEFT) / perBeat());

  scope.on(canvas, "pointerdown", (/** @type {PointerEvent} */ event) => {
    if (event.button !== 0) return;
    isDown = true;
    canvas.setPointerCapture(event.pointerId);
    const beat = beatAt(event.clientX);
    dragged = { from: beat, to: beat };
  });
  scope.on(canvas, "pointermove", (/** @type {PointerEvent} */ event) => {
    if (isDown && dragged) dragged.to = beatAt(event.clientX);
  });
  scope.on(canvas, "pointerup", (/** @type {PointerEvent} */ event) => {
    if (!isDown || !dragged) return;
    isDown = false;
    const [a, b] = [Math.min(dragged.from, dragged.to), Math.max(dragged.from, dragged.to)];
    if ((b - a) * perBeat() < 5) {
      session.engine().song.go(event.altKey ? a : barLine(metres(), a).beat);
    } else {
      const from = event.altKey ? a : barLine(metres(), a).beat;
      const to = event.altKey ? b : nextBarLine(metres(), b);
      session.engine();
      setCycle(session, { from, to, on: true });
    }
    dragged = null;
  });
  scope.on(canvas, "keydown", (/** @type {KeyboardEvent} */ event) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const { bar } = barLine(metres(), session.beat());
    session.engine().song.go(beatOfBar(metres(), Math.max(1, bar + by * (event.shiftKey ? 10 : 1))));
  });

  let drawn = "";
  scope.everyFrame(() => {
    // What looks as before is not drawn again.
    const looks = JSON.stringify([
      session.state.revision, Math.round(2 * xOf(session.beat())), dragged, cycleOf(session), width, devicePixelRatio, paletteName(),
    ]);
    if (looks === drawn) return;
    drawn = looks;
    const context = fitted(canvas);
    const height = canvas.clientHeight;
    const colours = palette();
    const { state } = session;
    const cycle = dragged && Math.abs(dragged.to - dragged.from) * perBeat() >= 5
      ? { from: Math.min(dragged.from, dragged.to), to: Math.max(dragged.from, dragged.to), on: true }
      : cycleOf(session);
    if (cycle.to > cycle.from) {
      context.fillStyle = colours.ochre;
      context.globalAlpha = cycle.on ? 0.2 : 0.07;
      context.fillRect(xOf(cycle.from), 16, (cycle.to - cycle.from) * perBeat(), height - 16);
      context.globalAlpha = 1;
      if (cycle.on) context.fillRect(xOf(cycle.from), 14, (cycle.to - cycle.from) * perBeat(), 2);
    }
    context.font = "11px 'Spline Sans Mono Variable', monospace";
    const end = beatOfBar(metres(), bars() + 1);
    const named = new Set(pulsesBetween(metres(), 0, end, perBeat(), LEAST_APART).filter((p) => p.step >= 1).map((p) => p.bar));
    for (let bar = 1; bar <= bars() + 1; bar += 1) {
      const x = Math.round(xOf(beatOfBar(metres(), bar))) + 0.5;
      const isNamed = named.has(bar) || beatOfBar(metres(), 2) * perBeat() >= LEAST_APART;
      context.strokeStyle = colours.line;
      context.beginPath();
      context.moveTo(x, isNamed ? 4 : 20);
      context.lineTo(x, height);
      context.stroke();
      if (isNamed) {
        context.fillStyle = colours.quiet;
        context.fillText(String(bar), x + 4, 11);
      }
    }
    const rows = Math.max(4, state.tracks.length);
    const thick = Math.min(6, (height - 20) / rows - 1.5);
    const strands = new Map(state.strands.map((s) => [s.id, s]));
    for (const clip of state.clips) {
      const row = state.tracks.findIndex((t) => t.id === clip.track);
      context.fillStyle = colours.yarn(strands.get(clip.strand)?.yarn ?? 0);
      context.globalAlpha = clip.muted || state.tracks[row]?.muted ? 0.3 : 0.9;
      const y = 19 + row * ((height - 22) / rows);
      context.beginPath();
      context.roundRect(xOf(clip.beat) + 0.5, y, Math.max(2, clip.beats * perBeat() - 1.5), thick, 2);
      context.fill();
    }
    context.globalAlpha = 1;
    if (state.tempos.length > 1) drawTempo(context, state, xOf, height, colours);
    const x = xOf(Math.max(0, session.beat()));
    context.strokeStyle = context.fillStyle = colours.ink;
    context.beginPath();
    context.moveTo(x, 10);
    context.lineTo(x, height);
    context.stroke();
    context.beginPath();
    context.arc(x, 11, 4, 0, 2 * Math.PI);
    context.fill();
  });

  return {
    scope,
    /** The bar line at or before a point, in beats; null outside the strip. @param {number} clientX @param {number} clientY */
    barAt(clientX, clientY) {
      const box = canvas.getBoundingClientRect();
      if (clientX < box.left || clientX > box.right || clientY < box.top || clientY > box.bottom) return null;
      return barLine(metres(), beatAt(clientX)).beat;
    },
  };
}

/** A tempo that moves: its line over the clips, a ring on each of its points. @param {CanvasRenderingContext2D} c @param {import("../types.js").ProjectState} state @param {(beat: number) => number} xOf @param {number} height @param {ReturnType<typeof palette>} colours */
function drawTempo(c, state, xOf, height, colours) {
  const tempos = state.tempo_line.map(([, bpm]) => bpm);
  const [low, high] = [Math.min(...tempos), Math.max(...tempos)];
  /** @param {number} bpm */
  const y = (bpm) => height - 6 - ((height - 26) * (bpm - low)) / Math.max(1e-6, high - low);
  c.strokeStyle = colours.ink;
  c.lineWidth = 1.3;
  c.globalAlpha = 0.8;
  c.beginPath();
  for (const [beat, bpm] of state.tempo_line) c.lineTo(xOf(beat), y(bpm));
  c.lineTo(c.canvas.clientWidth, y(tempos[tempos.length - 1]));
  c.stroke();
  c.globalAlpha = 1;
  c.fillStyle = colours.panel;
  for (const point of state.tempos) {
    c.beginPath();
    c.arc(xOf(point.beat), y(point.bpm), 3, 0, 2 * Math.PI);
    c.fill();
    c.stroke();
  }
  c.lineWidth = 1;
}

// @ts-check
/** The strip: the whole project, bar by bar; click to go, drag to set the cycle, drop to place. */

import { Scope } from "../scope.js";
import { fitted, palette, paletteName } from "../ui/colours.js";
import { cycleOf, setCycle } from "./transport.js";

const LEFT = 12;
const LEAST_BARS = 16;

/** @param {import("../session.js").Session} session @param {HTMLCanvasElement} canvas */
export function startStrip(session, canvas) {
  const scope = new Scope();
  /** @type {{from: number, to: number} | null} */
  let dragged = null;
  let isDown = false;

  const bars = () => Math.max(LEAST_BARS, session.state.last_bar + 1);
  let width = canvas.clientWidth;
  scope.onResize(canvas, () => { width = canvas.clientWidth; });
  const perBeat = () => (width - 2 * LEFT) / (bars() * session.state.beats_per_bar);
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
    const bar = session.state.beats_per_bar;
    if ((b - a) * perBeat() < 5) {
      session.engine().song.go(event.altKey ? a : Math.floor(a / bar + 1e-6) * bar);
    } else {
      const from = event.altKey ? a : Math.floor(a / bar) * bar;
      const to = event.altKey ? b : Math.ceil(b / bar) * bar;
      session.engine();
      setCycle(session, { from, to, on: true });
    }
    dragged = null;
  });
  scope.on(canvas, "keydown", (/** @type {KeyboardEvent} */ event) => {
    const bar = session.state.beats_per_bar * (event.shiftKey ? 10 : 1);
    const by = { ArrowLeft: -bar, ArrowRight: bar }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const here = Math.floor(session.beat() / session.state.beats_per_bar + 1e-6);
    session.engine().song.go(Math.max(0, here * session.state.beats_per_bar + by));
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
    const bar = state.beats_per_bar;
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
    const every = stepOf(bar * perBeat());
    context.font = "11px 'Spline Sans Mono Variable', monospace";
    for (let i = 0; i <= bars(); i += 1) {
      const x = Math.round(xOf(i * bar)) + 0.5;
      const isNamed = i % every === 0;
      context.strokeStyle = colours.line;
      context.beginPath();
      context.moveTo(x, isNamed ? 4 : 20);
      context.lineTo(x, height);
      context.stroke();
      if (isNamed) {
        context.fillStyle = colours.quiet;
        context.fillText(String(i + 1), x + 4, 11);
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
      return Math.floor(beatAt(clientX) / session.state.beats_per_bar + 1e-6) * session.state.beats_per_bar;
    },
  };
}

/** Every how many bars a number stands. @param {number} pixels a bar */
function stepOf(pixels) {
  return [1, 2, 4, 8, 16, 32, 64, 128].find((n) => n * pixels >= 44) ?? 256;
}

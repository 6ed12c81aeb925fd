// @ts-check
/** The strip: the whole project, bar by bar; click to go, drag to set the cycle, drop to place. */

import { cycleOf, setCycle } from "../cycle.js";
import { barLine, beatOfBar, nextBarLine, pulsesBetween } from "../metre.js";
import { Scope } from "../scope.js";
import { layered } from "../ui/frames.js";
import { gesture } from "../ui/gesture.js";

const LEFT = 12;
const TOP = 16; // of what lies in the bars
const LEAST_BARS = 16;
const LEAST_APART = 44; // pixels from number to number
const BRACKET = 6;
const FLAG = 8; // pixels, of a change of the key

/** @typedef {import("../types.js").ProjectState} ProjectState */
/** @typedef {import("../ui/frames.js").Palette} Palette */
/** @typedef {(beat: number) => number} Across the x of a beat */

/** @param {import("../session.js").Session} session @param {HTMLCanvasElement} canvas */
export function startStrip(session, canvas) {
  const scope = new Scope();
  /** @type {{from: number, to: number} | null} */
  let dragged = null;
  /** A change of the key that is dragged. @type {{was: number, bar: number} | null} */
  let keyBar = null;
  const metres = () => session.state.metres;
  const bars = () => Math.max(LEAST_BARS, session.state.last_bar + 1);
  const perBeat = () => (canvas.clientWidth - 2 * LEFT) / beatOfBar(metres(), bars() + 1);
  /** @type {Across} */
  const xOf = (beat) => LEFT + beat * perBeat();
  /** @param {number} clientX */
  const beatAt = (clientX) => Math.max(0, (clientX - canvas.getBoundingClientRect().left - LEFT) / perBeat());
  /** Whole bars, or just what was dragged over. @param {number} a @param {number} b @param {boolean} isFree */
  const stretch = (a, b, isFree) => {
    const [from, to] = [Math.min(a, b), Math.max(a, b)];
    return isFree ? { from, to } : { from: barLine(metres(), from).beat, to: nextBarLine(metres(), to) };
  };

  /** The section around a beat. @param {number} beat */
  const sectionAt = (beat) => {
    const { sections } = session.state;
    const at = sections.filter((s) => beatOfBar(metres(), s.bar) <= beat + 1e-6).length - 1;
    if (!sections[at]?.name) return null;
    return { from: beatOfBar(metres(), sections[at].bar), to: beatOfBar(metres(), sections[at + 1]?.bar ?? bars() + 1) };
  };

  /** A later change of the key under the pointer: its flag hangs on the strip's lower edge. @param {PointerEvent} event */
  const keyAt = (event) => session.state.keys.slice(1).find((k) => Math.abs(xOf(k.beat) - event.offsetX) < FLAG && event.offsetY > canvas.clientHeight - 2 * FLAG) ?? null;
  /** To another bar. @param {PointerEvent} event @param {ProjectState["keys"][number]} change */
  const dragKey = (event, change) => gesture(event, {
    tapped: () => session.engine().song.go(change.beat),
    moved: ({ x }) => { keyBar = { was: change.bar, bar: Math.max(2, barLine(metres(), beatAt(x) + metres()[0].beats_per_bar / 2).bar) }; },
    done: () => {
      if (keyBar && keyBar.bar !== change.bar) void session.submit({ kind: "set_key_at", bar: keyBar.bar, key: change.key, was: change.bar });
    },
    ended: () => { keyBar = null; },
  });

  scope.on(canvas, "pointerdown", (/** @type {PointerEvent} */ event) => {
    if (event.button !== 0) return;
    const begun = beatAt(event.clientX);
    const change = keyAt(event);
    if (change) {
      dragKey(event, change);
      return;
    }
    gesture(event, {
      tapped: ({ alt }) => session.engine().song.go(alt ? begun : barLine(metres(), begun).beat),
      moved: ({ x, alt }) => {
        dragged = stretch(begun, beatAt(x), alt);
      },
      done: () => {
        session.engine();
        if (dragged) setCycle(session, { ...dragged, on: true });
      },
      ended: () => {
        dragged = null;
      },
    });
  });
  scope.on(canvas, "dblclick", (/** @type {MouseEvent} */ event) => {
    const section = event.offsetY < TOP ? sectionAt(beatAt(event.clientX)) : null;
    if (section) setCycle(session, { ...section, on: true });
  });
  scope.on(canvas, "keydown", (/** @type {KeyboardEvent} */ event) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    const { bar } = barLine(metres(), session.beat());
    const to = Math.max(1, bar + by * (event.shiftKey ? 10 : 1));
    if (!event.altKey) {
      session.engine().song.go(beatOfBar(metres(), to));
      return;
    }
    // With Alt the cycle's end goes along: a cycle by keys.
    const cycle = cycleOf(session);
    const from = cycle.to > cycle.from ? cycle.from : barLine(metres(), Math.max(0, session.beat())).beat;
    const last = barLine(metres(), Math.max(from, (cycle.to > from ? cycle.to : from) - 1e-4)).bar + by;
    const end = beatOfBar(metres(), Math.max(barLine(metres(), from).bar, last) + 1);
    setCycle(session, { from, to: end, on: true });
  });
  const looks = () => [session.state.moves, dragged, cycleOf(session), keyBar];
  /** @type {import("../ui/frames.js").Layer["draw"]} */
  const draw = (c, { width, height, colours }) => {
    const { state } = session;
    const cycle = dragged ? { ...dragged, on: true } : cycleOf(session);
    if (cycle.to > cycle.from) drawCycle(c, cycle, xOf, height, colours);
    drawSections(c, state, bars(), xOf, colours);
    drawBars(c, metres(), bars(), xOf, perBeat(), height, colours);
    drawClips(c, state, xOf, perBeat(), height, colours);
    if (state.tempos.length > 1) drawTempo(c, state, xOf, width, height, colours);
    drawKeys(c, state.keys.slice(1), (k) => xOf(k.bar === keyBar?.was ? beatOfBar(metres(), keyBar.bar) : k.beat), height, colours);
  };
  // The playhead alone moves while it plays.
  scope.add(layered(canvas, () => undefined, { looks, draw }, {
    looks: () => Math.round(2 * xOf(session.beat())),
    draw: (c, { height, colours }) => drawPlayhead(c, xOf(Math.max(0, session.beat())), height, colours),
  }));

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

/** Two brackets, and the bars between them a little lifted. @param {CanvasRenderingContext2D} c @param {{from: number, to: number, on: boolean}} cycle @param {Across} xOf @param {number} height @param {Palette} colours */
function drawCycle(c, cycle, xOf, height, colours) {
  const [a, b] = [Math.round(xOf(cycle.from)), Math.round(xOf(cycle.to))];
  c.globalAlpha = cycle.on ? 1 : 0.45;
  c.fillStyle = colours.panel;
  c.fillRect(a, TOP - 3, b - a, height - TOP + 1);
  c.strokeStyle = colours.indigo;
  c.lineWidth = 2;
  for (const [x, towards] of [[a + 1, 1], [b - 1, -1]]) {
    c.beginPath();
    c.moveTo(x + towards * BRACKET, TOP - 3);
    c.lineTo(x, TOP - 3);
    c.lineTo(x, height - 2);
    c.lineTo(x + towards * BRACKET, height - 2);
    c.stroke();
  }
  c.lineWidth = 1;
  c.globalAlpha = 1;
}

/** Parts of the song: a band along the upper edge with their names. @param {CanvasRenderingContext2D} c @param {ProjectState} state @param {number} bars @param {Across} xOf @param {Palette} colours */
function drawSections(c, { sections, metres }, bars, xOf, colours) {
  c.font = "600 10px 'Spline Sans Variable', sans-serif";
  sections.forEach((section, i) => {
    if (!section.name) return;
    const [from, to] = [xOf(beatOfBar(metres, section.bar)), xOf(beatOfBar(metres, sections[i + 1]?.bar ?? bars + 1))];
    c.fillStyle = colours.yarn(section.yarn);
    c.globalAlpha = 0.22;
    c.fillRect(from, 0, to - from - 1, TOP - 3);
    c.globalAlpha = 1;
    c.fillRect(from, 0, to - from - 1, 2);
    const room = to - from - 26;
    if (room < 8) return;
    c.fillStyle = colours.ink;
    c.save();
    c.beginPath();
    c.rect(from, 0, to - from - 4, TOP);
    c.clip();
    c.textAlign = "right";
    c.fillText(section.name, to - 5, 11);
    c.restore();
  });
}

/** @param {CanvasRenderingContext2D} c @param {ProjectState["metres"]} metres @param {number} bars @param {Across} xOf @param {number} perBeat @param {number} height @param {Palette} colours */
function drawBars(c, metres, bars, xOf, perBeat, height, colours) {
  c.font = "11px 'Spline Sans Mono Variable', monospace";
  const end = beatOfBar(metres, bars + 1);
  const named = new Set(pulsesBetween(metres, 0, end, perBeat, LEAST_APART).filter((p) => p.step >= 1).map((p) => p.bar));
  for (let bar = 1; bar <= bars + 1; bar += 1) {
    const x = Math.round(xOf(beatOfBar(metres, bar))) + 0.5;
    const isNamed = named.has(bar) || beatOfBar(metres, 2) * perBeat >= LEAST_APART;
    c.strokeStyle = colours.line;
    c.beginPath();
    c.moveTo(x, isNamed ? 4 : 20);
    c.lineTo(x, height);
    c.stroke();
    if (!isNamed) continue;
    c.fillStyle = colours.quiet;
    c.fillText(String(bar), x + 4, 11);
  }
}

/** @param {CanvasRenderingContext2D} c @param {ProjectState} state @param {Across} xOf @param {number} perBeat @param {number} height @param {Palette} colours */
function drawClips(c, state, xOf, perBeat, height, colours) {
  const rows = Math.max(4, state.tracks.length);
  const thick = Math.min(6, (height - 20) / rows - 1.5);
  const strands = new Map(state.strands.map((s) => [s.id, s]));
  const rowOf = new Map(state.tracks.map((t, i) => [t.id, i]));
  for (const clip of state.clips) {
    const row = rowOf.get(clip.track) ?? 0;
    c.fillStyle = colours.yarn(strands.get(clip.strand)?.yarn ?? 0);
    c.globalAlpha = clip.muted || state.tracks[row]?.muted ? 0.3 : 0.9;
    c.beginPath();
    c.roundRect(xOf(clip.beat) + 0.5, 19 + row * ((height - 22) / rows), Math.max(2, clip.beats * perBeat - 1.5), thick, 2);
    c.fill();
  }
  c.globalAlpha = 1;
}

/** Where the key changes: a small flag on the lower edge, with its name. @param {CanvasRenderingContext2D} c @param {ProjectState["keys"]} keys @param {(key: ProjectState["keys"][number]) => number} x @param {number} height @param {Palette} colours */
function drawKeys(c, keys, x, height, colours) {
  c.font = "10px 'Spline Sans Mono Variable', monospace";
  for (const key of keys) {
    const at = Math.round(x(key)) + 0.5;
    c.strokeStyle = colours.ink;
    c.beginPath();
    c.moveTo(at, TOP);
    c.lineTo(at, height);
    c.stroke();
    const width = c.measureText(key.key).width + 8;
    c.fillStyle = colours.panel;
    c.fillRect(at, height - FLAG - 4, width, FLAG + 3);
    c.strokeStyle = colours.line;
    c.strokeRect(at, height - FLAG - 4, width, FLAG + 3);
    c.fillStyle = colours.ink;
    c.fillText(key.key, at + 4, height - 4);
  }
}

/** A tempo that moves: its line over the clips, a ring on each of its points. @param {CanvasRenderingContext2D} c @param {ProjectState} state @param {Across} xOf @param {number} width @param {number} height @param {Palette} colours */
function drawTempo(c, state, xOf, width, height, colours) {
  const tempos = state.tempo_line.map(([, bpm]) => bpm);
  const [low, high] = [Math.min(...tempos), Math.max(...tempos)];
  /** @param {number} bpm */
  const y = (bpm) => height - 6 - ((height - 26) * (bpm - low)) / Math.max(1e-6, high - low);
  c.strokeStyle = colours.ink;
  c.lineWidth = 1.3;
  c.globalAlpha = 0.8;
  c.beginPath();
  for (const [beat, bpm] of state.tempo_line) c.lineTo(xOf(beat), y(bpm));
  c.lineTo(width, y(tempos[tempos.length - 1]));
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

/** @param {CanvasRenderingContext2D} c @param {number} x @param {number} height @param {Palette} colours */
function drawPlayhead(c, x, height, colours) {
  c.strokeStyle = c.fillStyle = colours.ink;
  c.beginPath();
  c.moveTo(x, 10);
  c.lineTo(x, height);
  c.stroke();
  c.beginPath();
  c.arc(x, 11, 4, 0, 2 * Math.PI);
  c.fill();
}

// @ts-check
/** The picture: the groove over the hits before and after, zoomed, pointed at, drawn by hand. */

import { layered } from "../ui/frames.js";
import { gesture } from "../ui/gesture.js";
import { beatOfSecond, secondOfBeat } from "../loom/model.js";
import { placeText } from "../metre.js";
import { section } from "../sections.js";
import { beatOf, scrolled, xOf, zoomed } from "../ui/sight.js";
import { bandsOf, drawGroove, drawPlayhead } from "./draw.js";
import {
  dbText, drawable, drawableAccent, hitText, leftText, MOST_ACCENT, msOf, msText, nearestHit, nearestStep, sentence,
  stepsBetween,
} from "./model.js";

const [LEFT, RIGHT] = [62, 18]; // pixels beside the rails
const ROWS = [["", "all"], ["low", "low"], ["middle", "middle"], ["high", "high"]];
const [NUDGE_OFFSET, NUDGE_DB, TEN] = [0.01, 0.5, 10];

/** @param {import("./shared.js").Shared} shared */
export const pictured = (shared) => {
  const { session, held, view } = shared;
  let box = { width: 100, height: 100 };
  /** Beats in sight; null is all. @type {[number, number] | null} */
  let sight = null;
  let chosen = -1;
  /** The step that was last nudged, to what. @type {{which: string, step: [number, number]}} */
  let nudged = { which: "", step: [0, 0] };
  let pointed = -1;
  let looks = 0;
  /** A step that is dragged. @type {{number: number, offset: number, accent: number} | null} */
  let drawn = null;

  const facts = () => shared.tried ?? shared.facts;
  const seen = () => {
    const span = facts().span;
    const [from, to] = sight ?? [0, span];
    return { left: LEFT, width: Math.max(50, box.width - LEFT - RIGHT), from, to: Math.max(from + 0.01, to) };
  };

  return section(shared.whole, {
    sentence: "", leftText: "", dragText: "", row: "", rows: /** @type {{key: string, name: string, pressed: string}[]} */ ([]),
    rendering: false, canDraw: false, stepText: "", stepOffset: "", stepAccent: "",

    startPicture() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("groove"));
      view.scope.add(layered(canvas, () => { box = { width: canvas.clientWidth, height: canvas.clientHeight }; },
        { looks: () => [looks, sight, chosen, pointed, this.row, drawn], draw: (c, sheet) => drawGroove(c, this.scene(sheet), sheet.colours) },
        { looks: () => this.beatHeard(), draw: (c, sheet) => drawPlayhead(c, this.scene(sheet), sheet.colours) }));
      held.drawn = () => {
        this.rendering = held.isRendering;
        looks += 1;
      };
      view.scope.on(canvas, "pointermove", (/** @type {PointerEvent} */ e) => this.point(e));
      view.scope.on(canvas, "pointerleave", () => this.pointAt(-1));
      view.scope.on(canvas, "pointerdown", (/** @type {PointerEvent} */ e) => this.press(e));
      view.scope.on(canvas, "wheel", (/** @type {WheelEvent} */ e) => {
        e.preventDefault();
        const around = beatOf(seen(), e.offsetX);
        if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) this.scroll((e.deltaX || e.deltaY) / seen().width);
        else sight = zoomed(seen(), facts().span, Math.exp(-e.deltaY / 300), around);
      }, { passive: false });
    },

    /** @param {{width: number, height: number}} sheet @returns {import("./draw.js").Scene} */
    scene(sheet) {
      const now = facts();
      const shown = shared.shown;
      return {
        view: seen(), bands: bandsOf(sheet.height), span: now.span, bpm: now.bpm, metres: session.state.metres,
        groove: shown && drawn ? this.withDrawn(shown) : shown, other: shared.kept.find((k) => k.id === shared.compared) ?? null,
        sound: { source: held.source, render: held.render, sheet: held.sheet, hand: held.hand },
        row: this.row, chosen, hits: now.hits, isLaid: !!now.laid?.groove, hit: pointed, yarn: held.hand.yarn, playhead: this.beatHeard(),
      };
    },

    /** @template {import("../types.js").Groove} G @param {G} groove @returns {G} */
    withDrawn(groove) {
      if (!drawn) return groove;
      const own = [...(groove.rows[this.row] ?? groove.steps)];
      const step = own[drawn.number];
      if (!step) return groove; // a shorter one came in its place meanwhile
      own[drawn.number] = [drawn.offset, drawn.accent, 0, Math.max(1, step[3])];
      return groove.rows[this.row] ? { ...groove, rows: { ...groove.rows, [this.row]: own } } : { ...groove, steps: own };
    },

    /** The beat of the pass that sounds; null where none does. */
    beatHeard() {
      const second = this.hearing && this.way !== "seam" ? session.engine_?.hand.second() ?? null : null;
      const { sheet } = held;
      if (second === null || !sheet) return null;
      return secondOfBeat(sheet.beats, beatOfSecond(sheet.knots, second));
    },

    showPicture() {
      looks += 1;
      const now = facts();
      if (sight && sight[1] > now.span + 1e-6) sight = null;
      if (pointed >= now.hits.length) pointed = -1;
      const shown = shared.shown;
      if (shown && this.row && !shown.rows[this.row]) this.row = "";
      this.rows = ROWS.filter(([key]) => !key || shown?.rows[key]).map(([key, name]) => ({ key, name, pressed: String(this.row === key) }));
      this.sentence = sentence(now);
      this.leftText = leftText(now);
      this.canDraw = !!shared.shownId;
      this.showStep();
    },

    /** @param {string} row */
    showRow(row) {
      this.row = row;
      this.showPicture();
    },

    // ---- how it is looked at

    /** @param {number} times */
    zoom(times) {
      const now = seen();
      sight = zoomed(now, facts().span, times, (now.from + now.to) / 2);
    },

    showAll() {
      sight = null;
    },

    /** @param {number} by of what is in sight */
    scroll(by) {
      const now = seen();
      sight = scrolled(now, facts().span, by * (now.to - now.from));
    },

    // ---- hits

    /** @param {PointerEvent} event */
    point(event) {
      if (drawn) return;
      const bands = bandsOf(box.height);
      const middle = (bands.threads + bands.after) / 2;
      const rail = event.offsetY < bands.before ? null : event.offsetY < middle ? "before" : "after";
      const near = rail && nearestHit(facts().hits, seen(), event.offsetX, /** @type {"before" | "after"} */ (rail));
      this.pointAt(near ? facts().hits.indexOf(near) : -1);
    },

    /** @param {number} index of a hit; −1 for none */
    pointAt(index) {
      if (index === pointed) return;
      pointed = index;
      const hit = facts().hits[index];
      this.dragText = hit ? hitText(hit, placeText(session.state.metres, hit.before)) : "";
    },

    /** @param {number} by */
    stepHit(by) {
      const { hits } = facts();
      if (!hits.length) return;
      this.pointAt(pointed < 0 ? (by > 0 ? 0 : hits.length - 1) : (pointed + by + hits.length) % hits.length);
    },

    // ---- steps, by hand

    /** @param {PointerEvent} event */
    press(event) {
      const bands = bandsOf(box.height);
      const shown = shared.shown;
      if (!shown || event.offsetY > bands.bottom + 8) {
        if (pointed >= 0 && this.hearing) session.engine_?.hand.go(facts().hits[pointed].second);
        return;
      }
      const now = seen();
      const step = nearestStep(stepsBetween(shown, this.row, now.from, now.to), now, event.offsetX);
      chosen = step?.number ?? -1;
      this.showStep();
      if (!step || !shared.shownId) return;
      const reach = (bands.bottom - bands.top) / 2 - 12;
      gesture(event, {
        moved: ({ dx, dy, alt, shift }) => {
          // Shift: in time alone; Alt: in level alone.
          const beats = alt ? 0 : (dx / now.width) * (now.to - now.from);
          const db = shift ? 0 : (-dy / reach) * MOST_ACCENT;
          drawn = {
            number: step.number, offset: drawable((step.at - step.even + beats) * shown.per_beat), accent: drawableAccent(step.accent + db),
          };
          this.dragText = `step ${step.number + 1}: ${msText(msOf(drawn.offset, shown.per_beat, facts().bpm))}, ${dbText(drawn.accent)}`;
        },
        done: () => { if (drawn) void this.draw(drawn.offset, drawn.accent); },
        ended: () => {
          drawn = null;
          this.dragText = "";
        },
      });
    },

    showStep() {
      const shown = shared.shown;
      const steps = shown ? shown.rows[this.row] ?? shown.steps : [];
      if (chosen >= steps.length) chosen = -1;
      const step = steps[chosen];
      this.stepText = step ? `Step ${chosen + 1} of ${steps.length}` : "";
      this.stepOffset = step && shown ? msText(msOf(step[0], shown.per_beat, facts().bpm)) : "";
      this.stepAccent = step ? dbText(step[1]) : "";
    },

    /** @param {number} by */
    chooseStep(by) {
      const shown = shared.shown;
      if (!shown) return;
      const { length } = shown.rows[this.row] ?? shown.steps;
      chosen = chosen < 0 ? (by > 0 ? 0 : length - 1) : (chosen + by + length) % length;
      this.showStep();
      const beat = chosen / shown.per_beat;
      if (sight && (beat < sight[0] || beat > sight[1])) this.scroll((beat - sight[0]) / (sight[1] - sight[0]) - 0.5);
    },

    /** @param {number} offset share of a step @param {number} accent dB */
    async draw(offset, accent) {
      const id = shared.shownId;
      if (!id || chosen < 0) return;
      const row = /** @type {"low" | "middle" | "high" | null} */ (this.row || null);
      await view.intent({ kind: "draw_step", groove: id, number: chosen, row, offset, accent_db: accent });
    },

    /** @param {number} time steps of an offset @param {number} level steps of an accent @param {boolean} isTen */
    nudge(time, level, isTen) {
      const which = `${shared.shownId} ${this.row} ${chosen}`;
      const step = (shared.shown?.rows[this.row] ?? shared.shown?.steps ?? [])[chosen];
      if (!step) return;
      // The next press counts from this one, whether it was answered or not.
      const [offset, accent] = session.saving > 0 && nudged.which === which ? nudged.step : step;
      const by = isTen ? TEN : 1;
      nudged = { which, step: [drawable(offset + time * by * NUDGE_OFFSET), drawableAccent(accent + level * by * NUDGE_DB)] };
      void this.draw(...nudged.step);
    },

    letStepGo() {
      if (chosen < 0) return false;
      chosen = -1;
      this.showStep();
      return true;
    },

    /** For tests: where a hit or a step is drawn. @param {number} beat */
    xOfBeat: (beat) => xOf(seen(), beat),
  });
};

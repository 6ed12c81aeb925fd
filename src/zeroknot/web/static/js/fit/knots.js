// @ts-check
/** The loom and its knots: how it is looked at, what is chosen on it, where a knot lies in numbers. */

import { round, typedNumber } from "../format.js";
import { LoomStage } from "../loom/stage.js";
import { barLine, placeText } from "../metre.js";
import { section } from "../sections.js";
import { reveal } from "../ui/side.js";

/** @typedef {import("../loom/model.js").Knot} Knot */

const SCROLL_PIXELS = 80;
const TEN = 10; // steps with Shift
const GRIDS = [["bar", 0], ["beat", 1], ["1/2", 1 / 2], ["1/3", 1 / 3], ["1/4", 1 / 4]];

/** @param {import("./shared.js").Shared} shared */
export const knots = (shared) => {
  const { session, app, held, trial, view } = shared;

  return section(/** @type {import("./shared.js").Whole & {goTo: (second: number) => void} | null} */ (shared.whole), {
    dragText: "", rendering: false, together: true, following: true,
    gridShare: 1, grids: GRIDS.map(([name, share]) => ({ name, share })),
    chosenCount: 0, hasRange: false, rangeStart: "", rangeEnd: "", knotSecond: "", knotBeat: "", knotIsEnd: false, knotText: "", isFastened: false,

    startLoom() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("loom"));
      shared.stage = new LoomStage(canvas, {
        hand: () => held.hand, sheet: () => held.sheet, strain: () => held.hand.strained, attacks: () => shared.attacks,
        source: () => held.source, render: () => held.render, notes: () => held.notes,
        metres: () => session.state.metres, startBeat: () => held.beat, playhead: () => this.playhead(),
        say: (text) => { this.dragText = text; }, chose: () => this.showChosen(),
        tryOut: (intent) => trial.want(intent), ask: (intent) => held.change(intent),
        went: (second) => this.goTo(second), isFollowed: () => session.engine_?.hand.way !== "seam",
      }, view.scope);
      held.drawn = () => {
        this.rendering = held.isRendering;
        shared.stage?.changed();
      };
      // For tests that look at what is drawn.
      Object.assign(app, { stage: shared.stage });
    },

    // ---- how it is looked at

    /** @param {number} times */
    zoom(times) {
      shared.stage?.port.zoom(times);
    },

    showAll() {
      shared.stage?.port.showAll();
    },

    /** What is chosen fills the loom. */
    showRange() {
      if (shared.stage?.range) shared.stage.port.show(...shared.stage.range);
      else this.showAll();
    },

    toggleTogether() {
      if (!shared.stage) return;
      this.together = shared.stage.port.together = !shared.stage.port.together;
    },

    toggleFollow() {
      if (!shared.stage) return;
      this.following = shared.stage.port.follow = !shared.stage.port.follow;
    },

    /** @param {number} share of a pulse; 0 is a bar */
    setGrid(share) {
      if (shared.stage) shared.stage.port.gridShare = share;
      this.gridShare = share;
    },

    /** Chosen knots go along the grid; without any, the rails are scrolled. @param {number} by @param {KeyboardEvent} event */
    arrow(by, event) {
      const steps = by * (event.shiftKey ? TEN : 1);
      if (this.chosenCount) shared.stage?.nudge(steps, event.altKey);
      else shared.stage?.port.scroll(SCROLL_PIXELS * steps);
    },

    // ---- what is chosen

    showChosen() {
      this.rangeChanged();
      const { hand } = held;
      const chosen = [...(shared.stage?.chosen ?? [])].sort((a, b) => a - b);
      const range = shared.stage?.range ?? null;
      // What is being done comes into view by itself.
      if (chosen.length && !this.chosenCount) reveal("knots");
      if (range && !this.hasRange) document.querySelector(".side")?.scrollTo({ top: 0 });
      this.chosenCount = chosen.length;
      this.hasRange = !!range;
      [this.rangeStart, this.rangeEnd] = range ? range.map((edge) => edge.toFixed(4)) : ["", ""];
      const knot = chosen.length === 1 ? hand.knots.find((k) => k[0] === chosen[0]) : undefined;
      this.knotSecond = knot ? knot[0].toFixed(4) : "";
      this.knotBeat = knot ? String(round(knot[1], 4)) : "";
      this.knotIsEnd = !!knot && (knot[1] === 0 || knot === hand.knots[hand.knots.length - 1]);
      this.knotText = knot ? this.textOf(knot) : chosen.length ? `${chosen.length} knots chosen; drag one and all move` : "";
      const at = range ? (range[0] + range[1]) / 2 : knot ? knot[0] : null;
      this.isFastened = at !== null && hand.fastened.some(([a, b]) => at >= a && at <= b);
    },

    /** @param {Knot} knot */
    textOf(knot) {
      const name = knot[1] === 0 ? "The zero knot" : this.knotIsEnd ? "The end knot" : `Knot ${held.hand.knots.indexOf(knot)}`;
      const { metres } = session.state;
      const first = barLine(metres, held.beat).bar - 1;
      const [bar, ...rest] = placeText(metres, held.beat + knot[1]).split(".");
      return `${name} at ${[Number(bar) - first, ...rest].join(".")}${knot[2] ? ", of the straightening" : ""}`;
    },

    /** Tie a knot at the playhead, or where the cursor waits. */
    tieHere() {
      const at = this.playhead() ?? shared.stage?.cursor ?? null;
      if (at === null) this.dragText = "Click on a rail first: K ties a knot there.";
      else shared.stage?.tie(at);
    },

    /** The chosen stretch begins (0) or ends (1) at the playhead, or where the cursor waits. @param {0 | 1} edge */
    markEdge(edge) {
      const at = this.playhead() ?? shared.stage?.cursor ?? null;
      if (at === null) this.dragText = "Hear it, or click on a rail first: , and . mark a stretch there.";
      else this.setEdge(edge, shared.stage?.port.atAttack(at, false) ?? at);
    },

    removeChosen() {
      if (shared.stage?.chosen.size) shared.stage.remove(shared.stage.chosen);
    },

    /** @param {number} by */
    stepKnot(by) {
      shared.stage?.stepKnot(by);
    },

    /** A knot's value, typed. @param {"second" | "beat"} side @param {string} text */
    setKnot(side, text) {
      const value = typedNumber(text);
      const knot = held.hand.knots.find((k) => shared.stage?.chosen.has(k[0]));
      if (value === null || !knot) {
        held.refuse(`“${text}” cannot be read as a number.`);
        return;
      }
      const place = side === "second" ? { at: knot[0], second: value } : { at: knot[0], second: knot[0], beat: value / held.hand.beat_share };
      void held.change({ kind: "tie_knots", knots: [place] }).then(() => shared.stage?.choose([place.second]));
    },

    /** Hold what is chosen, or let it go again. */
    toggleFasten() {
      const range = shared.stage?.range ?? null;
      if (this.isFastened) {
        const second = range ? (range[0] + range[1]) / 2 : Number(this.knotSecond);
        void held.change({ kind: "loosen", second });
      } else if (range) void held.change({ kind: "fasten", start_s: range[0], end_s: range[1] });
      else this.dragText = "Drag along a rail to choose what is to be fastened.";
    },
  });
};

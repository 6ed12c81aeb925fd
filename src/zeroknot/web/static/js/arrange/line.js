// @ts-check
/**
 * The row under a track in which something of it moves along the song: points by pointer and by keys.
 *
 * Keys in the row: arrows choose a point and move it up and down, Alt moves it in time, Enter puts
 * one at the playhead, Delete takes it away, S holds or goes on, brackets bend.
 */

import { position } from "../format.js";
import { barLine, metreAt } from "../metre.js";
import { keyOf } from "../ui/chords.js";
import { shownAs } from "../ui/drag-bar.js";
import { gesture } from "../ui/gesture.js";
import { sayAt } from "../ui/ghost.js";
import { View } from "../view.js";
import { RowHeight } from "./row-height.js";
import { drawLine, heightAt, yOfValue } from "./draw-line.js";
import { heightOf, LINE_NAMES, MOVABLE, RESTING, valueAtHeight, valueOn, withBend, withMoved, withPoint, withShape } from "./line-model.js";

/** @typedef {import("./line-model.js").Point} Point */

const REACH = 9; // pixels from a point at which it is held
const BEND_PIXELS = 20; // of dragging for a bend of 1
const [SMALL, LARGE] = [0.01, 0.1]; // of the height, by a key

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const line = (session, app) => () => {
  const view = new View(session, "Line");
  /** What is dragged. @type {Point[] | null} */
  let dragged = null;
  let keptAs = "";
  /** @type {RowHeight | null} */
  let row = null;

  return {
    lineTrack: "", lineName: "", lineChosen: -1, lineSaid: "", lineValue: "",
    lineChoices: /** @type {{id: string, name: string}[]} */ ([]),

    /** @param {string} track @param {HTMLElement} lane */
    beginLine(track, lane) {
      this.lineTrack = track;
      row = new RowHeight(lane, `zeroknot.row.${session.state.id}.${track}`);
      keptAs = `zeroknot.line.${session.state.id}.${track}`;
      this.lineName = localStorage.getItem(keptAs) ?? "";
      const canvas = /** @type {HTMLCanvasElement} */ (lane.querySelector("canvas.line"));
      view.watch(() => this.showLine());
      view.picture(canvas, () => [this.lineName, this.linePoints(), this.lineChosen, this.lineStill(), app.lanePerBeat(), app.laneScroll()], (c, sheet) => drawLine(c, sheet, {
        range: this.lineRange(), points: this.linePoints(), still: this.lineStill(), chosen: this.lineChosen, perBeat: app.lanePerBeat(), scrollX: app.laneScroll(),
      }));
    },

    destroy() {
      view.end();
    },

    /** Rows are as high as one likes. @param {PointerEvent} event */
    edgeDown(event) {
      row?.drag(event);
    },

    fold() {
      row?.fold();
    },

    /** The track elsewhere: dragged by its head. @param {PointerEvent} event */
    headDown(event) {
      if (event.button !== 0 || (event.target instanceof Element && event.target.closest("select, input"))) return;
      const at = session.state.tracks.findIndex((t) => t.id === this.lineTrack);
      const tops = [...document.querySelectorAll("[data-lane]")].filter((e) => e.getAttribute("data-lane")).map((e) => e.getBoundingClientRect());
      let to = at;
      gesture(event, {
        moved: ({ x, y }) => {
          to = Math.max(0, tops.filter((box, i) => i !== at && y > box.top + box.height / 2).length);
          sayAt({ x, y }, to === at ? "stays" : `track ${to + 1} of ${tops.length}`);
        },
        done: () => { if (to !== at) void view.intent({ kind: "move_track", track: this.lineTrack, to }); },
        ended: () => sayAt(null, ""),
      });
    },

    ofTrack() {
      return session.state.tracks.find((t) => t.id === this.lineTrack);
    },

    lineRange() {
      return MOVABLE[this.lineName] ?? MOVABLE.level_db;
    },

    /** As they are dragged to. @returns {Point[]} */
    linePoints() {
      return dragged ?? /** @type {Point[]} */ (this.ofTrack()?.lines?.find((l) => l.name === this.lineName)?.points ?? []);
    },

    /** What holds where there is no line. */
    lineStill() {
      const found = this.ofTrack();
      if (!found) return 0;
      if (this.lineName === "muted") return Number(found.muted);
      return this.lineName === "level_db" ? found.level_db : Number(found.sound[/** @type {keyof typeof found.sound} */ (this.lineName)] ?? RESTING[this.lineName] ?? 0);
    },

    showLine() {
      if (!this.lineName) return; // nothing of it is to be seen
      const moving = new Set(this.ofTrack()?.lines?.map((l) => l.name));
      const all = Object.entries(LINE_NAMES).map(([id, name]) => ({ id, name: moving.has(id) ? `${name} ·` : name }));
      this.lineChoices = all.sort((a, b) => Number(moving.has(b.id)) - Number(moving.has(a.id)));
      const points = this.linePoints();
      this.lineChosen = Math.min(this.lineChosen, points.length - 1);
      const point = points[this.lineChosen];
      const { unit } = this.lineRange();
      this.lineValue = point ? shownAs(unit, point.value) : "";
      const said = point ? `, point ${this.lineChosen + 1} at ${this.placeOf(point.beat)}: ${this.lineValue}` : "";
      this.lineSaid = `Line of ${LINE_NAMES[this.lineName] ?? "nothing"}, ${points.length} points${said}. Arrows choose and move, Enter puts one at the playhead`;
    },

    /** @param {number} beat */
    placeOf(beat) {
      return session.sheet ? position(/** @type {any} */ (session.sheet.pulses), beat) : "";
    },

    /** @param {string} name "" for none */
    setLine(name) {
      this.lineName = name;
      this.lineChosen = -1;
      localStorage.setItem(keptAs, name);
      this.showLine();
    },

    toggleLine() {
      this.setLine(this.lineName ? "" : this.ofTrack()?.lines?.[0]?.name ?? "level_db");
    },

    clearLine() {
      if (this.linePoints().length) void this.keepLine([]);
    },

    /** @param {Point[]} points */
    async keepLine(points) {
      dragged = points;
      await view.intent({ kind: "set_line", track: this.lineTrack, name: this.lineName, points });
      if (dragged === points) dragged = null; // else another is on its way
      if (!view.isOver) this.showLine();
    },

    /** @param {number} at */
    choosePoint(at) {
      this.lineChosen = at;
      this.showLine();
    },

    /** @param {number} beat @param {boolean} isFree */
    snapped(beat, isFree) {
      if (isFree) return Math.max(0, beat);
      const { metres } = session.state;
      const [start, every] = [barLine(metres, beat).beat, metreAt(metres, beat).beats_per_pulse / 4];
      return Math.max(0, start + Math.round((beat - start) / every) * every);
    },

    /** @param {Point[]} points @param {number} at @param {{x: number, y: number}} where @param {string} text */
    dragTo(points, at, where, text) {
      dragged = points;
      sayAt(where, text);
      this.choosePoint(at);
    },

    /** @param {boolean} isDone */
    letLineGo(isDone) {
      sayAt(null, "");
      if (!isDone) dragged = null;
      this.showLine();
    },

    /** @param {PointerEvent} event */
    lineDown(event) {
      const element = /** @type {HTMLElement} */ (event.currentTarget);
      const [box, range] = [element.getBoundingClientRect(), this.lineRange()];
      if (event.button !== 0 || !app.laneBeat) return;
      if (event.shiftKey) return this.bendLine(event);
      const beatOf = app.laneBeat;
      const far = (/** @type {Point} */ p) => Math.hypot((p.beat - beatOf(event.clientX)) * app.lanePerBeat(), yOfValue(range, p.value, box.height) - (event.clientY - box.top));
      const near = this.linePoints().findIndex((p) => far(p) <= REACH);
      /** @param {number} x @param {number} y @param {boolean} isFree */
      const placeOf = (x, y, isFree) => ({ beat: this.snapped(beatOf(x), isFree), value: valueAtHeight(range, heightAt(y - box.top, box.height)) });
      const fresh = { ...placeOf(event.clientX, event.clientY, event.altKey), shape: this.lineShape(), bend: 0 };
      const { points, at } = near < 0 ? withPoint(this.linePoints(), fresh) : { points: [...this.linePoints()], at: near };
      if (near < 0) dragged = points;
      this.choosePoint(at);
      gesture(event, {
        pixels: near < 0 ? 0 : undefined,
        moved: ({ x, y, alt }) => {
          const { beat, value } = placeOf(x, y, alt);
          const moved = withMoved(points, at, beat, value);
          this.dragTo(moved, at, { x, y }, `${this.placeOf(moved[at].beat)} · ${shownAs(range.unit, value)}`);
        },
        done: () => void this.keepLine(this.linePoints()),
        ended: (isDone) => this.letLineGo(isDone),
      });
    },

    /** How a point leads on to the next: a switch holds. @returns {"step" | "line"} */
    lineShape() {
      return this.lineRange().unit === "switch" ? "step" : "line";
    },

    /** The way on from the point before is bent. @param {PointerEvent} event */
    bendLine(event) {
      const points = this.linePoints();
      const at = points.filter((p) => p.beat <= (app.laneBeat?.(event.clientX) ?? 0)).length - 1;
      if (at < 0 || at + 1 >= points.length) return;
      const rises = points[at + 1].value >= points[at].value ? 1 : -1;
      gesture(event, {
        moved: ({ x, y, dy }) => {
          const bent = withBend(points, at, points[at].bend + (rises * dy) / BEND_PIXELS);
          this.dragTo(bent, at, { x, y }, `bend ${bent[at].bend.toFixed(1)}`);
        },
        done: () => void this.keepLine(this.linePoints()),
        ended: (isDone) => this.letLineGo(isDone),
      });
    },

    /** A point away. @param {MouseEvent} event */
    lineTwice(event) {
      const beat = app.laneBeat?.(event.clientX) ?? 0;
      const at = this.linePoints().findIndex((p) => Math.abs(p.beat - beat) * app.lanePerBeat() <= REACH);
      if (at >= 0) this.removePoint(at);
    },

    /** @param {number} at */
    removePoint(at) {
      if (at >= 0) void this.keepLine(this.linePoints().filter((_, i) => i !== at));
    },

    putPoint() {
      const [points, range] = [this.linePoints(), this.lineRange()];
      const beat = this.snapped(session.beat(), false);
      const value = points.length ? valueOn(points, beat, range.unit === "hz") : this.lineStill();
      const made = withPoint(points, { beat, value, shape: this.lineShape(), bend: 0 });
      this.lineChosen = made.at;
      void this.keepLine(made.points);
    },

    /** @param {KeyboardEvent} event */
    lineKey(event) {
      if (event.ctrlKey || event.metaKey) return;
      const [points, at, range] = [this.linePoints(), this.lineChosen, this.lineRange()];
      const [point, step] = [points[at], event.shiftKey ? LARGE : SMALL];
      /** @param {number} by */
      const raise = (by) => point && this.keepLine(withMoved(points, at, point.beat, valueAtHeight(range, range.unit === "switch" ? Number(by > 0) : heightOf(range, point.value) + by)));
      /** @param {number} by */
      const shift = (by) => point && this.keepLine(withMoved(points, at, point.beat + (by * metreAt(session.state.metres, point.beat).beats_per_pulse) / 4, point.value));
      /** @param {number} by */
      const bend = (by) => point && this.keepLine(withBend(points, at, point.bend + by));
      const doing = /** @type {Record<string, () => unknown>} */ ({
        ArrowRight: () => (event.altKey ? shift(1) : this.choosePoint(Math.min(points.length - 1, at + 1))),
        ArrowLeft: () => (event.altKey ? shift(-1) : this.choosePoint(Math.max(0, at - 1))),
        ArrowUp: () => raise(step), ArrowDown: () => raise(-step), Enter: () => this.putPoint(), "]": () => bend(0.5), "[": () => bend(-0.5),
        Delete: () => this.removePoint(at), Backspace: () => this.removePoint(at), S: () => point && this.keepLine(withShape(points, at)),
      });
      const act = doing[keyOf(event)];
      if (!act) return;
      act();
      event.preventDefault();
      event.stopPropagation();
    },
  };
};

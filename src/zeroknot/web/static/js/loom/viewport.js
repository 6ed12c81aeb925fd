// @ts-check
/** What of a recording and of its pass is in sight on two rails: zoomed, scrolled, followed; and where a point lies. */

import { barLine, onGrid } from "../metre.js";
import { beatOfSecond, scrolled, showing, snappedToAttack, wholeView, xOfBeat, xOfSecond, zoomed } from "./model.js";

/** @typedef {import("./model.js").Rail} Rail */
/** @typedef {import("./model.js").View} View */
/**
 * What is looked at.
 * @typedef {{
 *   hand: () => import("../types.js").Hand, attacks: () => import("../types.js").Attack[],
 *   metres: () => import("../types.js").MetreSpan[], startBeat: () => number}} Looked
 */

const SNAP_PIXELS = 9;
const MARGIN = 16;
const STRAIN_ROOM = 30;
const CLOSEST_FRAMES = 12; // that fill the rail
const EDGE_ROOM = 0.04; // of what is shown, on each side

export class Viewport {
  /** @param {HTMLCanvasElement} canvas @param {Looked} looked */
  constructor(canvas, looked) {
    this.canvas = canvas;
    this.looked = looked;
    /** @type {View | null} */
    this.seen = null;
    /** What was seen, where it was the whole. @type {View | null} */
    this.seenWhole = null;
    this.together = true;
    this.follow = true;
    /** Pulses from line to line of the grid; 0 is a bar. */
    this.gridShare = 1;
  }

  get view() {
    return this.seen ?? this.whole;
  }

  get whole() {
    return wholeView(this.looked.hand(), MARGIN, Math.max(100, this.canvas.clientWidth - 2 * MARGIN));
  }

  /** Heights of the rails' edges. */
  get rails() {
    const height = this.canvas.clientHeight;
    const rail = Math.max(60, (height - 44 - STRAIN_ROOM) * 0.32);
    const bottom = height - 22 - STRAIN_ROOM;
    return { top: 20, recorded: 20 + rail, fitted: bottom - rail, bottom, strain: height - 4 };
  }

  /** Beats from line to line of the grid, where the pass lies. */
  get grid() {
    const { metre } = barLine(this.looked.metres(), this.looked.startBeat());
    return this.gridShare === 0 ? metre.beats_per_bar : this.gridShare * metre.beats_per_pulse;
  }

  /** Who sees the whole goes on seeing it, however wide or long it becomes. */
  settle() {
    const { whole } = this;
    if (!this.seen || this.seen.width !== whole.width || this.seen === this.seenWhole) this.seen = this.seenWhole = whole;
  }

  /** The nearest line of the grid. @param {number} beat of the pass @param {boolean} isFree */
  snapped(beat, isFree) {
    if (isFree) return beat;
    const start = this.looked.startBeat();
    return onGrid(this.looked.metres(), start + beat, this.grid) - start;
  }

  /** The nearest attack, where one is near. @param {number} second @param {boolean} isFree */
  atAttack(second, isFree) {
    if (isFree) return second;
    return snappedToAttack([[0], ...this.looked.attacks(), [this.looked.hand().seconds]], this.view, second, SNAP_PIXELS);
  }

  /** Where a pointer is on the canvas. @param {{clientX: number, clientY: number}} event */
  point(event) {
    const box = this.canvas.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  /** Which rail a height belongs to; null between them. @param {number} y @returns {Rail | null} */
  railAt(y) {
    const { recorded, fitted } = this.rails;
    return y < recorded ? "recorded" : y > fitted ? "fitted" : null;
  }

  /** @param {Rail} rail */
  moving(rail) {
    const hand = this.looked.hand();
    return { rail, together: this.together, knots: hand.knots, whole: this.whole, closest: CLOSEST_FRAMES / hand.source_rate };
  }

  /** @param {number} times @param {number} [x] @param {Rail} [rail] */
  zoom(times, x, rail = "recorded") {
    this.seen = zoomed(this.view, x ?? this.canvas.clientWidth / 2, times, this.moving(rail));
  }

  /** @param {number} pixels @param {Rail} [rail] */
  scroll(pixels, rail = "recorded") {
    this.seen = scrolled(this.view, pixels, this.moving(rail));
  }

  /** @param {number} from @param {number} to seconds */
  show(from, to) {
    const room = EDGE_ROOM * (to - from);
    const { recorded } = this.whole;
    const [a, b] = [Math.max(recorded.from, from - room), Math.min(recorded.to, to + room)];
    this.seen = showing(this.view, a, b, { ...this.moving("recorded"), together: true });
  }

  /** A moment comes into sight, as wide as it is. @param {number} second */
  reveal(second) {
    const { from, to } = this.view.recorded;
    if (second < from || second > to) this.show(second - (to - from) / 2, second + (to - from) / 2);
  }

  showAll() {
    this.seen = null;
  }

  /** @param {WheelEvent} event */
  wheeled(event) {
    event.preventDefault();
    const { x, y } = this.point(event);
    const rail = this.railAt(y) ?? "recorded";
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) this.scroll(event.deltaX || event.deltaY, rail);
    else this.zoom(Math.exp(-event.deltaY / 400), x, rail);
  }

  /** Turn the page where the playhead leaves it, on each rail. @param {number} second */
  followTo(second) {
    const { whole } = this;
    let { view } = this;
    for (const rail of /** @type {Rail[]} */ (this.together ? ["recorded"] : ["recorded", "fitted"])) {
      const range = view[rail];
      const size = range.to - range.from;
      if (size >= 0.999 * (whole[rail].to - whole[rail].from)) continue;
      const at = rail === "recorded" ? second : beatOfSecond(this.looked.hand().knots, second);
      if (at >= range.from && at <= range.from + 0.95 * size) continue;
      const from = Math.max(whole[rail].from, Math.min(at - 0.08 * size, whole[rail].to - size));
      if (rail === "recorded" && this.together) view = showing(view, from, from + size, this.moving("recorded"));
      else view = { ...view, [rail]: { from, to: from + size } };
    }
    if (view !== this.view) this.seen = view;
  }

  /** Where a moment is drawn on the page. @param {number} second @param {Rail} rail @returns {[number, number]} */
  pointOf(second, rail) {
    const box = this.canvas.getBoundingClientRect();
    const x = rail === "recorded" ? xOfSecond(this.view, second) : xOfBeat(this.view, beatOfSecond(this.looked.hand().knots, second));
    return [box.left + x, box.top + this.rails[rail]];
  }
}

// @ts-check
/** The loom in hand: what is in view, what is chosen, what is dragged, and the frames drawn of it. */

import { barLine, onGrid, placeText } from "../metre.js";
import { round, seconds } from "../format.js";
import { fitted, palette, paletteName } from "../ui/colours.js";
import { drawLoom } from "./draw.js";
import { drawPlayheads } from "./knots.js";
import {
  attackAt, beatAt, beatOfSecond, endOf, firstFrom, isFastened, knotAt, laidOn, neighbours, placed, reach, scrolled,
  secondAt, secondOfBeat, shifted, showing, snappedToAttack, wholeView, xOfBeat, xOfSecond, zeroOf, zoomed,
} from "./model.js";

/** @typedef {import("./model.js").Rail} Rail */
/** @typedef {import("./model.js").View} View */
/** @typedef {import("./model.js").Place} Place */
/** @typedef {{kind: string} & Record<string, unknown>} Intent */
/**
 * What the loom works on, and whom it tells.
 * @typedef {{
 *   hand: () => import("../types.js").Hand, sheet: () => import("../types.js").HandSheet | null,
 *   strain: () => import("../types.js").Strain | null,
 *   attacks: () => import("../types.js").Attack[], source: () => import("./lod.js").Waves | null,
 *   render: () => import("./lod.js").Waves | null, notes: () => [number, number, number][],
 *   metres: () => import("../types.js").MetreSpan[], startBeat: () => number,
 *   playhead: () => number | null, say: (text: string) => void, chose: () => void,
 *   tryOut: (intent: Intent | null) => void, ask: (intent: Intent) => Promise<unknown>,
 *   went: (second: number) => void, isFollowed: () => boolean, names: () => string}} Host
 */
/**
 * A drag. kind: knots (moved together), hit (one attack, its neighbours tied), span (end knot below),
 * shift (zero knot below), range, edge (of the range), pan.
 * @typedef {{kind: "knots" | "hit" | "span" | "shift" | "range" | "edge" | "pan", rail: Rail, x: number,
 *   start: number, moved: Set<number>, limits: [number, number], by: number, second: number,
 *   from: number, isMoved: boolean, isDone: boolean, view: View}} Drag
 */

const SNAP_PIXELS = 9;
const MARGIN = 16;
const STRAIN_ROOM = 30;
const CLOSEST_FRAMES = 12; // that fill the rail

export class LoomStage {
  /** @param {HTMLCanvasElement} canvas @param {Host} host @param {import("../scope.js").Scope} scope */
  constructor(canvas, host, scope) {
    this.canvas = canvas;
    this.host = host;
    /** @type {View | null} */
    this.view = null;
    this.together = true;
    this.follow = true;
    /** Pulses from line to line of the grid. */
    this.gridShare = 1;
    /** @type {Drag | null} */
    this.drag = null;
    this.hover = "";
    /** Rises with each choice and each press: what comes late must not undo them. */
    this.turn = 0;
    /** Seconds of the chosen knots. @type {Set<number>} */
    this.chosen = new Set();
    /** @type {[number, number] | null} */
    this.range = null;
    /** @type {number | null} */
    this.cursor = null;
    /** The view, where it is the whole. @type {View | null} */
    this.seenWhole = null;
    /** Something changed that a frame is drawn for. */
    this.stamp = 0;
    /** Milliseconds the last frames took to draw. @type {number[]} */
    this.took = [];
    this.still = { key: "", moves: "", canvas: document.createElement("canvas"), colours: palette() };
    scope.on(canvas, "pointerdown", (e) => this.down(e));
    scope.on(canvas, "pointermove", (e) => this.moved(e));
    scope.on(canvas, "pointerup", () => this.released());
    scope.on(canvas, "pointercancel", () => this.letGo());
    scope.on(canvas, "dblclick", (e) => this.doubled(e));
    scope.on(canvas, "wheel", (e) => this.wheeled(e), { passive: false });
    scope.everyFrame(() => this.frame());
  }

  /** What is shown changed: another strand, or other knots. */
  changed() {
    this.stamp += 1;
    const knots = this.host.hand().knots;
    const known = new Set(knots.map((k) => k[0]));
    const kept = [...this.chosen].filter((s) => known.has(s));
    if (kept.length === this.chosen.size) return;
    // Nobody chose: those that moved are chosen again when their answer is there.
    this.chosen = new Set(kept);
    this.host.chose();
  }

  /** The whole again: of another loop, or of one that was read anew. */
  reset() {
    this.view = null;
    this.range = null;
    this.cursor = null;
    this.choose([]);
  }

  // ---- geometry

  get whole() {
    return wholeView(this.host.hand(), MARGIN, Math.max(100, this.canvas.clientWidth - 2 * MARGIN));
  }

  get rails() {
    const height = this.canvas.clientHeight;
    const rail = Math.max(60, (height - 44 - STRAIN_ROOM) * 0.32);
    const bottom = height - 22 - STRAIN_ROOM;
    return { top: 20, recorded: 20 + rail, fitted: bottom - rail, bottom, strain: height - 4 };
  }

  /** @param {Rail} rail */
  moving(rail) {
    const hand = this.host.hand();
    return { rail, together: this.together, knots: hand.knots, whole: this.whole, closest: CLOSEST_FRAMES / hand.source_rate };
  }

  /** Beats from line to line of the grid, where the pass lies. */
  get grid() {
    const { metre } = barLine(this.host.metres(), this.host.startBeat());
    return this.gridShare === 0 ? metre.beats_per_bar : this.gridShare * metre.beats_per_pulse;
  }

  /** @param {number} beat @param {boolean} isFree */
  snapped(beat, isFree) {
    if (isFree) return beat;
    const start = this.host.startBeat();
    return onGrid(this.host.metres(), start + beat, this.grid) - start;
  }

  /** @param {number} second @param {boolean} isFree */
  atAttack(second, isFree) {
    const view = this.view ?? this.whole;
    if (isFree) return second;
    return snappedToAttack([[0], ...this.host.attacks(), [this.host.hand().seconds]], view, second, SNAP_PIXELS);
  }

  /** @param {MouseEvent} event */
  point(event) {
    const box = this.canvas.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  /** Which rail a height belongs to; null between them. @param {number} y @returns {Rail | null} */
  railAt(y) {
    const rails = this.rails;
    return y < rails.recorded ? "recorded" : y > rails.fitted ? "fitted" : null;
  }

  // ---- view

  /** @param {number} times @param {number} [x] @param {Rail} [rail] */
  zoom(times, x, rail = "recorded") {
    const whole = this.whole;
    this.view = zoomed(this.view ?? whole, x ?? this.canvas.clientWidth / 2, times, this.moving(rail));
  }

  /** @param {number} pixels @param {Rail} [rail] */
  scroll(pixels, rail = "recorded") {
    this.view = scrolled(this.view ?? this.whole, pixels, this.moving(rail));
  }

  /** @param {number} from @param {number} to seconds */
  show(from, to) {
    const room = 0.04 * (to - from);
    const { recorded } = this.whole;
    const [a, b] = [Math.max(recorded.from, from - room), Math.min(recorded.to, to + room)];
    this.view = showing(this.view ?? this.whole, a, b, { ...this.moving("recorded"), together: true });
  }

  showAll() {
    this.view = null;
  }

  /** @param {WheelEvent} event */
  wheeled(event) {
    event.preventDefault();
    const { x, y } = this.point(event);
    const rail = this.railAt(y) ?? "recorded";
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) this.scroll(event.deltaX || event.deltaY, rail);
    else this.zoom(Math.exp(-event.deltaY / 400), x, rail);
  }

  /** Turn the page where the playhead leaves it, on each rail. @param {View} view @param {number} second @returns {View} */
  followed(view, second) {
    const whole = this.whole;
    for (const rail of /** @type {Rail[]} */ (this.together ? ["recorded"] : ["recorded", "fitted"])) {
      const range = view[rail];
      const size = range.to - range.from;
      if (size >= 0.999 * (whole[rail].to - whole[rail].from)) continue;
      const at = rail === "recorded" ? second : beatOfSecond(this.host.hand().knots, second);
      if (at >= range.from && at <= range.from + 0.95 * size) continue;
      const from = Math.max(whole[rail].from, Math.min(at - 0.08 * size, whole[rail].to - size));
      if (rail === "recorded" && this.together) view = showing(view, from, from + size, this.moving("recorded"));
      else view = { ...view, [rail]: { from, to: from + size } };
    }
    return view;
  }

  // ---- drawing

  /** The knots as they would be now. */
  preview() {
    const { knots } = this.host.hand();
    const { drag } = this;
    if (!drag || !drag.isMoved) return knots;
    if (drag.kind === "span") return laidOn(knots, drag.start + drag.by);
    if (drag.kind === "shift") return shifted(knots, drag.by);
    const places = this.places();
    return places.length ? placed(knots, places) : knots;
  }

  frame() {
    const { canvas, host } = this;
    if (!canvas.clientWidth) return;
    const began = performance.now();
    const whole = this.whole;
    // Who sees the whole goes on seeing it, however long it becomes.
    if (!this.view || this.view.width !== whole.width || this.view === this.seenWhole) this.view = this.seenWhole = whole;
    const playhead = host.playhead();
    if (this.follow && playhead !== null && !this.drag && host.isFollowed()) this.view = this.followed(this.view, playhead);
    const { view, rails, hover, range, cursor, chosen } = this;
    // What stands still is drawn once and kept; only the playheads move.
    const key = JSON.stringify([
      this.stamp, host.names(), view, this.drag?.isMoved && [this.drag.kind, this.drag.by, this.drag.second], hover, range, [...chosen].slice(0, 50), chosen.size,
      host.startBeat(), this.grid, canvas.clientWidth, canvas.clientHeight, devicePixelRatio, paletteName(),
    ]);
    // What would look the same is not drawn again: a playhead moves by whole half pixels.
    const moves = JSON.stringify([playhead, cursor].map((s) => s !== null && [
      Math.round(2 * xOfSecond(view, s)), Math.round(2 * xOfBeat(view, beatOfSecond(host.hand().knots, s))),
    ]));
    if (key === this.still.key && moves === this.still.moves) return;
    const knots = this.preview();
    const scene = { knots, view, rails, playhead, cursor };
    if (key !== this.still.key) {
      this.still = { ...this.still, key, colours: palette() };
      drawLoom(fitted(this.still.canvas, canvas), {
        ...scene, hand: host.hand(), attacks: host.attacks(), source: host.source(),
        render: this.drag ? null : host.render(), notes: host.notes(), sheet: host.sheet(), strain: host.strain(),
        metres: host.metres(), startBeat: host.startBeat(), grid: this.grid, chosen, range, hover,
      }, this.still.colours);
    }
    this.still.moves = moves;
    const c = fitted(canvas);
    c.drawImage(this.still.canvas, 0, 0, canvas.clientWidth, canvas.clientHeight);
    drawPlayheads(c, scene, this.still.colours);
    this.took = [...this.took.slice(-299), performance.now() - began];
  }

  // ---- choosing

  /** @param {Iterable<number>} secondsOf */
  choose(secondsOf) {
    this.turn += 1;
    this.chosen = new Set(secondsOf);
    this.host.chose();
  }

  /** What an answer would choose, unless a person has chosen or pressed since it was asked. @param {number} turn @param {Iterable<number>} secondsOf */
  chooseLate(turn, secondsOf) {
    if (turn === this.turn) this.choose(secondsOf);
  }

  /** @param {[number, number] | null} range seconds */
  select(range) {
    this.range = range;
    if (!range) return this.choose([]);
    const knots = this.host.hand().knots;
    const inside = knots.slice(firstFrom(knots, 0, range[0] - 1e-6), firstFrom(knots, 0, range[1] + 1e-6));
    this.choose(inside.filter((k) => k[1] !== 0 && k !== endOf(knots)).map((k) => k[0]));
  }

  /** The next knot, or the one before. @param {number} by */
  step(by) {
    const { knots } = this.host.hand();
    const at = [...this.chosen].at(by > 0 ? -1 : 0);
    const now = at === undefined ? (by > 0 ? -1 : knots.length) : knots.findIndex((k) => k[0] === at);
    const next = knots[Math.max(0, Math.min(knots.length - 1, now + by))];
    this.choose([next[0]]);
    this.cursor = next[0];
    const { from, to } = (this.view ?? this.whole).recorded;
    if (next[0] < from || next[0] > to) this.show(next[0] - (to - from) / 2, next[0] + (to - from) / 2);
  }

  /** Indexes of the chosen knots that can move on a rail. @param {Rail} rail */
  movable(rail) {
    const { knots, fastened } = this.host.hand();
    const found = new Set();
    knots.forEach(([second, beat], i) => {
      if (!this.chosen.has(second) || isFastened(fastened, second)) return;
      if (rail === "fitted" && (beat === 0 || i === knots.length - 1)) return;
      found.add(i);
    });
    return /** @type {Set<number>} */ (found);
  }

  /**
   * Move what is chosen by a step: along the grid, or by a hundredth of a beat.
   * @param {number} steps @param {boolean} isFree
   */
  nudge(steps, isFree) {
    const { knots } = this.host.hand();
    const moved = this.movable("fitted");
    if (!moved.size) return;
    if (!this.canMoveBelow()) return;
    const first = knots[[...moved][0]][1];
    const to = isFree ? first + steps * 0.01 : this.snapped(first + steps * this.grid, false);
    const [from, until] = reach(this.laid(), moved, "fitted");
    const by = Math.max(from, Math.min(until, to - first));
    if (Math.abs(by) < 1e-9) return this.host.say("It can go no further: a stretch would be past 8 times.");
    void this.host.ask({ kind: "tie_knots", knots: this.moves(moved, "fitted", by) });
  }

  laid() {
    const { knots, pace, fastened } = this.host.hand();
    return { knots, pace, fastened };
  }

  canMoveBelow() {
    if (this.host.hand().follows) return true;
    this.host.say("It keeps its own time: let it follow the tempo to move it on the grid.");
    return false;
  }

  // ---- dragging

  /** @param {PointerEvent} event */
  down(event) {
    if (event.button !== 0 || !this.view) return;
    this.canvas.focus({ preventScroll: true });
    this.turn += 1;
    const { x, y } = this.point(event);
    const begun = this.begin(x, y, event.shiftKey);
    if (!begun) return;
    this.canvas.setPointerCapture(event.pointerId);
    this.drag = begun;
  }

  /** What a press at a point begins. @param {number} x @param {number} y @param {boolean} isMore @returns {Drag | null} */
  begin(x, y, isMore) {
    const view = /** @type {View} */ (this.view);
    const { knots, fastened } = this.host.hand();
    const rails = this.rails;
    /** @type {(given: Partial<Drag> & {kind: Drag["kind"], rail: Rail}) => Drag} */
    const made = (given) => ({
      x, start: 0, moved: new Set(), limits: [-Infinity, Infinity], by: 0, second: 0, from: 0,
      isMoved: false, isDone: false, view, ...given,
    });
    const knot = knotAt(knots, view, x, y, rails);
    if (knot) {
      const [second, beat] = knots[knot.index];
      if (isMore) {
        const chosen = new Set(this.chosen);
        if (!chosen.delete(second)) chosen.add(second);
        this.choose(chosen);
        return null;
      }
      if (!this.chosen.has(second)) this.choose([second]);
      if (isFastened(fastened, second)) {
        this.host.say("This stretch is fastened: loosen it to move what is in it.");
        return null;
      }
      const { rail } = knot;
      const start = knots[knot.index][rail === "recorded" ? 0 : 1];
      const isEnd = knot.index === knots.length - 1;
      if (rail === "fitted") {
        if (!this.canMoveBelow()) return null;
        if (beat === 0) return made({ kind: "shift", rail, start });
        if (isEnd) return made({ kind: "span", rail, start, limits: this.spanLimits() });
      }
      const moved = this.movable(rail);
      return made({ kind: "knots", rail, start, moved, limits: reach(this.laid(), moved, rail), second });
    }
    const hit = attackAt(this.host.attacks(), knots, view, x, y, rails);
    if (hit?.rail === "fitted" && !isFastened(fastened, hit.second) && this.canMoveBelow()) {
      return made({ kind: "hit", rail: "fitted", second: hit.second, start: beatOfSecond(knots, hit.second), limits: this.hitLimits(hit.second) });
    }
    const rail = this.railAt(y);
    if (!rail) return made({ kind: "pan", rail: "recorded" });
    const second = rail === "recorded" ? secondAt(view, x) : secondOfBeat(knots, beatAt(view, x));
    if (this.range && rail === "recorded") {
      const edge = this.range.findIndex((s) => Math.abs(xOfSecond(view, s) - x) < 6);
      if (edge >= 0) return made({ kind: "edge", rail, start: this.range[edge], from: this.range[1 - edge] });
    }
    return made({ kind: "range", rail, start: second });
  }

  /** How far the end knot goes below: every stretch within 1/8 and 8. @returns {[number, number]} */
  spanLimits() {
    const { knots, pace } = this.host.hand();
    let [low, high] = [0, Infinity];
    for (let i = 0; i + 1 < knots.length; i += 1) {
      const own = (knots[i + 1][1] - knots[i][1]) / (knots[i + 1][0] - knots[i][0]);
      low = Math.max(low, pace[0] / own);
      high = Math.min(high, pace[1] / own);
    }
    const span = endOf(knots)[1];
    return [span * low - span, span * high - span];
  }

  /** How far a hit goes between its neighbours. @param {number} second @returns {[number, number]} */
  hitLimits(second) {
    const places = [...neighbours(this.host.attacks(), second).map((s) => ({ second: s })), { second }];
    const knots = placed(this.host.hand().knots, places);
    return reach({ ...this.laid(), knots }, new Set([knots.findIndex((k) => k[0] === second)]), "fitted");
  }

  /** @param {Set<number>} moved @param {Rail} rail @param {number} by @returns {Place[]} */
  moves(moved, rail, by) {
    const { knots, beat_share: share } = this.host.hand();
    return [...moved].map((i) => {
      const [second, beat] = knots[i];
      return rail === "recorded"
        ? { at: second, second: second + by }
        : { at: second, second, beat: (beat + by) / share };
    });
  }

  /** What the drag asks of the knots, in the server's terms. @returns {Place[]} */
  places() {
    const { drag } = this;
    if (!drag) return [];
    if (drag.kind === "knots") return this.moves(drag.moved, drag.rail, drag.by);
    if (drag.kind !== "hit") return [];
    const beside = neighbours(this.host.attacks(), drag.second).map((second) => ({ second }));
    return [...beside, { second: drag.second, beat: drag.start + drag.by }];
  }

  /** The intent that the drag comes to. @returns {Intent | null} */
  intent() {
    const { drag } = this;
    if (!drag || !drag.isMoved || Math.abs(drag.by) < 1e-9) return null;
    if (drag.kind === "span") return { kind: "lay_on", beats: Math.max(0.25, drag.start + drag.by) };
    if (drag.kind === "shift") return { kind: "shift_grid", beats: drag.by };
    const places = this.places();
    return places.length ? { kind: "tie_knots", knots: places } : null;
  }

  /** @param {PointerEvent} event */
  moved(event) {
    if (!this.view) return;
    const { x, y } = this.point(event);
    if (!this.drag || this.drag.isDone) return this.hovered(x, y);
    const { drag, view } = this;
    if (Math.abs(x - drag.x) > 3) drag.isMoved = true;
    if (!drag.isMoved) return;
    if (drag.kind === "pan") {
      this.view = drag.view;
      this.scroll(drag.x - x);
      return;
    }
    if (drag.kind === "range" || drag.kind === "edge") return this.ranged(drag, x, event.altKey);
    if (drag.rail === "recorded") {
      const second = this.atAttack(drag.start + secondAt(view, x) - secondAt(view, drag.x), event.altKey);
      this.pull(drag, second - drag.start, seconds(second, 3));
    } else {
      const raw = drag.start + beatAt(view, x) - beatAt(view, drag.x);
      const isFree = event.altKey;
      const beat = drag.kind === "span" ? Math.max(0.25, this.snapped(raw, isFree)) : this.snapped(raw, isFree);
      this.pull(drag, beat - drag.start, "");
    }
    this.host.tryOut(this.intent());
  }

  /** @param {Drag} drag @param {number} by @param {string} text */
  pull(drag, by, text) {
    const [from, to] = drag.limits;
    drag.by = Math.max(from, Math.min(to, by));
    const isHeld = drag.by !== by;
    const where = text && !isHeld ? text : this.whereText(drag);
    this.host.say(isHeld ? `${where}: it stops here, a stretch may be 8 times as long or short, and no knot passes another` : where);
  }

  /** @param {Drag} drag */
  whereText(drag) {
    if (drag.rail === "recorded") return seconds(drag.start + drag.by, 3);
    if (drag.kind === "span") return `${round(drag.start + drag.by, 3)} beats`;
    const start = this.host.startBeat();
    const first = barLine(this.host.metres(), start).bar - 1;
    const [bar, ...rest] = placeText(this.host.metres(), start + drag.start + drag.by).split(".");
    return [Number(bar) - first, ...rest].join(".");
  }

  /** @param {Drag} drag @param {number} x @param {boolean} isFree */
  ranged(drag, x, isFree) {
    const view = /** @type {View} */ (this.view);
    const { knots } = this.host.hand();
    /** @param {number} second */
    const settle = (second) => (drag.rail === "recorded"
      ? this.atAttack(second, isFree)
      : secondOfBeat(knots, this.snapped(beatOfSecond(knots, second), isFree)));
    const to = settle(drag.rail === "recorded" ? secondAt(view, x) : secondOfBeat(knots, beatAt(view, x)));
    const from = drag.kind === "edge" ? drag.from : settle(drag.start);
    if (Math.abs(to - from) < 1e-4) return;
    this.select([Math.min(from, to), Math.max(from, to)]);
    const [a, b] = /** @type {[number, number]} */ (this.range);
    this.host.say(`${seconds(a, 3)} to ${seconds(b, 3)}: ${seconds(b - a, 3)}, ${round(beatOfSecond(knots, b) - beatOfSecond(knots, a), 2)} beats`);
  }

  /** @param {number} x @param {number} y */
  hovered(x, y) {
    const view = /** @type {View} */ (this.view);
    const { knots } = this.host.hand();
    const found = knotAt(knots, view, x, y, this.rails);
    this.hover = found ? `${found.index}/${found.rail}` : "";
    const hit = found ? null : attackAt(this.host.attacks(), knots, view, x, y, this.rails);
    const rail = this.railAt(y);
    const isEdge = rail === "recorded" && !!this.range?.some((s) => Math.abs(xOfSecond(view, s) - x) < 6);
    this.canvas.style.cursor = found || hit?.rail === "fitted" || isEdge ? "ew-resize" : rail ? "text" : "grab";
  }

  released() {
    const own = this.drag;
    if (!own || own.isDone) return;
    own.isDone = true;
    const intent = this.intent();
    // The knots stay where they were dragged to until the answer is there; by then another drag may have begun.
    const settle = () => {
      if (this.drag === own) this.drag = null;
      this.host.tryOut(null);
    };
    if (!own.isMoved && own.kind === "range") {
      this.select(null);
      this.cursor = this.atAttack(own.start, own.rail === "fitted");
      this.host.went(this.cursor);
    }
    if (!intent) {
      settle();
      if (own.kind !== "range" && own.kind !== "edge") this.host.say("");
      return;
    }
    this.host.say("");
    const moved = own.kind === "knots" && own.rail === "recorded" ? this.places().map((p) => p.second) : null;
    const { turn } = this;
    void this.host.ask(intent).then(() => {
      if (moved) this.chooseLate(turn, moved.filter((s) => this.host.hand().knots.some((k) => k[0] === s)));
    }).finally(settle);
  }

  /** Let the drag go, or what is chosen. @returns {boolean} whether there was something */
  letGo() {
    const { drag } = this;
    this.host.say("");
    if (drag && !drag.isDone) {
      this.drag = null;
      this.host.tryOut(null);
      return true;
    }
    if (!this.range && !this.chosen.size && this.cursor === null) return false;
    this.cursor = null;
    this.select(null);
    return true;
  }

  /** @param {MouseEvent} event */
  doubled(event) {
    if (!this.view) return;
    const { x, y } = this.point(event);
    const { knots } = this.host.hand();
    const knot = knotAt(knots, this.view, x, y, this.rails);
    if (knot) return this.remove([knots[knot.index][0]]);
    const hit = attackAt(this.host.attacks(), knots, this.view, x, y, this.rails);
    const below = y > (this.rails.recorded + this.rails.fitted) / 2;
    const second = hit?.second ?? this.atAttack(below ? secondOfBeat(knots, beatAt(this.view, x)) : secondAt(this.view, x), event.altKey);
    this.tie(second);
  }

  /** Tie a knot where a moment lies. @param {number} second */
  tie(second) {
    const { knots } = this.host.hand();
    if (knots.some((k) => Math.abs(k[0] - second) < 0.001)) return this.choose([knots.find((k) => Math.abs(k[0] - second) < 0.001)?.[0] ?? second]);
    if (second <= zeroOf(knots)[0] || second >= endOf(knots)[0]) {
      return this.host.say("Knots are tied between the zero knot and the end knot.");
    }
    this.cursor = null;
    const { turn } = this;
    void this.host.ask({ kind: "tie_knots", knots: [{ second }] }).then(() => this.chooseLate(turn, [second]));
  }

  /** @param {Iterable<number>} secondsOf */
  remove(secondsOf) {
    const { knots } = this.host.hand();
    const gone = [...secondsOf].filter((s) => s !== zeroOf(knots)[0] && s !== endOf(knots)[0]);
    if (!gone.length) return this.host.say("The zero knot and the end knot always exist.");
    void this.host.ask({ kind: "remove_knots", seconds: gone });
  }

  /** Where a moment is drawn, for tests. @param {number} second @param {Rail} rail */
  pointOf(second, rail) {
    const view = /** @type {View} */ (this.view);
    const box = this.canvas.getBoundingClientRect();
    const { knots } = this.host.hand();
    const x = rail === "recorded" ? xOfSecond(view, second) : xOfBeat(view, beatOfSecond(knots, second));
    return [box.left + x, box.top + this.rails[rail]];
  }
}

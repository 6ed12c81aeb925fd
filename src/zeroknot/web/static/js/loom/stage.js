// @ts-check
/** The loom in hand: what is chosen on it, what is dragged, and the frames drawn of it. */

import { barLine, placeText } from "../metre.js";
import { round, seconds } from "../format.js";
import { gesture } from "../ui/gesture.js";
import { layered } from "../ui/frames.js";
import { edgeAt, intentOf, movable, moves, OWN_TIME, places, pressed, preview } from "./drags.js";
import { drawLoom } from "./draw.js";
import { drawPlayheads } from "./knots.js";
import { attackAt, beatAt, beatOfSecond, endOf, firstFrom, knotAt, reach, secondAt, secondOfBeat, xOfBeat, xOfSecond, zeroOf } from "./model.js";
import { Viewport } from "./viewport.js";

/** @typedef {import("./drags.js").Drag} Drag */
/** @typedef {import("./drags.js").Intent} Intent */
/** @typedef {import("../ui/gesture.js").Move} Move */
/**
 * What the loom works on, and whom it tells.
 * @typedef {import("./viewport.js").Looked & {
 *   sheet: () => import("../types.js").HandSheet | null, strain: () => import("../types.js").Strain | null,
 *   source: () => import("./lod.js").Waves | null, render: () => import("./lod.js").Waves | null,
 *   notes: () => [number, number, number][],
 *   playhead: () => number | null, say: (text: string) => void, chose: () => void,
 *   tryOut: (intent: Intent | null) => void, ask: (intent: Intent) => Promise<unknown>,
 *   went: (second: number) => void, isFollowed: () => boolean}} Host
 */

const BEGIN_PIXELS = 3;
const FINE_BEATS = 0.01; // a step of the arrow keys with Alt
const SAME_SECONDS = 0.001; // under which two knots are one

export class LoomStage {
  /** @param {HTMLCanvasElement} canvas @param {Host} host @param {import("../scope.js").Scope} scope */
  constructor(canvas, host, scope) {
    this.canvas = canvas;
    this.host = host;
    this.port = new Viewport(canvas, host);
    /** @type {Drag | null} */
    this.drag = null;
    /** A drag that was let go stays drawn until its answer is there. */
    this.isSettling = false;
    /** Gives up the drag that is on. */
    this.giveUp = () => {};
    this.hover = "";
    /** Rises with each choice and each press: what comes late must not undo them. */
    this.turn = 0;
    /** Seconds of the chosen knots. @type {Set<number>} */
    this.chosen = new Set();
    /** @type {[number, number] | null} */
    this.range = null;
    /** @type {number | null} */
    this.cursor = null;
    /** Something changed that a frame is drawn for. */
    this.stamp = 0;
    scope.on(canvas, "pointerdown", (e) => this.down(e));
    scope.on(canvas, "pointermove", (e) => this.drag || this.hovered(this.port.point(e)));
    scope.on(canvas, "dblclick", (e) => this.doubled(e));
    scope.on(canvas, "wheel", (e) => this.port.wheeled(e), { passive: false });
    scope.add(() => this.giveUp());
    this.layers = { still: this.still(), moving: this.moving() };
    scope.add(layered(canvas, () => this.step(), this.layers.still, this.layers.moving));
  }

  /** What is shown changed: another strand, or other knots. */
  changed() {
    this.stamp += 1;
    const known = new Set(this.host.hand().knots.map((k) => k[0]));
    const kept = [...this.chosen].filter((s) => known.has(s));
    if (kept.length === this.chosen.size) return;
    // Nobody chose: those that moved are chosen again when their answer is there.
    this.chosen = new Set(kept);
    this.host.chose();
  }

  /** The whole again: of another loop, or of one that was read anew. */
  reset() {
    this.port.showAll();
    this.range = null;
    this.cursor = null;
    this.choose([]);
  }

  // ---- drawing

  /** What comes before each frame. */
  step() {
    this.port.settle();
    const playhead = this.host.playhead();
    if (this.port.follow && playhead !== null && !this.drag && this.host.isFollowed()) this.port.followTo(playhead);
  }

  /** The knots as they would be now. */
  get knots() {
    return this.drag ? preview(this.host.hand(), this.host.attacks(), this.drag) : this.host.hand().knots;
  }

  /** What stands still: drawn once and kept. @returns {import("../ui/frames.js").Layer} */
  still() {
    const { host, port } = this;
    return {
      looks: () => [
        this.stamp, host.hand().hand, port.view, this.drag && [this.drag.kind, this.drag.by, this.drag.second], this.hover,
        this.range, [...this.chosen].slice(0, 50), this.chosen.size, host.startBeat(), port.grid,
      ],
      draw: (c, { colours }) => drawLoom(c, {
        knots: this.knots, view: port.view, rails: port.rails, hand: host.hand(), attacks: host.attacks(), source: host.source(),
        render: this.drag ? null : host.render(), notes: host.notes(), sheet: host.sheet(), strain: host.strain(),
        metres: host.metres(), startBeat: host.startBeat(), grid: port.grid, chosen: this.chosen, range: this.range, hover: this.hover,
        playhead: null, cursor: null,
      }, colours),
    };
  }

  /** What moves: the playheads, by whole half pixels. @returns {import("../ui/frames.js").Layer} */
  moving() {
    const { host, port } = this;
    return {
      looks: () => [host.playhead(), this.cursor].map((s) => s !== null && [
        Math.round(2 * xOfSecond(port.view, s)), Math.round(2 * xOfBeat(port.view, beatOfSecond(host.hand().knots, s))),
      ]),
      draw: (c, { colours }) => drawPlayheads(c, {
        knots: this.knots, view: port.view, rails: port.rails, playhead: host.playhead(), cursor: this.cursor,
      }, colours),
    };
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
  stepKnot(by) {
    const { knots } = this.host.hand();
    const at = [...this.chosen].at(by > 0 ? -1 : 0);
    const now = at === undefined ? (by > 0 ? -1 : knots.length) : knots.findIndex((k) => k[0] === at);
    const next = knots[Math.max(0, Math.min(knots.length - 1, now + by))];
    this.choose([next[0]]);
    this.cursor = next[0];
    this.port.reveal(next[0]);
  }

  /**
   * Move what is chosen by a step: along the grid, or by a hundredth of a beat.
   * @param {number} steps @param {boolean} isFree
   */
  nudge(steps, isFree) {
    const hand = this.host.hand();
    const moved = movable(hand, this.chosen, "fitted");
    if (!moved.size) return;
    if (!hand.follows) return this.host.say(OWN_TIME);
    const first = hand.knots[[...moved][0]][1];
    const to = isFree ? first + steps * FINE_BEATS : this.port.snapped(first + steps * this.port.grid, false);
    const [from, until] = reach(hand, moved, "fitted");
    const by = Math.max(from, Math.min(until, to - first));
    if (Math.abs(by) < 1e-9) return this.host.say(`It can go no further: a stretch would be past ${hand.most_ratio} times.`);
    void this.host.ask({ kind: "tie_knots", knots: moves(hand, moved, "fitted", by) });
  }

  // ---- dragging

  /** @param {PointerEvent} event */
  down(event) {
    if (event.button !== 0) return;
    this.canvas.focus({ preventScroll: true });
    this.turn += 1;
    const { x, y } = this.port.point(event);
    const scene = { hand: this.host.hand(), attacks: this.host.attacks(), view: this.port.view, rails: this.port.rails, chosen: this.chosen, range: this.range };
    const found = pressed(scene, x, y, event.shiftKey);
    if (found.chosen && found.chosen !== this.chosen) this.choose(found.chosen);
    if (found.says) this.host.say(found.says);
    const { drag } = found;
    if (!drag) return;
    this.giveUp = gesture(event, {
      pixels: BEGIN_PIXELS,
      begun: () => {
        this.drag = drag;
        this.isSettling = false;
      },
      moved: (move) => this.dragged(drag, x, move),
      done: () => this.release(drag),
      tapped: () => this.tapped(drag),
      ended: (isDone) => isDone || this.givenUp(drag),
    });
  }

  /** @param {Drag} drag @param {number} from x of the press @param {Move} move */
  dragged(drag, from, move) {
    const { port } = this;
    const x = from + move.dx;
    if (drag.kind === "pan") {
      port.seen = drag.view;
      port.scroll(-move.dx);
    } else if (drag.kind === "range" || drag.kind === "edge") this.ranged(drag, x, move.alt);
    else if (drag.rail === "recorded") {
      const second = port.atAttack(drag.start + secondAt(port.view, x) - secondAt(port.view, from), move.alt);
      this.pull(drag, second - drag.start);
    } else {
      const beat = port.snapped(drag.start + beatAt(port.view, x) - beatAt(port.view, from), move.alt);
      this.pull(drag, beat - drag.start);
    }
  }

  /** @param {Drag} drag @param {number} by seconds or beats */
  pull(drag, by) {
    const [from, to] = drag.limits;
    drag.by = Math.max(from, Math.min(to, by));
    const where = this.whereText(drag);
    const { most_ratio: most } = this.host.hand();
    this.host.say(drag.by === by ? where : `${where}: it stops here, a stretch may be ${most} times as long or short, and no knot passes another`);
    this.host.tryOut(intentOf(this.host.hand(), this.host.attacks(), drag));
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
    const { view } = this.port;
    const { knots } = this.host.hand();
    /** @param {number} second */
    const settle = (second) => (drag.rail === "recorded"
      ? this.port.atAttack(second, isFree)
      : secondOfBeat(knots, this.port.snapped(beatOfSecond(knots, second), isFree)));
    const to = settle(drag.rail === "recorded" ? secondAt(view, x) : secondOfBeat(knots, beatAt(view, x)));
    const from = drag.kind === "edge" ? drag.from : settle(drag.start);
    if (Math.abs(to - from) < 1e-4) return;
    const [a, b] = [Math.min(from, to), Math.max(from, to)];
    this.select([a, b]);
    this.host.say(`${seconds(a, 3)} to ${seconds(b, 3)}: ${seconds(b - a, 3)}, ${round(beatOfSecond(knots, b) - beatOfSecond(knots, a), 2)} beats`);
  }

  /** @param {{x: number, y: number}} point */
  hovered({ x, y }) {
    const { view, rails } = this.port;
    const { knots } = this.host.hand();
    const found = knotAt(knots, view, x, y, rails);
    this.hover = found ? `${found.index}/${found.rail}` : "";
    const hit = found ? null : attackAt(this.host.attacks(), knots, view, x, y, rails);
    const rail = this.port.railAt(y);
    const isEdge = rail === "recorded" && edgeAt(this.range, view, x) >= 0;
    this.canvas.style.cursor = found || hit?.rail === "fitted" || isEdge ? "ew-resize" : rail ? "text" : "grab";
  }

  /** Pressed and let go on one spot: of a rail it is where the cursor waits. @param {Drag} drag */
  tapped(drag) {
    if (drag.kind !== "range") return;
    this.select(null);
    this.cursor = this.port.atAttack(drag.start, drag.rail === "fitted");
    this.host.went(this.cursor);
  }

  /** @param {Drag} drag */
  release(drag) {
    const intent = intentOf(this.host.hand(), this.host.attacks(), drag);
    // The knots stay where they were dragged to until the answer is there; by then another drag may have begun.
    const settle = () => {
      if (this.drag === drag) this.drag = null;
      this.host.tryOut(null);
    };
    if (drag.kind !== "range" && drag.kind !== "edge") this.host.say("");
    if (!intent) return settle();
    this.isSettling = true;
    const moved = drag.kind === "knots" && drag.rail === "recorded" ? places(this.host.hand(), [], drag).map((p) => p.second) : null;
    const { turn } = this;
    void this.host.ask(intent).then(() => {
      if (moved) this.chooseLate(turn, moved.filter((s) => this.host.hand().knots.some((k) => k[0] === s)));
    }).finally(settle);
  }

  /** @param {Drag} drag */
  givenUp(drag) {
    this.host.say("");
    if (this.drag !== drag) return;
    this.drag = null;
    this.host.tryOut(null);
  }

  /** Is a person dragging at this moment? */
  get isDragging() {
    return !!this.drag && !this.isSettling;
  }

  /** Let go what is chosen. @returns {boolean} whether there was something */
  letGo() {
    this.host.say("");
    if (!this.range && !this.chosen.size && this.cursor === null) return false;
    this.cursor = null;
    this.select(null);
    return true;
  }

  // ---- knots

  /** @param {MouseEvent} event */
  doubled(event) {
    const { x, y } = this.port.point(event);
    const { view, rails } = this.port;
    const { knots } = this.host.hand();
    const knot = knotAt(knots, view, x, y, rails);
    if (knot) return this.remove([knots[knot.index][0]]);
    const hit = attackAt(this.host.attacks(), knots, view, x, y, rails);
    const below = y > (rails.recorded + rails.fitted) / 2;
    const second = hit?.second ?? this.port.atAttack(below ? secondOfBeat(knots, beatAt(view, x)) : secondAt(view, x), event.altKey);
    this.tie(second);
  }

  /** Tie a knot where a moment lies. @param {number} second */
  tie(second) {
    const { knots } = this.host.hand();
    const there = knots.find((k) => Math.abs(k[0] - second) < SAME_SECONDS);
    if (there) return this.choose([there[0]]);
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
}

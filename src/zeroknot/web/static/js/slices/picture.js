// @ts-check
/** The picture: the cut and the order, chosen, dragged, drawn by hand and by keys. */

import { along } from "../engine/schedule.js";
import { placeText } from "../metre.js";
import { section } from "../sections.js";
import { layered } from "../ui/frames.js";
import { gesture } from "../ui/gesture.js";
import { beatOf, scrolled, xOf, zoomed } from "../ui/sight.js";
import { drawHeard, drawSlices } from "./draw.js";
import { bandsOf, beatAt, cutAt, cutText, gridOf, orderText, pieceAt, pieceText, secondAt, secondOf, tileAt, tilesIn, tileText, xOfSecond } from "./model.js";

const [LEFT, RIGHT] = [18, 18]; // pixels beside the rails
const MOST_DB = 12;
const LEAST_DB = -24;
const CUT_GRID = 0.25; // beats

/** @param {import("./shared.js").Shared} shared */
export const pictured = (shared) => {
  const { session, held, view, chosen, picked, stay } = shared;
  let box = { width: 100, height: 100 };
  /** Beats of the order in sight; null is all. @type {[number, number] | null} */
  let sight = null;
  /** Seconds of the cut in sight; null is all. @type {[number, number] | null} */
  let spanSeen = null;
  let looks = 0;
  let pointed = -1;
  /** @type {{by: number, copies: boolean} | null} */
  let dragged = null;
  /** @type {{index: number, second: number} | null} */
  let movedCut = null;
  /** A level line that is drawn. @type {[number, number, number, number] | null} */
  let line = null;

  const tiles = () => shared.facts.order.tiles;
  const seen = () => {
    const [from, to] = sight ?? [0, shared.facts.order.beats];
    return { left: LEFT, width: Math.max(50, box.width - LEFT - RIGHT), from, to: Math.max(from + 0.01, to) };
  };
  const seenSpan = () => {
    const { edges } = shared.facts;
    const [from, to] = spanSeen ?? [edges[0], edges[edges.length - 1]];
    return { left: LEFT, width: Math.max(50, box.width - LEFT - RIGHT), from, to: Math.max(from + 0.001, to) };
  };

  return section(shared.whole, {
    cutText: "", orderText: "", dragText: "", rendering: false, isCut: false,
    /** What a drag over the tiles does. @type {"move" | "levels"} */
    tool: "move",
    /** Where a cut goes by itself. @type {"attacks" | "grid" | "zero"} */
    snapsTo: "attacks",

    startPicture() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("slices"));
      view.scope.add(layered(canvas, () => { box = { width: canvas.clientWidth, height: canvas.clientHeight }; },
        { looks: () => [looks, sight, spanSeen, pointed, [...chosen], [...picked], [...stay], dragged, movedCut, line], draw: (c, sheet) => drawSlices(c, this.scene(sheet), sheet.colours) },
        { looks: () => [this.beatHeard(), this.secondHeard()], draw: (c, sheet) => drawHeard(c, this.scene(sheet), sheet.colours) }));
      held.drawn = () => {
        this.rendering = held.isRendering;
        looks += 1;
      };
      view.scope.on(canvas, "pointermove", (/** @type {PointerEvent} */ e) => this.point(e));
      view.scope.on(canvas, "pointerleave", () => this.pointAt(-1));
      view.scope.on(canvas, "pointerdown", (/** @type {PointerEvent} */ e) => this.press(e));
      view.scope.on(canvas, "dblclick", (/** @type {MouseEvent} */ e) => this.pressTwice(e));
      view.scope.on(canvas, "wheel", (/** @type {WheelEvent} */ e) => this.wheel(e), { passive: false });
    },

    /** @param {{width: number, height: number}} sheet @returns {import("./draw.js").Scene} */
    scene(sheet) {
      return {
        sight: seen(), span: seenSpan(), bands: bandsOf(sheet.height), slices: shared.facts, metres: session.state.metres,
        chosen, picked, pointed, held: stay, dragged, movedCut, line,
        sound: { source: held.source, render: held.render, sheet: held.sheet, sourceRate: held.hand.source_rate },
        heardSecond: this.secondHeard(), heardBeat: this.beatHeard(),
      };
    },

    showPicture() {
      looks += 1;
      if (sight && sight[1] > shared.facts.order.beats + 1e-6) sight = null;
      this.isCut = shared.facts.is_cut;
      this.cutText = cutText(shared.facts);
      this.orderText = orderText(shared.facts);
    },

    /** The beat of the order that is heard; null where none is. */
    beatHeard() {
      const engine = session.engine_;
      const { sheet } = held;
      if (!engine || !sheet || !this.hearing) return null;
      if (engine.hand.isPlaying) {
        if (engine.hand.way !== "fitted" || engine.hand.sheet?.digest !== sheet.digest) return null;
        return along(sheet.beats, 1, 0, engine.hand.place());
      }
      return engine.song.withHand && engine.song.isPlaying ? session.beat() % shared.facts.order.beats : null;
    },

    /** The second of the recording that is heard. */
    secondHeard() {
      const engine = session.engine_;
      if (this.hearing && engine?.hand.isPlaying && engine.hand.way === "recorded") return engine.hand.second();
      const beat = this.beatHeard();
      if (beat === null) return null;
      const { order, edges } = shared.facts;
      const tile = order.tiles[tileAt(order.tiles, beat)];
      if (!tile || tile.muted || edges[tile.piece + 1] === undefined) return null;
      const [a, b] = [edges[tile.piece], edges[tile.piece + 1]];
      const share = (((beat - tile.beat) / tile.beats) * tile.hits) % 1;
      return tile.reverse ? b - share * (b - a) : a + share * (b - a);
    },

    // ---- how it is looked at

    /** @param {WheelEvent} event */
    wheel(event) {
      event.preventDefault();
      const bands = bandsOf(box.height);
      const isScroll = event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY);
      const by = (event.deltaX || event.deltaY) / seen().width;
      const times = Math.exp(-event.deltaY / 300);
      if (event.offsetY > (bands.bottom + bands.order) / 2) {
        if (isScroll) this.scroll(by);
        else sight = zoomed(seen(), shared.facts.order.beats, times, beatOf(seen(), event.offsetX));
        return;
      }
      const { edges } = shared.facts;
      const [start, length] = [edges[0], edges[edges.length - 1] - edges[0]];
      const now = { ...seenSpan(), from: seenSpan().from - start, to: seenSpan().to - start };
      const found = isScroll ? scrolled(now, length, by * (now.to - now.from)) : zoomed(now, length, times, secondOf(now, event.offsetX));
      spanSeen = [found[0] + start, found[1] + start];
    },

    /** @param {number} times */
    zoom(times) {
      const now = seen();
      sight = zoomed(now, shared.facts.order.beats, times, (now.from + now.to) / 2);
    },

    showAll() {
      [sight, spanSeen] = [null, null];
    },

    /** @param {number} by of what is in sight */
    scroll(by) {
      const now = seen();
      sight = scrolled(now, shared.facts.order.beats, by * (now.to - now.from));
    },

    // ---- pointing

    /** @param {PointerEvent} event */
    point(event) {
      if (dragged || movedCut || line) return;
      const bands = bandsOf(box.height);
      const canvas = /** @type {HTMLElement} */ (event.currentTarget);
      if (event.offsetY < bands.bottom + 8) {
        const cut = shared.facts.is_cut ? cutAt(shared.facts.edges, seenSpan(), event.offsetX) : 0;
        canvas.style.cursor = cut ? "ew-resize" : "";
        this.pointAt(-1);
        const piece = pieceAt(shared.facts.edges, secondOf(seenSpan(), event.offsetX));
        if (piece >= 0 && shared.facts.is_cut) this.dragText = `slice ${piece + 1}: ${pieceText(shared.facts, piece)}`;
        return;
      }
      canvas.style.cursor = "";
      this.pointAt(event.offsetY >= bands.order ? tileAt(tiles(), beatOf(seen(), event.offsetX)) : -1);
    },

    /** @param {number} index of a tile; −1 for none */
    pointAt(index) {
      if (index !== pointed) looks += 1;
      pointed = index;
      const tile = tiles()[index];
      this.dragText = tile ? tileText(shared.facts, tile, placeText(session.state.metres, tile.beat)) : "";
    },

    // ---- choosing, dragging

    /** @param {PointerEvent} event */
    press(event) {
      if (event.button !== 0) return;
      const bands = bandsOf(box.height);
      if (event.offsetY < bands.bottom + 8) this.pressCut(event);
      else if (event.offsetY >= bands.order - 4) this.pressTiles(event);
    },

    /** @param {PointerEvent} event */
    pressCut(event) {
      const { facts } = shared;
      const span = seenSpan();
      const at = event.offsetX;
      const cut = facts.is_cut ? cutAt(facts.edges, span, at) : 0;
      let isFree = false;
      const piece = facts.is_cut ? pieceAt(facts.edges, secondOf(span, at)) : -1;
      gesture(event, {
        moved: ({ dx, alt }) => {
          if (!cut) return;
          const second = secondOf(span, xOfSecond(span, facts.edges[cut]) + dx);
          isFree = alt;
          movedCut = { index: cut, second: alt ? second : this.snapped(second, span) };
          this.dragText = `cut ${cut + 1} at ${movedCut.second.toFixed(3)} s`;
        },
        done: () => { if (movedCut) void shared.change({ kind: "mend_cut", how: "move", ...movedCut, ...this.snapSaid(isFree) }); },
        tapped: () => {
          if (cut) chosen.clear();
          const which = cut || piece;
          if (which >= 0) this.choose(which, event.ctrlKey || event.metaKey, event.shiftKey);
        },
        ended: () => {
          movedCut = null;
          this.dragText = "";
        },
      });
    },

    /** What a cut that is laid somewhere asks of the server: a grid is met, and a crossing of zero found, there. @param {boolean} isFree */
    snapSaid(isFree) {
      const snap = /** @type {"free" | "grid" | "zero"} */ (isFree || this.snapsTo === "attacks" ? "free" : this.snapsTo);
      return { snap, step: CUT_GRID };
    },

    /** To an attack that is near, or to the grid; where the recording crosses zero is found when it is let go. @param {number} second @param {import("./model.js").Span} span */
    snapped(second, span) {
      if (this.snapsTo === "zero") return second;
      if (this.snapsTo === "grid") return secondAt(shared.facts, Math.round(beatAt(shared.facts, second) / CUT_GRID) * CUT_GRID);
      const reach = (8 / span.width) * (span.to - span.from);
      let [best, nearest] = [second, reach];
      for (const [at] of held.hand.attacks) {
        const cut = at - 0.003;
        if (Math.abs(cut - second) < nearest) [best, nearest] = [cut, Math.abs(cut - second)];
      }
      return best;
    },

    /** @param {PointerEvent} event */
    pressTiles(event) {
      const now = seen();
      const beat = beatOf(now, event.offsetX);
      const index = tileAt(tiles(), beat);
      if (this.tool === "levels") return this.pressLevels(event, beat);
      const isMore = event.ctrlKey || event.metaKey;
      if (index >= 0 && !picked.has(index) && !isMore && !event.shiftKey) this.pick(index, false, false);
      const x = event.offsetX;
      // Those that were taken hold of, whatever is heard of the order meanwhile.
      const which = picked.has(index) ? [...picked] : [index];
      gesture(event, {
        moved: ({ dx, alt, ctrl }) => {
          if (index < 0) {
            this.pickAll(tilesIn(tiles(), beat, beatOf(now, x + dx)));
            return;
          }
          const step = alt ? 1e-3 : gridOf(tiles());
          const by = Math.round(((dx / now.width) * (now.to - now.from)) / step) * step;
          dragged = { by, copies: ctrl };
          this.dragText = `${ctrl ? "copy" : "move"} to ${placeText(session.state.metres, Math.max(0, tiles()[index].beat + by))}`;
        },
        done: () => {
          if (dragged?.by) void shared.change({ kind: "move_tiles", which, by: dragged.by, copies: dragged.copies });
        },
        tapped: () => {
          if (index >= 0) this.pick(index, isMore, event.shiftKey);
          else this.pickAll([]);
        },
        ended: () => {
          dragged = null;
          this.dragText = "";
        },
      });
    },

    /** A level line over the tiles. @param {PointerEvent} event @param {number} from beat */
    pressLevels(event, from) {
      const now = seen();
      const bands = bandsOf(box.height);
      const dbAt = (/** @type {number} */ y) => Math.max(LEAST_DB, Math.min(MOST_DB, MOST_DB - ((y - bands.order) / (bands.end - bands.order)) * (MOST_DB - LEAST_DB)));
      const [x0, y0] = [event.offsetX, event.offsetY];
      /** @type {number[]} */
      let which = [];
      gesture(event, {
        moved: ({ dx, dy }) => {
          line = [x0, y0, x0 + dx, y0 + dy];
          which = tilesIn(tiles(), from, beatOf(now, x0 + dx));
          this.dragText = `${which.length} tiles from ${dbAt(y0).toFixed(0)} to ${dbAt(y0 + dy).toFixed(0)} dB`;
        },
        done: ({ dx, dy }) => {
          const levels = [dbAt(y0), dbAt(y0 + dy)];
          if (dx < 0) levels.reverse();
          if (which.length) void shared.change({ kind: "draw_levels", which, first_db: levels[0], last_db: levels[1] });
        },
        ended: () => {
          line = null;
          this.dragText = "";
        },
      });
    },

    /** A cut more, or a slice of which the cut before it goes; a tile reversed. @param {MouseEvent} event */
    pressTwice(event) {
      const bands = bandsOf(box.height);
      if (event.offsetY < bands.bottom + 8) {
        const cut = shared.facts.is_cut ? cutAt(shared.facts.edges, seenSpan(), event.offsetX) : 0;
        if (cut) void shared.change({ kind: "mend_cut", how: "join", index: cut });
        else void shared.change({ kind: "mend_cut", how: "add", second: this.snapped(secondOf(seenSpan(), event.offsetX), seenSpan()), ...this.snapSaid(event.altKey) });
        return;
      }
      const index = tileAt(tiles(), beatOf(seen(), event.offsetX));
      if (index >= 0) void shared.change({ kind: "change_tiles", which: [index], reverse: !tiles()[index].reverse });
    },

    /** @param {number} piece @param {boolean} isMore beside those chosen @param {boolean} isRange */
    choose(piece, isMore, isRange) {
      picked.clear();
      select(chosen, piece, isMore, isRange);
      this.showSlices();
    },

    /** @param {number} tile @param {boolean} isMore beside those chosen @param {boolean} isRange */
    pick(tile, isMore, isRange) {
      chosen.clear();
      select(picked, tile, isMore, isRange);
      this.showSlices();
    },

    /** @param {number[]} which */
    pickAll(which) {
      chosen.clear();
      picked.clear();
      for (const i of which) picked.add(i);
      this.showSlices();
    },

    /** @param {number} by */
    stepPiece(by) {
      const count = shared.facts.pieces.length;
      if (!count) return;
      const [now] = shared.meant;
      this.choose(now === undefined ? (by > 0 ? 0 : count - 1) : (now + by + count) % count, false, false);
    },

    /** @param {number} by */
    stepTile(by) {
      const count = tiles().length;
      if (!count) return;
      const now = [...picked].pop();
      const next = now === undefined ? (by > 0 ? 0 : count - 1) : (now + by + count) % count;
      this.pick(next, false, false);
      const tile = tiles()[next];
      this.dragText = tileText(shared.facts, tile, placeText(session.state.metres, tile.beat));
      if (sight && (tile.beat < sight[0] || tile.beat > sight[1])) this.scroll((tile.beat - sight[0]) / (sight[1] - sight[0]) - 0.4);
    },

    /** @param {"attacks" | "grid" | "zero"} to */
    setSnap(to) {
      this.snapsTo = to;
    },

    letChoiceGo() {
      if (!chosen.size && !picked.size) return false;
      this.pickAll([]);
      return true;
    },

    /** For tests and benchmarks. @param {import("../types.js").FitIntent} intent */
    changeForTests: (intent) => shared.change(intent),

    /** For tests: where things are drawn. @param {number} beat */
    xOfBeat: (beat) => xOf(seen(), beat),
    /** @param {number} second */
    xOfSecond: (second) => xOfSecond(seenSpan(), second),
    bands: () => bandsOf(box.height),
    tilesForTests: () => tiles().length,
  });
};

/** One more or less, all up to one, or one alone. @param {Set<number>} of @param {number} index @param {boolean} isMore @param {boolean} isRange */
function select(of, index, isMore, isRange) {
  if (isRange && of.size) {
    const [first] = of;
    const [a, b] = [Math.min(first, index), Math.max(first, index)];
    for (let i = a; i <= b; i += 1) of.add(i);
  } else if (isMore) {
    if (!of.delete(index)) of.add(index);
  } else {
    of.clear();
    of.add(index);
  }
}

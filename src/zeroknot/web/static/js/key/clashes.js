// @ts-check
/** What it clashes with, bar by bar; and the song's keys, which change at bars. */

import { semitones, typedNumber } from "../format.js";
import { getJson } from "../net/api.js";
import { barLine } from "../metre.js";
import { layered } from "../ui/frames.js";
import { section } from "../sections.js";
import { drawClash } from "./draw.js";
import { cellAt, cellText } from "./model.js";

const [LEFT, TOP, BOTTOM, MOST_ROW] = [150, 26, 22, 38];

/** @param {import("./shared.js").Shared} shared */
export const clashes = (shared) => {
  const { session, held, view } = shared;
  let box = { width: 100, height: 100 };
  let looks = 0;
  /** @type {{row: number, column: number} | null} */
  let pointed = null;
  const grid = () => {
    const rows = Math.max(1, shared.clash?.rows.length ?? 1);
    const height = Math.min(rows * MOST_ROW, Math.max(20, box.height - TOP - BOTTOM));
    return { left: LEFT, top: TOP, width: Math.max(40, box.width - LEFT - 18), height, rows: shared.clash?.rows.length ?? 0, count: Math.max(1, shared.clash?.count ?? 1) };
  };

  return section(shared.whole, {
    barsText: "", barsChosen: /** @type {[number, number] | null} */ (null), least: "", leastShift: 0,
    clashText: "", dragText: "", isAlone: false, asking: false,
    keys: /** @type {{bar: number, key: string, moved: string, isFirst: boolean}[]} */ ([]), keyBar: "", keyName: "",

    startClashes() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("clash"));
      const playing = () => (session.engine_?.song.isPlaying ? barLine(session.state.metres, session.beat()).bar : null);
      view.scope.add(layered(canvas, () => { box = { width: canvas.clientWidth, height: canvas.clientHeight }; },
        { looks: () => [looks, pointed, playing()], draw: (c, sheet) => { if (shared.clash) drawClash(c, grid(), shared.clash, { keys: session.state.keys, pointed, playing: playing() }, sheet.colours); } },
        { looks: () => 0, draw: () => {} }));
      view.scope.on(canvas, "pointermove", (/** @type {PointerEvent} */ e) => this.pointAt(cellAt(grid(), e.offsetX, e.offsetY)));
      view.scope.on(canvas, "pointerleave", () => this.pointAt(null));
      view.scope.on(canvas, "pointerdown", (/** @type {PointerEvent} */ e) => {
        const cell = cellAt(grid(), e.offsetX, e.offsetY);
        if (!cell || !shared.clash) return;
        this.chooseBars(cell);
        this.goToBar(shared.clash.first_bar + cell.column);
      });
    },

    async showClash() {
      this.asking = true;
      const done = await shared.askClash();
      if (view.isOver) return;
      this.asking = false;
      if (!done) return;
      looks += 1;
      this.least = "";
      this.isAlone = !shared.clash?.rows.length;
      const said = shared.clash?.sentence ?? "";
      this.clashText = said ? `${held.hand.name} ${said}.` : this.isAlone ? "Nothing else with notes plays where it does." : "It clashes with nothing that plays where it does.";
      if (shared.clash?.left_out) this.clashText += ` Looked at: the first ${shared.clash.count} bars.`;
    },

    /** The shift with the least clash, from what is heard in all bars. */
    async askLeast() {
      const found = await view.ask("least", (signal) => getJson(`${held.path}/clash/shifts`, signal));
        if (!found) return;
      const all = /** @type {{shift: number, clash: number}[]} */ (found);
      const now = all.find((s) => s.shift === 0)?.clash ?? 0;
      const best = all.reduce((a, b) => (b.clash < a.clash - 1e-9 ? b : a), all.find((s) => s.shift === 0) ?? all[0]);
        this.leastShift = best.shift;
        this.least = best.shift ? `Least at ${semitones(best.shift)} from now: ${(100 * (1 - best.clash / Math.max(now, 1e-9))).toFixed(0)} % less.` : "No other shift clashes less.";
    },

    /** @param {{row: number, column: number}} cell the bars that clash around it, or it alone */
    chooseBars({ row, column }) {
      const { clash } = shared;
      if (!clash) return;
      const isHeard = (/** @type {number} */ i) => (clash.rows[row].bars[i]?.clash ?? 0) >= clash.heard;
      let [from, to] = [column, column];
      if (isHeard(column)) {
        while (from > 0 && isHeard(from - 1)) from -= 1;
        while (to + 1 < clash.count && isHeard(to + 1)) to += 1;
      }
      this.barsChosen = [clash.first_bar + from, clash.first_bar + to];
      this.barsText = from === to ? `Bar ${this.barsChosen[0]}` : `Bars ${this.barsChosen[0]}–${this.barsChosen[1]}`;
    },

    /** @param {number} shift semitones in the chosen bars alone */
    shiftBars(shift) {
      if (this.barsChosen) void view.intent({ kind: "treat_bars", hand: held.name, first_bar: this.barsChosen[0], last_bar: this.barsChosen[1], shift, muted: null });
    },

    restBars() {
      if (this.barsChosen) void view.intent({ kind: "treat_bars", hand: held.name, first_bar: this.barsChosen[0], last_bar: this.barsChosen[1], shift: null, muted: true });
    },

    playInGaps() {
      void view.intent({ kind: "place_in_gaps", hand: held.name });
    },

    takeLeast() {
      void held.change({ kind: "set_shift", semitones: shared.key.shift + this.leastShift });
      this.least = "";
    },

    showKeys() {
      looks += 1;
      this.keys = session.state.keys.map((k, i) => ({ bar: k.bar, key: k.key, moved: i ? `${k.moved > 0 ? "+" : ""}${k.moved} st` : "", isFirst: i === 0 }));
      if (!this.keyBar) this.keyBar = "1";
    },

    /** @param {{row: number, column: number} | null} cell */
    pointAt(cell) {
      if (pointed?.row === cell?.row && pointed?.column === cell?.column) return;
      pointed = cell;
      this.dragText = cell && shared.clash ? cellText(shared.clash, cell) : "";
    },

    /** Another cell by keys. @param {number} row @param {number} column */
    stepCell(row, column) {
      const { clash } = shared;
      if (!clash?.rows.length) return;
      const [rows, count] = [clash.rows.length, clash.count];
      const at = pointed ?? { row: 0, column: -Math.max(0, column) };
      this.pointAt({ row: (at.row + row + rows) % rows, column: (at.column + column + count) % count });
    },

    /** @param {number} bar */
    goToBar(bar) {
      const metre = session.state.metres.findLast((m) => m.bar <= bar) ?? session.state.metres[0];
      session.engine_?.song.go(metre.beat + (bar - metre.bar) * metre.beats_per_bar);
    },

    // ---- the song's keys

    /** @param {"keyBar" | "keyName"} name @param {string} text */
    setKeyField(name, text) {
      this[name] = text;
    },

    async addKey() {
      const bar = typedNumber(this.keyBar);
      if (bar === null || bar < 1 || !Number.isInteger(bar)) return held.refuse(`“${this.keyBar}” is not a bar.`);
      if (!this.keyName.trim()) return held.refuse("Type a key, like D minor or F♯ dorian.");
      if (await view.intent({ kind: "set_key_at", bar, key: this.keyName })) this.keyName = "";
    },

    /** @param {number} bar @param {string} key */
    async changeKey(bar, key) {
      if (!await view.intent({ kind: "set_key_at", bar, key })) held.showAgain();
    },

    /** @param {number} bar */
    removeKey(bar) {
      void view.intent({ kind: "remove_key_at", bar });
    },
  });
};

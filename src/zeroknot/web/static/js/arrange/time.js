// @ts-check
/** Tempo and metre changes, in Arrange's side: listed by bar and beat, changed, taken in and out. */

import { putFile } from "../net/api.js";
import { bpm, round, typedNumber } from "../format.js";
import { barLine, bpmAt } from "../metre.js";
import { kept } from "../ui/kept.js";
import { showAgain } from "../ui/fields.js";

/** @param {import("../session.js").Session} session */
export const timeControls = (session) => ({
  /** @type {any[]} */
  tempos: [],
  /** @type {any[]} */
  metres: [],
  tempoAdd: "",
  metreAdd: "",

  showTime() {
    const { tempos, metres } = session.state;
    this.tempos = kept(this.tempos, tempos.map((t, i) => ({
      ...t, shown: bpm(t.bpm), isFirst: i === 0, isLast: i === tempos.length - 1, isRamp: t.shape === "ramp",
      name: `Tempo at ${t.place}`, until: tempos[i + 1]?.place ?? "", bendShown: round(t.bend, 2),
    })));
    this.metres = kept(this.metres, metres.map((m) => ({ ...m, isFirst: m.bar === 1, name: `Metre from bar ${m.bar}` })));
    this.showAdd();
  },

  /** Where a change would be added: the playhead's bar. */
  showAdd() {
    const { bar } = barLine(session.state.metres, Math.max(0, session.beat()));
    const text = `at bar ${bar}`;
    if (this.tempoAdd !== text) this.tempoAdd = this.metreAdd = text;
  },

  addTempo() {
    const { tempos, tempo_line: line, metres } = session.state;
    const { beat, bar } = barLine(metres, Math.max(0, session.beat()));
    if (tempos.some((t) => t.beat === beat)) {
      session.say(`A tempo begins with bar ${bar} already: move the playhead to another bar.`, "error");
      return;
    }
    void session.submit({ kind: "set_tempo_point", beat, bpm: round(bpmAt(line, beat), 3) });
  },

  /** @param {number} beat */
  removeTempo(beat) {
    void session.submit({ kind: "remove_tempo_point", beat });
  },

  /** @param {any} point @param {Record<string, unknown>} change */
  changeTempo(point, change) {
    const { beat, bpm: own, shape, bend } = point;
    void session.submit({ kind: "set_tempo_point", beat, bpm: own, shape, bend, was: beat, ...change })
      .then((done) => done || showAgain(".arrange"));
  },

  /** @param {any} point @param {string} text */
  setTempoPlace(point, text) {
    if (text.trim() !== point.place) this.changeTempo(point, { place: text });
  },

  /** @param {any} point @param {string} text */
  setTempoBpm(point, text) {
    const value = typedNumber(text);
    if (value === null) {
      session.say(`“${text}” is not a tempo; type a number like 96 or 92.5.`, "error");
      showAgain(".arrange");
    } else if (value !== point.bpm) this.changeTempo(point, { bpm: value });
  },

  /** @param {any} point */
  toggleRamp(point) {
    this.changeTempo(point, { shape: point.isRamp ? "step" : "ramp" });
  },

  /** @param {any} point @param {number} bend */
  setBend(point, bend) {
    if (bend !== point.bend) this.changeTempo(point, { bend });
  },

  addMetre() {
    const { metres } = session.state;
    const { bar, metre } = barLine(metres, Math.max(0, session.beat()));
    if (metres.some((m) => m.bar === bar)) {
      session.say(`A metre begins with bar ${bar} already: change it, or move the playhead to another bar.`, "error");
      return;
    }
    void session.submit({ kind: "set_metre_at", bar, metre: metre.metre === "3/4" ? "4/4" : "3/4" });
  },

  /** @param {number} bar @param {string} text */
  setMetreAt(bar, text) {
    void session.submit({ kind: "set_metre_at", bar, metre: text }).then((done) => done || showAgain(".arrange"));
  },

  /** @param {number} bar */
  removeMetre(bar) {
    void session.submit({ kind: "remove_metre", bar });
  },

  /** @param {Event} event */
  async takeTempoFile(event) {
    const input = /** @type {HTMLInputElement} */ (event.target);
    const file = input.files?.[0];
    if (!file) return;
    const done = await session.queue(() => putFile(`${session.path}/tempo?revision=${session.state.revision}`, file));
    if (done) session.say(`Tempo and metre are now those of ${file.name}.`);
    input.value = "";
  },
});

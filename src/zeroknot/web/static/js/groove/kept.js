// @ts-check
/** Grooves: those the project keeps, even and swing, taking one, mixing two, files and the shelf. */

import { getJson, post, putFile } from "../net/api.js";
import { round, typedNumber } from "../format.js";
import { section } from "../sections.js";
import { aboutText } from "./model.js";

/** @typedef {"low" | "middle" | "high"} Register */

const SHELVED = "/api/grooves";
const MOST_TAKEN_BARS = 16;

/** @param {import("./shared.js").Shared} shared */
export const kept = (shared) => {
  const { session, held, view } = shared;
  const perBar = () => session.state.beats_per_bar;
  /** @type {Record<string, string>} steps a quarter note: their name */
  const names = shared.app.viewData().per_beats ?? {};

  return section(shared.whole, {
    kept: /** @type {{id: string, name: string, about: string, pressed: string, looked: boolean}[]} */ ([]),
    laidName: "", laidId: "", lookedId: "", shownId: "", shownName: "", shownGrid: 0, canRegrid: false, follows: false,
    grids: Object.entries(names).map(([key, name]) => ({ key: Number(key), name })),
    evenGrid: 4, swing: 50,
    takeFrom: "hand", takeBar: "1", takeBars: "1", takeGrid: "0", takeFold: "0", takeName: "", likeliest: "", mostBars: 1,
    takeRegisters: /** @type {Record<string, boolean>} */ ({ low: true, middle: true, high: true }),
    takeTracks: /** @type {{id: string, name: string, on: boolean}[]} */ ([]),
    besides: /** @type {{id: string, name: string}[]} */ ([]), comparedId: "", apartText: "", share: 50,
    shelved: /** @type {{id: string, name: string, about: string}[]} */ ([]), shelfWords: "", wasSearched: false,

    showKept() {
      const { facts, shown } = shared;
      if (!shared.kept.some((k) => k.id === shared.lookedAt)) shared.lookedAt = "";
      if (!shared.kept.some((k) => k.id === shared.compared)) shared.compared = "";
      this.kept = shared.kept.map((k) => ({
        id: k.id, name: k.name, about: aboutText(k, perBar()), pressed: String(k.id === facts.laid?.kept), looked: k.id === shared.lookedAt,
      }));
      this.laidName = facts.laid?.groove?.name ?? "";
      this.laidId = shared.laidKept?.id ?? "";
      this.lookedId = shared.lookedAt;
      this.shownId = shared.shownId;
      this.shownName = shown?.name ?? "";
      this.shownGrid = shown?.per_beat ?? 0;
      this.canRegrid = !!shared.shownId && !!shown?.hits;
      this.follows = facts.laid?.follows ?? false;
      const [likely] = facts.grids;
      this.likeliest = likely ? `likeliest: ${likely.name}, ${((likely.error_beats * 60_000) / facts.bpm).toFixed(1)} ms off` : "likeliest";
      this.mostBars = Math.max(1, Math.min(MOST_TAKEN_BARS, Math.floor(held.hand.span / perBar() + 1e-6)));
      const on = new Set(this.takeTracks.filter((t) => t.on).map((t) => t.id));
      this.takeTracks = session.state.tracks.map((t) => ({ id: t.id, name: t.name, on: on.has(t.id) }));
      this.besides = shared.kept.filter((k) => k.id !== shared.shownId).map((k) => ({ id: k.id, name: k.name }));
      this.comparedId = shared.compared;
      void this.showApart();
    },

    // ---- laying

    /** @param {string} id */
    layKept(id) {
      shared.lookedAt = "";
      void held.change({ kind: "lay_over", kept: id });
    },

    layEven() {
      shared.lookedAt = "";
      void held.change({ kind: "lay_over", per_beat: this.evenGrid, swing: this.swing });
    },

    followSong() {
      shared.lookedAt = "";
      void held.change({ kind: "lay_over", song: true });
    },

    takeOff() {
      void held.change({ kind: "take_off_groove" });
    },

    /** @param {string | number} grid steps a quarter note */
    setEvenGrid(grid) {
      this.evenGrid = Number(grid);
    },

    /** @param {number} percent */
    setSwing(percent) {
      this.swing = percent;
    },

    keepSwing() {
      void view.intent({ kind: "make_swing", percent: this.swing, per_beat: this.evenGrid, name: "" });
    },

    /** What is laid, where the project does not keep it. */
    keepLaid() {
      void view.intent({ kind: "keep_laid_groove", hand: held.name, name: "" });
    },

    // ---- one that is kept

    /** Show it without laying it. @param {string} id */
    lookAt(id) {
      shared.lookedAt = shared.lookedAt === id ? "" : id;
      this.showGroove();
    },

    /** @param {string} id @param {string} name */
    async rename(id, name) {
      const done = name.trim() && await view.intent({ kind: "name_groove", groove: id, name });
      if (!done) this.showKept();
    },

    /** @param {string} id */
    letGo(id) {
      void view.intent({ kind: "let_groove_go", groove: id });
    },

    /** Gather the hits that the one shown was taken from on another grid. @param {string} grid steps a quarter note */
    regrid(grid) {
      const groove = shared.kept.find((k) => k.id === shared.shownId);
      const perBeat = Number(grid);
      if (groove && groove.per_beat !== perBeat) void view.intent({ kind: "regrid_groove", groove: groove.id, per_beat: perBeat, fold_beats: null });
    },

    // ---- taking one

    /** @param {string} from */
    setTakeFrom(from) {
      this.takeFrom = from;
    },

    /** @param {string} id */
    toggleTakeTrack(id) {
      this.takeTracks = this.takeTracks.map((t) => (t.id === id ? { ...t, on: !t.on } : t));
    },

    /** @param {string} register */
    toggleTakeRegister(register) {
      this.takeRegisters = { ...this.takeRegisters, [register]: !this.takeRegisters[register] };
    },

    /** @param {"takeBar" | "takeBars" | "takeGrid" | "takeFold" | "takeName"} name @param {string} text */
    setTake(name, text) {
      this[name] = text;
    },

    async take() {
      const [bar, bars] = [typedNumber(this.takeBar), typedNumber(this.takeBars)];
      const isWhole = (/** @type {number | null} */ n) => n !== null && Number.isInteger(n) && n >= 1;
      if (!isWhole(bar) || !isWhole(bars) || Number(bars) > MOST_TAKEN_BARS) {
        held.refuse(`A groove is taken from a whole bar on, over 1 to ${MOST_TAKEN_BARS} bars.`);
        return;
      }
      const registers = /** @type {Register[]} */ (Object.keys(this.takeRegisters).filter((r) => this.takeRegisters[r]));
      if (!registers.length) return held.refuse("Choose which hits are taken: low, middle or high ones.");
      const isOfHand = this.takeFrom === "hand";
      const done = await view.intent({
        kind: "take_groove", hand: isOfHand ? held.name : null, tracks: isOfHand ? [] : this.takeTracks.filter((t) => t.on).map((t) => t.id),
        first_bar: Number(bar), bars: Number(bars), per_beat: Number(this.takeGrid) || null, fold_bars: Number(this.takeFold), registers,
        sensitivity: shared.facts.sensitivity, name: this.takeName,
      });
      if (!done) return;
      this.takeName = "";
      shared.lookedAt = shared.kept[shared.kept.length - 1]?.id ?? "";
      this.showGroove();
    },

    // ---- two beside each other

    /** @param {string} id */
    compareGroove(id) {
      shared.compared = id;
      this.showGroove();
    },

    async showApart() {
      const [one, other] = [shared.shownId, shared.compared];
      this.apartText = "";
      if (!one || !other || one === other) return;
      const found = await view.ask("apart", (signal) => getJson(`${session.path}/grooves/${one}/apart/${other}`, signal));
      if (found) this.apartText = found.ms === null ? "They have no step in common." : `${round(found.ms, 1)} ms and ${round(found.db, 1)} dB apart (root mean square).`;
    },

    /** @param {number} percent */
    setShare(percent) {
      this.share = percent;
    },

    mix() {
      const [one, other] = [shared.shownId, shared.compared];
      if (!one || !other) return held.refuse("Look at a kept groove and choose another to mix it with.");
      void view.intent({ kind: "mix_grooves", one, other, share: this.share / 100, name: "" });
    },

    // ---- files and the shelf

    /** @param {HTMLInputElement} field */
    async bringFile(field) {
      const file = field.files?.[0];
      field.value = "";
      if (!file) return;
      const name = file.name.replace(/\.midi?$/i, "");
      await session.queue(() => putFile(`${session.path}/grooves?revision=${session.state.revision}&name=${encodeURIComponent(name)}`, file));
    },

    saveFile() {
      const id = shared.shownId;
      if (!id) return held.refuse("Keep the groove first; then it can be saved.");
      const link = document.createElement("a");
      link.href = `${session.path}/grooves/${id}/groove.mid`;
      link.download = "";
      link.click();
    },

    async toShelf() {
      const id = shared.shownId;
      if (!id) return held.refuse("Keep the groove in the project first.");
      const made = await view.ask("shelve", (signal) => post(SHELVED, { project: session.state.id, groove: id }, { signal, again: true }));
      if (!made) return;
      session.history.kept(SHELVED, made);
      session.say("On the shelf, for every project.");
      this.searchAgain();
    },

    /** @param {string} words */
    async searchShelf(words) {
      this.shelfWords = words;
      const found = await view.ask("shelved", (signal) => getJson(`${SHELVED}?words=${encodeURIComponent(words)}`, signal));
      if (!found) return;
      this.wasSearched = true;
      this.shelved = /** @type {import("../types.js").KeptGroove[]} */ (found).map((g) => ({ id: g.id, name: g.name, about: aboutText(g, perBar()) }));
    },

    /** @param {string} id */
    fromShelf(id) {
      void session.queue(() => post(`${session.path}/grooves/shelved/${id}`, { revision: session.state.revision, known: session.state.token }));
    },

    searchAgain() {
      if (this.wasSearched) void this.searchShelf(this.shelfWords);
    },

    /** @param {{id: string, name: string}} groove */
    async offShelf(groove) {
      if (await session.history.forget(SHELVED, groove)) this.searchAgain();
    },
  });
};

// @ts-check
/** How it is cut, the new order as a whole, and the deals there were. */

import { typedNumber } from "../format.js";
import { placeText } from "../metre.js";
import { section } from "../sections.js";
import { gridOf } from "./model.js";

/** @typedef {import("../types.js").FitIntent} Intent */

const ROLLS = [1, 2, 3, 4, 6, 8];
const RISES = [0, 9, -9];
const FINEST_STEP = 0.25;
const MOST_AT_ONCE = 8;
const MOST_FEEL_BARS = 16;

/** @param {import("./shared.js").Shared} shared */
export const ordering = (shared) => {
  const { session, picked, stay } = shared;
  const seed = () => Math.floor(Math.random() * 9000) + 1000;

  return section(shared.whole, {
    cutWay: "attacks", cutSensitivity: 65, cutBeats: "0.5", cutCount: "16", cutSnaps: false,
    cutRegisters: /** @type {Record<string, boolean>} */ ({ low: true, middle: true, high: true }),
    tileTitle: "", tileLevel: 0, tileShift: 0, tileHits: 1, tileClimb: 0, hasTiles: false, isOwnOrder: false, orderBeats: "", canSwap: false, canStack: false,
    dealLike: false, dealFar: 100, dealDensity: 100, dealRolls: 0, dealAccents: 0, dealStrong: false, dealFromBar: "", dealToBar: "", dealFirst: "", dealLast: "", dealText: "", stayText: "",
    deals: /** @type {{at: number, name: string, pressed: string, title: string}[]} */ ([]),

    showOrdering() {
      const { order, dealt, pulse } = shared.facts;
      const which = [...picked].sort((a, b) => a - b);
      this.hasTiles = which.length > 0;
      this.canSwap = which.length === 2;
      this.canStack = which.length > 1 && which.length <= MOST_AT_ONCE;
      this.isOwnOrder = order.is_own;
      this.orderBeats = String(order.beats / shared.facts.per_bar);
      const [first] = which.map((i) => order.tiles[i]);
      this.tileTitle = !first ? "" : which.length === 1 ? `Tile at ${placeText(session.state.metres, first.beat)}, slice ${first.piece + 1}` : `${which.length} tiles`;
      this.tileLevel = first?.gain_db ?? 0;
      this.tileShift = first?.semitones ?? 0;
      this.tileHits = first?.hits ?? 1;
      this.tileClimb = first?.climb ?? 0;
      this.deals = dealt.map((d, at) => ({
        at, name: String(d.seed), pressed: String(d.is_now), title: d.like ? "like for like" : d.far < 1 ? "close by" : "anything",
      }));
      const now = dealt.find((d) => d.is_now);
      this.dealText = now ? `Seed ${now.seed}` : "";
      this.stayText = stay.size ? `${stay.size} tile${stay.size === 1 ? "" : "s"} stay` : "";
      void pulse;
    },

    // ---- cutting

    /** @param {string} way */
    setCutWay(way) {
      this.cutWay = way;
      this.cutUp();
    },

    /** @param {"cutSensitivity" | "cutBeats" | "cutCount"} field @param {string | number} value */
    setCut(field, value) {
      Object.assign(this, { [field]: value });
      this.cutUp();
    },

    toggleSnap() {
      this.cutSnaps = !this.cutSnaps;
      this.cutUp();
    },

    /** @param {string} register */
    toggleCutRegister(register) {
      const next = { ...this.cutRegisters, [register]: !this.cutRegisters[register] };
      if (!Object.values(next).some(Boolean)) return;
      this.cutRegisters = next;
      this.cutUp();
    },

    cutUp() {
      const count = typedNumber(this.cutCount);
      if (count === null || count < 1) return shared.held.refuse(`“${this.cutCount}” is not a number of slices.`);
      const registers = /** @type {("low" | "middle" | "high")[]} */ (["low", "middle", "high"].filter((r) => this.cutRegisters[r]));
      const by = /** @type {"attacks"} */ (this.cutWay);
      void shared.change({
        kind: "cut_up", by, sensitivity: this.cutSensitivity / 100, registers, beats: Number(this.cutBeats), count: Math.round(count), snap: this.cutSnaps,
      });
    },

    leaveWhole() {
      void shared.change({ kind: "leave_whole" });
    },

    /** A cut where it is heard. */
    cutHere() {
      const second = this.secondHere();
      if (second === null) session.say("Hear it, and cut where it sounds.");
      else void shared.change({ kind: "mend_cut", how: "add", second });
    },

    /** @returns {number | null} */
    secondHere: () => null,

    // ---- the order

    /** @param {string} how @param {Record<string, unknown>} [more] */
    treat(how, more = {}) {
      void shared.change(/** @type {Intent} */ ({ kind: "treat_order", how, ...more }));
    },

    /** The same of the chosen tiles. @param {string} how */
    treatPicked(how) {
      this.treat(how, { which: [...picked] });
    },

    /** @param {HTMLSelectElement} field beats and step, apart by a blank */
    fillEnd(field) {
      const [beats, step] = field.value.split(" ").map(Number);
      field.value = "";
      if (beats) this.treat("fill", { beats, step });
    },

    /** @param {HTMLSelectElement} field beats of a tile */
    layOnGrid(field) {
      const step = Number(field.value);
      field.value = "";
      if (step) this.treat("grid", { step });
    },

    /** What of the order, or which slices, a deal is kept to. @param {"dealFromBar" | "dealToBar" | "dealFirst" | "dealLast"} field @param {string} text */
    setRange(field, text) {
      const value = typedNumber(text);
      if (text.trim() && (value === null || value < 1 || !Number.isInteger(value))) return shared.held.refuse(`“${text}” is not a number from 1 on.`);
      this[field] = text.trim();
    },

    /** @param {string} bars */
    setOrderBars(bars) {
      const value = typedNumber(bars);
      if (value === null || value <= 0) return shared.held.refuse(`“${bars}” is not a number of bars.`);
      this.treat("length", { beats: value * shared.facts.per_bar });
    },

    /** What the chosen tiles play, all at once where the first lies; where the others were is a rest. */
    stackTiles() {
      const which = [...picked].sort((a, b) => a - b);
      if (this.canStack) void shared.change({ kind: "stack_tiles", which });
    },

    /** Where its tiles lie and how loud, as a groove that the project keeps. */
    async takeFeel() {
      const bars = Math.max(1, Math.min(MOST_FEEL_BARS, Math.floor(shared.facts.order.beats / shared.facts.per_bar + 1e-6)));
      if (!await shared.view.intent({ kind: "take_groove", hand: shared.held.name, bars, order: true })) return;
      session.say("Its feel is kept with the project's grooves.");
    },

    /** @param {string} name @param {unknown} value */
    setTile(name, value) {
      // What is asked next counts from this, whenever its answer comes.
      for (const i of picked) Object.assign(shared.facts.order.tiles[i] ?? {}, { [name]: value });
      this.showOrdering();
      if (picked.size) void shared.change(/** @type {Intent} */ ({ kind: "change_tiles", which: [...picked], [name]: value }));
    },

    /** @param {string} name @param {unknown} value */
    tryTile(name, value) {
      if (picked.size) shared.trial.want(/** @type {Intent} */ ({ kind: "change_tiles", which: [...picked], [name]: value }));
    },

    /** @param {"reverse" | "muted"} name */
    toggleTile(name) {
      const { tiles } = shared.facts.order;
      const which = [...picked];
      if (which.length) this.setTile(name, !which.every((i) => tiles[i]?.[name]));
    },

    /** The next roll, or none again. */
    rollTiles() {
      const at = ROLLS.indexOf(this.tileHits);
      this.setTile("hits", ROLLS[(at + 1) % ROLLS.length]);
    },

    /** Level over a roll: even, rising, falling. */
    riseTiles() {
      const tile = shared.facts.order.tiles[[...picked][0]];
      if (!tile) return;
      this.setTile("rise_db", RISES[(RISES.indexOf(tile.rise_db) + 1) % RISES.length]);
    },

    /** Those chosen so many steps later. @param {number} by */
    nudgeTiles(by) {
      if (!picked.size) return;
      const step = Math.max(FINEST_STEP / 4, gridOf(shared.facts.order.tiles));
      void shared.change({ kind: "move_tiles", which: [...picked], by: by * step });
    },

    /** @param {number} level dB @param {number} shift semitones */
    raiseTiles(level, shift) {
      const tile = shared.facts.order.tiles[[...picked][0]];
      if (!tile) return;
      if (level) this.setTile("gain_db", Math.max(-60, Math.min(12, tile.gain_db + level)));
      if (shift) this.setTile("semitones", Math.max(-24, Math.min(24, tile.semitones + shift)));
    },

    // ---- deals

    /** @param {boolean} isLike */
    deal(isLike) {
      const { per_bar: perBar, pulse } = shared.facts;
      // The bar's first, and the pulse in its middle.
      const strong = this.dealStrong ? [0, pulse * Math.floor(perBar / pulse / 2)] : [];
      const range = {
        from_beat: this.dealFromBar ? (Number(this.dealFromBar) - 1) * perBar : 0,
        to_beat: this.dealToBar ? Number(this.dealToBar) * perBar : null,
        first: this.dealFirst ? Number(this.dealFirst) - 1 : 0,
        last: this.dealLast ? Number(this.dealLast) - 1 : null,
      };
      void shared.change({
        kind: "deal_order", seed: seed(), held: [...stay], strong, ...range, like: isLike, far: this.dealFar / 100, density: this.dealDensity / 100,
        rolls: this.dealRolls / 100, accents: this.dealAccents / 100,
      });
    },

    /** @param {number} at */
    backTo(at) {
      void shared.change({ kind: "deal_order", back: at });
    },

    /** The chosen tiles stay, or do not any more. */
    toggleStay() {
      const areAll = [...picked].every((i) => stay.has(i));
      for (const i of picked) {
        if (areAll) stay.delete(i);
        else stay.add(i);
      }
      this.showSlices();
    },
  });
};

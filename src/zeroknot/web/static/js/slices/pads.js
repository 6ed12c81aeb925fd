// @ts-check
/** Pads: the slices on keys, sixteen a bank, played while anything else goes on. */

import { Pads } from "../engine/pads.js";
import { ApiError, getJson } from "../net/api.js";
import { section } from "../sections.js";

const BANK = 16;
/** Two rows of keys by where they are, whatever is printed on them. */
const CODES = ["KeyA", "KeyS", "KeyD", "KeyF", "KeyG", "KeyH", "KeyJ", "KeyK", "KeyZ", "KeyX", "KeyC", "KeyV", "KeyB", "KeyN", "KeyM", "Comma"];
const PRINTED = ["A", "S", "D", "F", "G", "H", "J", "K", "Z", "X", "C", "V", "B", "N", "M", ","];
const SOFTEST = 0.15; // of a pad touched at its foot
const SHOWN_MS = 160;

/** @param {import("./shared.js").Shared} shared */
export const pads = (shared) => {
  const { view, session } = shared;
  const engine = new Pads(session.state.rate);
  let trouble = "";

  return section(shared.whole, {
    bank: 0, bankText: "", banks: 0, padsHint: "",
    padsHeld: false, padsSing: false, padsChoke: false,
    /** @type {{index: number, key: string, number: string, name: string, isThere: boolean, yarn: string, label: string}[]} */
    row: [],

    startPads() {
      const board = /** @type {HTMLElement} */ (document.getElementById("pads"));
      view.scope.on(board, "keydown", (/** @type {KeyboardEvent} */ e) => this.padKey(e));
      view.scope.on(board, "keyup", (/** @type {KeyboardEvent} */ e) => this.padKeyUp(e));
      view.scope.on(board, "focusin", () => this.showPads());
      view.scope.on(board, "focusout", () => this.showPads());
      view.scope.add(() => engine.release());
      void this.loadPads();
    },

    showPads() {
      const { facts } = shared;
      this.banks = Math.ceil(facts.pieces.length / BANK);
      this.bank = Math.max(0, Math.min(this.bank, this.banks - 1));
      this.bankText = this.banks > 1 ? `bank ${this.bank + 1} of ${this.banks}` : "";
      this.row = CODES.map((_, i) => {
        const index = this.bank * BANK + i;
        const piece = facts.pieces[index];
        return {
          index, key: PRINTED[i], number: piece ? String(index + 1) : "", name: piece?.name ?? "", isThere: !!piece, yarn: `var(--yarn-${index % 8})`,
          label: piece ? `Pad ${index + 1}${piece.name ? `, ${piece.name}` : ""}` : `Pad ${index + 1}, empty`,
        };
      });
      const hasFocus = !!document.activeElement?.closest("#pads");
      this.padsHint = trouble || (!engine.buffer ? "Slices are on their way to the pads…" : hasFocus ? "The letters play now; Escape gives them back." : "Click here, or press G, and the letters play.");
    },

    /** From striking to starting, in ms; for who measures. */
    padDelays: () => engine.delays,

    /** The pieces as pads play them, into memory; the latest question wins. */
    async loadPads() {
      if (!shared.facts.is_cut) return;
      await view.ask("pads", async (signal) => {
        try {
          await engine.load(await getJson(`${shared.held.path}/pads?beat=${shared.held.beat}`, signal), signal);
          trouble = "";
        } catch (error) {
          // Said where the pads are, not with every change anew.
          if (!(error instanceof ApiError) || error.status !== 422) throw error;
          trouble = error.message;
        }
        this.showPads();
        return true;
      });
    },

    /** @param {number} index @param {number} velocity @param {number} stamp when it was struck, as events tell it */
    strike(index, velocity, stamp) {
      if (!shared.facts.pieces[index]) return;
      void session.engine().unlock();
      if (!engine.strike(session.engine(), index, velocity, this.padsChoke, stamp)) return;
      this.noteStroke(index, velocity, stamp);
      this.flash(index);
    },

    /** @param {number} index */
    flash(index) {
      const button = document.querySelector(`[data-pad="${index}"]`);
      button?.setAttribute("data-struck", "");
      setTimeout(() => button?.removeAttribute("data-struck"), SHOWN_MS);
    },

    /** The higher it is touched, the louder. @param {PointerEvent} event @param {number} index */
    touch(event, index) {
      const target = /** @type {HTMLElement} */ (event.currentTarget);
      const box = target.getBoundingClientRect();
      const share = 1 - (event.clientY - box.top) / Math.max(1, box.height);
      target.setPointerCapture?.(event.pointerId);
      this.strike(index, this.padsSing ? 1 : SOFTEST + (1 - SOFTEST) * Math.max(0, Math.min(1, share)), event.timeStamp);
    },

    /** @param {number} index */
    letPadGo(index) {
      if (this.padsHeld) engine.release(index);
    },

    /** @param {KeyboardEvent} event */
    padKey(event) {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "Escape") {
        engine.release();
        document.getElementById("slices")?.focus();
        event.preventDefault();
        return;
      }
      if (event.key === "ArrowUp" || event.key === "ArrowDown") {
        this.setBank(this.bank + (event.key === "ArrowUp" ? 1 : -1));
        event.preventDefault();
        return;
      }
      const at = CODES.indexOf(event.code);
      if (at < 0) return;
      event.preventDefault();
      if (!event.repeat) this.strike(this.bank * BANK + at, event.shiftKey ? 0.5 : 1, event.timeStamp);
    },

    /** @param {KeyboardEvent} event */
    padKeyUp(event) {
      const at = CODES.indexOf(event.code);
      if (at >= 0) this.letPadGo(this.bank * BANK + at);
    },

    /** @param {number} bank */
    setBank(bank) {
      this.bank = Math.max(0, Math.min(this.banks - 1, bank));
      this.showPads();
    },

    focusPads() {
      document.getElementById("pads")?.focus();
    },

    /** @param {"padsHeld" | "padsSing" | "padsChoke"} name */
    togglePads(name) {
      Object.assign(this, { [name]: !this[name] });
    },
  });
};

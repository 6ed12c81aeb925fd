// @ts-check
/** Pads: the slices on keys, sixteen a bank, played while anything else goes on. */

import { Pads } from "../engine/pads.js";
import { ApiError, getJson } from "../net/api.js";
import { section } from "../sections.js";
import { gesture } from "../ui/gesture.js";

const BANK = 16;
/** Two rows of keys by where they are, whatever is printed on them. */
const CODES = ["KeyA", "KeyS", "KeyD", "KeyF", "KeyG", "KeyH", "KeyJ", "KeyK", "KeyZ", "KeyX", "KeyC", "KeyV", "KeyB", "KeyN", "KeyM", "Comma"];
const PRINTED = ["A", "S", "D", "F", "G", "H", "J", "K", "Z", "X", "C", "V", "B", "N", "M", ","];
const SOFTEST = 0.15; // of a pad touched at its foot
const SHOWN_MS = 160;
const LET_GO_MS = 5;
const MOST_SEMITONES = 24; // as far as a stroke may be from the slice

/** @param {import("./shared.js").Shared} shared */
export const pads = (shared) => {
  const { view, session } = shared;
  const engine = new Pads(session.state.rate);
  let trouble = "";
  /** Pads that were let go while the pedal was down. @type {Set<number>} */
  const sustained = new Set();

  return section(shared.whole, {
    bank: 0, bankText: "", banks: 0, padsHint: "",
    padsChoke: false, padsSustain: false, padsTuned: false,
    /** Where the strength of a stroke goes. @type {"level" | "filter" | "start" | "none"} */
    padsAim: "level",
    /** @type {{index: number, pad: number, key: string, number: string, name: string, isThere: boolean, yarn: string, label: string}[]} */
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
      this.banks = this.padsTuned ? 1 : Math.ceil(facts.pieces.length / BANK);
      this.bank = Math.max(0, Math.min(this.bank, this.banks - 1));
      this.bankText = this.banks > 1 ? `bank ${this.bank + 1} of ${this.banks}` : "";
      const tuned = this.tunedPiece();
      this.row = CODES.map((_, i) => {
        const pad = this.bank * BANK + i;
        const index = this.padsTuned ? tuned : this.pieceOf(pad);
        const piece = facts.pieces[index];
        const name = this.padsTuned ? `+${i} st` : piece?.name ?? "";
        return {
          index, pad, key: PRINTED[i], number: piece ? String(index + 1) : "", name, isThere: !!piece, yarn: `var(--yarn-${index % 8})`,
          label: piece ? `Pad ${pad + 1}${index === pad ? "" : `, slice ${index + 1}`}${name ? `, ${name}` : ""}` : `Pad ${pad + 1}, empty`,
        };
      });
      const hasFocus = !!document.activeElement?.closest("#pads");
      this.padsHint = trouble || (!engine.buffer ? "Slices are on their way to the pads…" : hasFocus ? "The letters play now; Escape gives them back." : "Click here, or press G, and the letters play.");
    },

    /** From striking to starting, in ms; for who measures. */
    padDelays: () => engine.delays,
    padsSounding: () => engine.sounding.map((s) => s.pad),

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

    /** What goes by the note: the chosen slice, or the first. */
    tunedPiece: () => shared.meant[0] ?? 0,

    /** The slice that a pad plays. @param {number} pad */
    pieceOf(pad) {
      return this.padsTuned ? this.tunedPiece() : shared.facts.pads[pad] ?? pad;
    },

    /** A pad by its place, counted through the banks. @param {number} pad @param {number} velocity @param {number} stamp when it was struck, as events tell it */
    strikePad(pad, velocity, stamp) {
      if (this.isTap(stamp)) return;
      const semitones = this.padsTuned ? Math.max(-MOST_SEMITONES, Math.min(MOST_SEMITONES, pad)) : 0;
      this.strike(this.pieceOf(pad), pad, velocity, stamp, semitones);
    },

    /** @param {number} index of the slice @param {number} pad @param {number} velocity @param {number} stamp @param {number} semitones by which it is played faster */
    strike(index, pad, velocity, stamp, semitones) {
      const piece = shared.facts.pieces[index];
      if (!piece) return;
      void session.engine().unlock();
      const stroke = { pad, velocity, aim: this.padsAim, semitones, group: piece.choke, chokesAll: this.padsChoke, stamp };
      if (!engine.strike(session.engine(), index, stroke)) return;
      this.noteStroke({ piece: index, pad, velocity: this.padsAim === "none" ? 1 : velocity, stamp, semitones });
      this.flash(index);
    },

    /** @param {number} index */
    flash(index) {
      const button = document.querySelector(`[data-pad="${index}"]`);
      button?.setAttribute("data-struck", "");
      setTimeout(() => button?.removeAttribute("data-struck"), SHOWN_MS);
    },

    /** The higher it is touched, the harder; with Alt dragged to another pad, it changes places with that. @param {PointerEvent} event @param {number} pad */
    touch(event, pad) {
      if (event.altKey && !this.padsTuned) return this.carryPad(event, pad);
      const target = /** @type {HTMLElement} */ (event.currentTarget);
      const box = target.getBoundingClientRect();
      const share = 1 - (event.clientY - box.top) / Math.max(1, box.height);
      target.setPointerCapture?.(event.pointerId);
      this.strikePad(pad, SOFTEST + (1 - SOFTEST) * Math.max(0, Math.min(1, share)), event.timeStamp);
    },

    /** @param {PointerEvent} event @param {number} pad */
    carryPad(event, pad) {
      gesture(event, {
        moved: ({ x, y }) => {
          const over = document.elementFromPoint(x, y)?.closest("[data-place]");
          this.dragText = over ? `pad ${pad + 1} to ${Number(over.getAttribute("data-place")) + 1}` : "";
        },
        done: ({ x, y }) => {
          const over = document.elementFromPoint(x, y)?.closest("[data-place]");
          if (over) this.swapPads(pad, Number(over.getAttribute("data-place")));
        },
        ended: () => { this.dragText = ""; },
      });
    },

    /** What is played while held ends. @param {number} pad @param {number} stamp when, as events tell it */
    letPadGo(pad, stamp) {
      if (!shared.facts.pieces[this.pieceOf(pad)]?.held) return;
      if (this.padsSustain) sustained.add(pad);
      else this.endPad(pad, stamp);
    },

    /** @param {number} pad @param {number} stamp */
    endPad(pad, stamp) {
      engine.release(pad, this.releaseOf(pad));
      this.noteLetGo(pad, stamp);
    },

    /** The pedal down, or up: what was let go meanwhile ends. @param {boolean} isDown @param {number} stamp */
    setSustain(isDown, stamp) {
      this.padsSustain = isDown;
      if (isDown) return;
      for (const pad of sustained) this.endPad(pad, stamp);
      sustained.clear();
    },

    /** Seconds for which what is let go falls. @param {number} pad */
    releaseOf(pad) {
      const piece = shared.facts.pieces[this.pieceOf(pad)];
      return (piece?.shape.release_ms || LET_GO_MS) / 1000;
    },

    /** @param {"level" | "filter" | "start" | "none"} aim */
    setAim(aim) {
      this.padsAim = aim;
    },

    toggleTuned() {
      this.padsTuned = !this.padsTuned;
      this.showPads();
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
      if (!event.repeat) this.strikePad(this.bank * BANK + at, event.shiftKey ? 0.5 : 1, event.timeStamp);
    },

    /** @param {KeyboardEvent} event */
    padKeyUp(event) {
      const at = CODES.indexOf(event.code);
      if (at >= 0) this.letPadGo(this.bank * BANK + at, event.timeStamp);
    },

    /** @param {number} bank */
    setBank(bank) {
      this.bank = Math.max(0, Math.min(this.banks - 1, bank));
      this.showPads();
    },

    focusPads() {
      document.getElementById("pads")?.focus();
    },

    toggleChoke() {
      this.padsChoke = !this.padsChoke;
    },
  });
};

// @ts-check
/** The coil at the foot of Arrange: loops on keys of one's choosing, switched while the song plays. */

import { round } from "../format.js";
import { barLine } from "../metre.js";
import { View } from "../view.js";
import { drifted } from "./coiling.js";

const LOOK_MS = 120; // between two looks at what sounds
const OPEN_KEPT = "zeroknot.coil.open";

/** A key as it is printed on most keyboards, by where it is. @param {string} code */
export const printedKey = (code) => code.replace(/^(Key|Digit)/, "") || "–";

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const coil = (session, app) => () => {
  const view = new View(session, "Coil");
  const { coiling } = app;
  let lookedAt = 0;

  return {
    slots: /** @type {{id: string, key: string, name: string, yarn: string, speed: number, anew: boolean, isOn: boolean, isNext: boolean, state: string, label: string}[]} */ ([]),
    isOpen: localStorage.getItem(OPEN_KEPT) === "true", hasFocus: false, isRecording: false, when: "bar", starts: false, keyOf: "", coilText: "", isSilent: true, leftText: "",
    strandsToAdd: /** @type {{id: string, name: string}[]} */ ([]),

    init() {
      view.watch(() => this.show());
      const board = /** @type {HTMLElement} */ (document.getElementById("coil"));
      view.scope.on(board, "keydown", (/** @type {KeyboardEvent} */ e) => this.pressKey(e));
      for (const kind of ["focusin", "focusout"]) {
        view.scope.on(board, kind, () => {
          this.hasFocus = board.contains(document.activeElement) && !!document.activeElement?.closest("[data-coil-keys]");
          this.tell();
        });
      }
      view.eachFrame(() => {
        const now = performance.now();
        if (now - lookedAt < LOOK_MS) return;
        lookedAt = now;
        this.look();
      });
      this.keep();
    },

    destroy() {
      if (session.engine_ && !coiling.playing) session.engine_.song.keepsCoil = false;
      view.end();
    },

    show() {
      const { coil: slots, strands } = session.state;
      [this.when, this.starts, this.isRecording] = [coiling.when, coiling.starts, coiling.recordedFrom !== null];
      const [playing, awaited] = [coiling.playing, coiling.awaited];
      this.isSilent = !playing && !awaited;
      this.slots = slots.map((slot, i) => {
        const strand = strands.find((s) => s.id === slot.strand);
        const isOn = playing?.slot === slot.id;
        const isNext = awaited === slot.id;
        const state = isOn ? this.stateOf(slot) : isNext ? "next" : "";
        const name = strand?.name ?? "";
        return {
          ...slot, name, key: printedKey(slot.key), yarn: `var(--yarn-${strand?.yarn ?? 0})`, isOn, isNext, state,
          label: `${name}, key ${slot.key ? printedKey(slot.key) : "none"}, loop ${i + 1} of the coil${state ? `, ${isOn ? "sounds" : "comes next"}` : ""}`,
        };
      });
      this.strandsToAdd = strands.map(({ id, name }) => ({ id, name }));
      const left = coiling.left.length;
      this.leftText = left ? `Recorded before the page was left: ${left === 1 ? "one stretch" : `${left} stretches`}.` : "";
      if (left) this.isOpen = true;
      this.tell();
    },

    tell() {
      if (this.keyOf) this.coilText = "Press the key that is to play it; Escape leaves it.";
      else if (!this.slots.length) this.coilText = "Put loops on keys here, and switch them while the song plays.";
      else this.coilText = this.hasFocus ? "The keys play the coil now; Escape gives them back." : "Click a loop, or press G, and the keys play.";
    },

    /** What sounds, and how far it is off the bar. */
    look() {
      const key = JSON.stringify([coiling.playing, coiling.awaited, coiling.recordedFrom !== null, this.driftKey()]);
      if (key === this.looked) return;
      this.looked = key;
      this.show();
    },
    looked: "",

    driftKey() {
      const playing = coiling.playing;
      const slot = playing && session.state.coil.find((s) => s.id === playing.slot);
      return slot ? this.stateOf(slot) : "";
    },

    /** @param {{id: string, anew: boolean}} slot that sounds */
    stateOf(slot) {
      const { playing } = coiling;
      const loop = session.sheet?.coil.find((l) => l.slot === slot.id);
      if (!playing || !loop) return "";
      if (slot.anew) return "anew each bar";
      const off = drifted(barLine(session.state.metres, session.beat()).beat, playing.from, loop.round, session.state.beats_per_bar);
      return off ? `${Math.abs(round(off, 2))} beat${Math.abs(off) === 1 ? "" : "s"} ${off > 0 ? "before" : "after"} the bar` : "on the bar";
    },

    toggleOpen() {
      this.isOpen = !this.isOpen;
      localStorage.setItem(OPEN_KEPT, String(this.isOpen));
      this.keep();
    },

    /** While it is open its loops are kept ready. */
    keep() {
      if (session.engine_) session.engine_.song.keepsCoil = this.isOpen;
    },

    /** @param {string} id */
    press(id) {
      coiling.press(id);
      this.keep();
      this.show();
    },

    silence() {
      coiling.silence();
      this.show();
    },

    async layLeft() {
      await coiling.layLeft();
      this.show();
    },

    letLeftGo() {
      coiling.letLeftGo();
      this.show();
    },

    async toggleRecord() {
      await coiling.toggleRecord();
      this.show();
    },

    /** @param {"bar" | "beat" | "now"} when */
    setWhen(when) {
      coiling.when = this.when = when;
    },

    /** @param {boolean} starts */
    setStarts(starts) {
      coiling.starts = this.starts = starts;
    },

    /** @param {KeyboardEvent} event */
    pressKey(event) {
      if (this.keyOf) return this.takeKey(event);
      if (!this.hasFocus || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "Escape") {
        /** @type {HTMLElement | null} */ (document.activeElement)?.blur();
        return;
      }
      const slot = session.state.coil.find((s) => s.key && s.key === event.code);
      if (!slot) return;
      event.preventDefault();
      event.stopPropagation();
      if (!event.repeat) this.press(slot.id);
    },

    /** The next key that is pressed plays it. @param {string} id */
    askKey(id) {
      this.keyOf = this.keyOf === id ? "" : id;
      this.tell();
    },

    /** @param {KeyboardEvent} event */
    takeKey(event) {
      event.preventDefault();
      event.stopPropagation();
      if (["Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
      const slot = this.keyOf;
      this.keyOf = "";
      this.tell();
      if (event.key !== "Escape" && event.code) void view.intent({ kind: "change_slot", slot, key: event.code });
    },

    /** @param {string} slot @param {string} speed */
    setSpeed(slot, speed) {
      void view.intent({ kind: "change_slot", slot, speed: Number(speed) });
    },

    /** @param {string} slot @param {boolean} anew */
    setAnew(slot, anew) {
      void view.intent({ kind: "change_slot", slot, anew });
    },

    /** @param {string} slot */
    uncoil(slot) {
      void view.intent({ kind: "uncoil_loop", slot });
    },

    /** @param {HTMLSelectElement} field */
    add(field) {
      const { value } = field;
      field.value = "";
      if (value) void view.intent({ kind: "coil_loop", hand: value });
    },

    /** @param {number} a @param {number} b */
    nearly: (a, b) => Math.abs(a - b) < 1e-6,
  };
};

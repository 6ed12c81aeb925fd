// @ts-check
/** What it is laid on: its span, whether it follows the project's tempo; and straightening. */

import { asLong, round, signedPercent, typedNumber } from "../format.js";
import { section } from "../sections.js";
import { curveLines, ownTimeText, steadyText } from "./texts.js";

const EVERY = [1, 2, 4, 8, 16, 32];
/** @type {[string, number][]} */
const SHARES = [["half", 0.5], ["once", 1], ["double", 2]];

/** @param {import("./shared.js").Shared} shared */
export const laid = (shared) => {
  const { session, held, trial } = shared;

  return section(shared.whole, {
    span: "", summary: "", follows: true, ownText: "", hasGroove: false, groovePath: "",
    /** @type {{label: string, share: number, pressed: string}[]} */
    spans: [],
    every: 1, unit: /** @type {"beats" | "bars"} */ ("beats"), everies: EVERY, straightenText: "", amount: 100, isStraight: false,
    steadyText: "", curve: { line: "", after: "", mean: 0, spread: 0, top: "", bottom: "" },

    showLaid() {
      const { hand } = held;
      this.span = String(round(hand.span / session.state.beats_per_bar, 3));
      const isShare = round(hand.span / hand.once_beats, 4);
      this.spans = SHARES.map(([label, share]) => ({ label, share, pressed: String(isShare === share) }));
      this.summary = `Tempo ${signedPercent(hand.tempo_change_percent)}, ${asLong(hand.duration_ratio)}.`;
      this.follows = hand.follows;
      this.hasGroove = hand.has_groove;
      this.groovePath = `/p/${session.state.id}/groove/${held.name}`;
      this.ownText = ownTimeText(hand);
      this.isStraight = !!hand.straighten;
      this.amount = hand.straighten ? round(100 * hand.straighten.amount, 1) : 100;
      this.straightenText = hand.straighten ? `${hand.straighten.ties} knots tied from the beats that were heard.` : "";
      this.steadyText = steadyText(hand);
      this.curve = curveLines(hand);
    },

    /** @param {number} share of what it is */
    layOnShare(share) {
      void held.change({ kind: "lay_on", beats: held.hand.once_beats * share });
    },

    /** @param {string} text bars */
    layOnBars(text) {
      const value = typedNumber(text);
      if (value === null || value <= 0) held.refuse(`“${text}” is not a number of bars.`);
      else void held.change({ kind: "lay_on", beats: value * session.state.beats_per_bar });
    },

    toggleFollows() {
      void held.change({ kind: "follow_tempo", follows: !held.hand.follows });
    },

    /** @param {number} every */
    setEvery(every) {
      this.every = every;
    },

    /** @param {"beats" | "bars"} unit */
    setUnit(unit) {
      this.unit = unit;
    },

    straighten() {
      void held.change({ kind: "straighten", every: this.every, unit: this.unit, over: shared.stage?.range ?? null });
    },

    /** @param {number} value percent */
    setAmount(value) {
      const { straighten } = held.hand;
      if (straighten && value !== round(100 * straighten.amount, 1)) void held.change({ kind: "set_straightening", amount: value / 100 });
      else trial.want(null);
    },

    /** While the bar is dragged: heard, not yet kept. @param {number} value percent */
    hearAmount(value) {
      trial.want({ kind: "set_straightening", amount: value / 100 });
    },

    unstraighten() {
      void held.change({ kind: "unstraighten" });
    },
  });
};

// @ts-check
/** Tones and hits of what is in hand: which of them are heard, whether they are laid apart, and taking them apart. */

import { section } from "../sections.js";

/** @typedef {import("../types.js").Hand["parts"]} Parts */

const SOUNDING = {
  whole: "Now all of it sounds as one.", apart: "Now tones and hits are stretched each in their own way.",
  tones: "Now only what rings is heard.", hits: "Now only what is struck is heard.",
};

/** @param {import("./shared.js").HandShared} shared */
export const partsHeard = (shared) => {
  const { held, view } = shared;

  return section(null, {
    parts: /** @type {Parts} */ ("auto"), partsText: "", whyWhole: "", canTakeApart: false,

    showParts() {
      const { hand } = held;
      this.parts = hand.parts;
      this.whyWhole = hand.why_whole ?? "";
      const isForNothing = hand.parts === "apart" && hand.parts_sounding === "whole";
      this.partsText = hand.why_whole ? `As one: ${hand.why_whole}.` : isForNothing ? "It is neither shifted nor stretched: nothing has to be told apart." : hand.parts_sounding === "apart" && hand.shifted ? "Now its tones are shifted and its hits stay." : SOUNDING[hand.parts_sounding];
      this.canTakeApart = !hand.why_whole && hand.parts !== "tones" && hand.parts !== "hits";
    },

    /** @param {string} parts */
    setParts(parts) {
      if (parts !== held.hand.parts) void held.change({ kind: "set_parts", parts: /** @type {Parts} */ (parts) });
    },

    async takeApart() {
      if (await view.intent({ kind: "take_apart", hand: held.name })) await held.refresh();
    },
  });
};

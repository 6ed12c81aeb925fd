// @ts-check
/** The seam of what is in hand: how a pass joins the next one, and its mend by a crossfade. */

import { getJson } from "../net/api.js";
import { section } from "../sections.js";
import { seamText } from "./texts.js";

const MENDING_MS = 20;

/** @param {import("./shared.js").Shared} shared */
export const seam = (shared) => {
  const { held, view } = shared;
  /** What was asked for last. */
  let asked = "";

  return section(shared.whole, {
    seamText: "", isJumping: false, crossfade: 0,

    showSeam() {
      const { hand } = held;
      this.crossfade = hand.crossfade_ms;
      if (hand.file_kind === "midi") return;
      const now = JSON.stringify([hand.loop, hand.zero_s, hand.end_s, hand.crossfade_ms]);
      if (now !== asked) void this.askSeam(now);
    },

    /** @param {string} now */
    async askSeam(now) {
      asked = now;
      const found = /** @type {import("../types.js").SeamFacts | null} */ (await view.ask("seam", (signal) => getJson(`${held.path}/seam`, signal)));
      if (!found) {
        if (asked === now) asked = "";
        return;
      }
      this.seamText = seamText(found, held.hand.crossfade_ms);
      this.isJumping = found.is_heard && !held.hand.crossfade_ms;
    },

    mendSeam() {
      this.setCrossfade(MENDING_MS);
    },

    /** @param {number} ms */
    setCrossfade(ms) {
      if (ms !== held.hand.crossfade_ms) void held.change({ kind: "set_crossfade", ms });
    },
  });
};

// @ts-check
/** Counting along: taps, number keys, a metre; and what the tool proposes to follow from it. */

import { ApiError, post } from "../net/api.js";
import { bpm } from "../format.js";
import { section } from "../sections.js";

const FEWEST_TAPS = 4;
const MOST_TAPS = 64;
const FORGOTTEN_MS = 3000;

/** @param {import("./shared.js").Shared} shared */
export const counting = (shared) => {
  const { held, view } = shared;
  /** Seconds of the recording at which was tapped, and when that was. */
  let taps = { seconds: /** @type {number[]} */ ([]), last: 0 };

  return section(shared.whole, {
    tapText: "",
    /** @type {import("../types.js").Proposal[]} */
    proposals: [],
    isTapped: false,

    showProposals() {
      taps = { seconds: [], last: 0 };
      this.tapText = "";
      this.isTapped = false;
      this.proposals = held.hand.proposals;
    },

    /**
     * A tap along with what sounds; while nothing does, taps are the project's. What was heard when the key went
     * down counts, however late a busy page comes to it.
     * @param {number} stamp ms of the page's clock @returns {boolean} whether it was taken
     */
    tapAlong(stamp) {
      const second = this.hearing ? this.playhead((performance.now() - stamp) / 1000) : null;
      if (second === null) return false;
      if (stamp - taps.last > FORGOTTEN_MS) taps.seconds = [];
      taps = { seconds: [...taps.seconds, second].slice(-MOST_TAPS), last: stamp };
      const count = taps.seconds.length;
      this.tapText = count < FEWEST_TAPS ? `${count} of ${FEWEST_TAPS} taps` : this.tapText;
      if (count >= FEWEST_TAPS) void this.askTaps();
      return true;
    },

    async askTaps() {
      const found = await view.ask("taps", async (signal) => {
        try {
          return await post(`${held.path}/count`, { taps: taps.seconds }, { signal });
        } catch (error) {
          // What cannot be counted is said where it is counted.
          if (error instanceof ApiError) this.tapText = error.message;
          else throw error;
          return null;
        }
      });
      if (!found) return;
      this.tapText = `Tapped ${bpm(found.tempo_bpm)} BPM, ${taps.seconds.length} taps.`;
      this.proposals = found.proposals;
      this.isTapped = true;
    },
  });
};

// @ts-check
/** Counting along: taps, number keys, a metre; and what the tool proposes to follow from it. */

import { ApiError, post } from "../net/api.js";
import { bpm } from "../format.js";

const FEWEST_TAPS = 4;
const MOST_TAPS = 64;
const FORGOTTEN_MS = 3000;

/**
 * @param {import("../session.js").Session} session
 * @param {{held: () => string, hand: () => import("../types.js").Hand}} what
 */
export const countControls = (session, what) => {
  /** Seconds of the recording at which was tapped, and when that was. */
  let taps = { seconds: /** @type {number[]} */ ([]), last: 0 };
  let turn = 0;

  return {
    tapText: "",
    /** @type {import("../types.js").Proposal[]} */
    proposals: [],
    isTapped: false,

    showProposals() {
      taps = { seconds: [], last: 0 };
      this.tapText = "";
      this.isTapped = false;
      this.proposals = what.hand().proposals;
    },

    /** A tap along with what sounds; while nothing does, taps are the project's. @param {number | null} second @returns {boolean} whether it was taken */
    tapAlong(second) {
      if (second === null) return false;
      const now = performance.now();
      if (now - taps.last > FORGOTTEN_MS) taps.seconds = [];
      taps = { seconds: [...taps.seconds, second].slice(-MOST_TAPS), last: now };
      const count = taps.seconds.length;
      this.tapText = count < FEWEST_TAPS ? `${count} of ${FEWEST_TAPS} taps` : this.tapText;
      if (count >= FEWEST_TAPS) void this.askTaps();
      return true;
    },

    async askTaps() {
      turn += 1;
      const mine = turn;
      try {
        const found = await post(`${session.path}/hand/${what.held()}/count`, { taps: taps.seconds });
        if (mine !== turn) return;
        this.tapText = `Tapped ${bpm(found.tempo_bpm)} BPM, ${taps.seconds.length} taps.`;
        this.proposals = found.proposals;
        this.isTapped = true;
      } catch (error) {
        if (error instanceof ApiError) this.tapText = error.message;
      }
    },
  };
};

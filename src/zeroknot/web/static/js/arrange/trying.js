// @ts-check
/** Another loop under the chosen clip, one candidate after another while the song plays; kept, or the old one back. */

import { getJson } from "../net/api.js";

const MOST = 16;

/** @typedef {{sha: string, name: string, why: string}} Candidate */

/** @param {import("../view.js").View} view @param {import("../session.js").Session} session */
export const tryControls = (view, session) => {
  /** For which clip they are. */
  let of = "";
  /** @type {Candidate[]} */
  let candidates = [];
  let at = -1;
  let steps = 0; // edits to take back for the old one
  /** Until what was asked for is there: what is kept, or given up, is that. @type {Promise<unknown>} */
  let trying = Promise.resolve();

  return {
    chosen: "", // as the view has it
    tryText: "", isTrying: false,

    /** The next of them takes its place, or the one before. @param {1 | -1} by */
    tryNext(by) {
      this.isTrying = true;
      const tried = trying.then(() => this.tryNow(by));
      trying = tried.catch(() => undefined);
      return tried;
    },

    /** @param {1 | -1} by */
    async tryNow(by) {
      await session.settled();
      const clip = session.state.clips.find((c) => c.id === this.chosen);
      if (!clip) {
        this.isTrying = false;
        return session.say("Choose a clip to try other loops in its place.");
      }
      if (of !== clip.id) {
        [of, at, steps, candidates] = [clip.id, -1, 0, []];
        this.tryText = "Looking for what fits…";
        const found = await view.ask("fits", (signal) => getJson(`${session.path}/fits?beat=${clip.beat}&count=${MOST}&without=${clip.strand}`, signal));
        candidates = found?.rows ?? [];
      }
      if (!candidates.length) {
        this.tryText = "Nothing else is on the shelf.";
        [of, this.isTrying] = ["", false];
        return;
      }
      at = (at + by + candidates.length) % candidates.length;
      const one = /** @type {Candidate} */ (candidates[at]);
      if (await view.intent({ kind: "try_under", clip: clip.id, loop: one.sha })) steps += 1;
      this.tryText = `${at + 1} of ${candidates.length}: ${one.name}${one.why ? `, ${one.why}` : ""}.`;
    },

    /** It stays. */
    async keepTried() {
      const last = trying;
      await last;
      if (last !== trying) return; // another is tried
      [of, steps, this.tryText, this.isTrying] = ["", 0, "", false];
    },

    /** What was there before. */
    async giveTriedUp() {
      await trying;
      const back = steps;
      await this.keepTried();
      for (let i = 0; i < back; i += 1) await session.history.undo();
    },
  };
};

// @ts-check
/** Clips copied, here or in another project of this application, and pasted: with all that they play. */

import { barLine } from "../metre.js";
import { post } from "../net/api.js";

const KEPT_AS = "zeroknot.copied";
/** What was copied last, where the browser does not keep it. @type {string | null} */
let held = null;

/** @param {string} text @returns {Record<string, any> | null} */
function read(text) {
  try {
    const told = JSON.parse(text);
    return told && typeof told === "object" && !Array.isArray(told) ? told : null;
  } catch {
    return null;
  }
}

/** @param {import("../view.js").View} view @param {import("../session.js").Session} session */
export const clipboardControls = (view, session) => ({
  // As the view has them.
  chosen: "", chosenTrack: "", others: /** @type {string[]} */ ([]),
  /** @returns {string[]} */
  picks: () => [],
  /** @param {import("../types.js").Intent} _intent @returns {Promise<string[]>} */
  cutAs: async (_intent) => [],

  async copyPicked() {
    await session.settled();
    const clips = this.picks();
    if (!clips.length) return false;
    const parts = await view.ask("copied", (signal) => post(`${session.path}/copied`, { clips }, { signal, again: true }));
    if (!parts) return false;
    held = JSON.stringify(parts);
    try {
      localStorage.setItem(KEPT_AS, held);
    } catch {
      // More than the browser keeps: it can be pasted on this page all the same.
      localStorage.removeItem(KEPT_AS);
    }
    const many = clips.length > 1;
    session.say(`${many ? `${clips.length} clips` : "One clip"} copied: Ctrl+V lays ${many ? "them" : "it"} at the playhead's bar, in another project, too.`);
    return true;
  },

  async cutPicked() {
    const clips = this.picks();
    if (await this.copyPicked()) await view.intent({ kind: "remove_clips", clips });
  },

  async paste() {
    await session.settled();
    const text = localStorage.getItem(KEPT_AS) ?? held;
    if (!text) return session.say("Nothing is copied: choose a clip and press Ctrl+C.");
    const parts = read(text);
    if (!parts) return session.say("What was copied cannot be read any more; copy it once more.", "error");
    const { beat } = barLine(session.state.metres, Math.max(0, session.beat()));
    const track = session.state.tracks.some((t) => t.id === this.chosenTrack) ? this.chosenTrack : null;
    const fresh = await this.cutAs({ kind: "paste_clips", parts, beat, track: track ?? undefined });
    if (fresh.length) [this.chosen, ...this.others] = fresh;
  },
});

// @ts-check
/** A stretch of the song, printed: the cycle, the chosen clip, or all of it; of all tracks or of one. */

import { cycleOf } from "../cycle.js";
import { MadeHere } from "../made-here.js";
import { barLine, nextBarLine } from "../metre.js";

/** Of which tracks: all that sound, the chosen one, those of the chosen clips. @typedef {"all" | "one" | "picked"} Which */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app @param {import("../view.js").View} view */
export const rangeControls = (session, app, view) => {
  const here = new MadeHere(view);

  return {
    chosenTrack: "", // as the view has it
    /** @returns {string[]} */
    picks: () => [],
    rangeSeam: "wrap", rangeWhich: /** @type {Which} */ ("all"), hasPicked: false, rangeThrough: false, rangeText: "", rangeTrackText: "", isPrinting: false, rangePrinted: "", rangeSha: "",

    /** @returns {{from: number, to: number, said: string}} beats */
    rangeOf() {
      const { state } = session;
      const cycle = cycleOf(session);
      if (cycle.on && cycle.to > cycle.from) return { from: cycle.from, to: cycle.to, said: "the cycle" };
      const picks = new Set(this.picks());
      const clips = state.clips.filter((c) => picks.has(c.id));
      if (clips.length) return { from: Math.min(...clips.map((c) => c.beat)), to: Math.max(...clips.map((c) => c.beat + c.beats)), said: clips.length > 1 ? "the chosen clips" : "the chosen clip" };
      return { from: 0, to: nextBarLine(state.metres, state.end_beat), said: "the whole song" };
    },

    showRange() {
      const { metres, tracks, clips } = session.state;
      const { from, to, said } = this.rangeOf();
      const [first, last] = [barLine(metres, from).bar, barLine(metres, Math.max(from, to - 1e-4)).bar];
      this.rangeText = clips.length ? `${first === last ? `Bar ${first}` : `Bars ${first}–${last}`}: ${said}` : "";
      this.hasPicked = this.picks().length > 0;
      this.rangeTrackText = tracks.find((t) => t.id === this.chosenTrack)?.name ?? "";
    },

    /** @param {string} seam */
    setRangeSeam(seam) {
      this.rangeSeam = seam;
    },

    /** @param {Which} which */
    setRangeTracks(which) {
      this.rangeWhich = which;
    },

    /** Ids of the tracks that are meant; null for all. @returns {string[] | null} */
    rangeTracks() {
      const picks = new Set(this.picks());
      const rows = new Set(session.state.clips.filter((c) => picks.has(c.id)).map((c) => c.track));
      if (this.rangeWhich === "picked" && rows.size) return [...rows];
      return this.rangeWhich === "one" ? [this.chosenTrack] : null;
    },

    async printRange() {
      if (this.isPrinting || !session.state.clips.length) return;
      const { from, to } = this.rangeOf();
      this.isPrinting = true;
      const made = await session.make(`${session.path}/ranges`, {
        start: from, end: to, tracks: this.rangeTracks(), seam: this.rangeSeam, through: this.rangeThrough,
      });
      this.isPrinting = false;
      if (!made) return;
      this.rangeSha = made.sha;
      here.tell(made.sha, `${made.name}: on the shelf.`, (text) => { this.rangePrinted = text; });
    },

    toggleThrough() {
      this.rangeThrough = !this.rangeThrough;
    },

    takeRange() {
      app.go(`/p/${session.state.id}/fit/${this.rangeSha}`);
    },
  };
};

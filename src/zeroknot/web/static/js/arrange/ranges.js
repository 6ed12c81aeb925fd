// @ts-check
/** A stretch of the song, printed: the cycle, the chosen clip, or all of it; of all tracks or of one. */

import { cycleOf } from "../cycle.js";
import { barLine, nextBarLine } from "../metre.js";
import { post } from "../net/api.js";

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app @param {import("../view.js").View} view */
export const rangeControls = (session, app, view) => ({
  chosenTrack: "", // as the view has it
  /** @returns {string[]} */
  picks: () => [],
  rangeSeam: "wrap", rangeOneTrack: false, rangeThrough: false, rangeText: "", rangeTrackText: "", isPrinting: false, rangePrinted: "", rangeSha: "",

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
    this.rangeTrackText = tracks.find((t) => t.id === this.chosenTrack)?.name ?? "";
  },

  /** @param {string} seam */
  setRangeSeam(seam) {
    this.rangeSeam = seam;
  },

  /** @param {boolean} one */
  setRangeTracks(one) {
    this.rangeOneTrack = one;
  },

  async printRange() {
    if (this.isPrinting || !session.state.clips.length) return;
    const { from, to } = this.rangeOf();
    this.isPrinting = true;
    const made = await view.ask("range", (signal) => post(`${session.path}/ranges`, {
      start: from, end: to, tracks: this.rangeOneTrack ? [this.chosenTrack] : null, seam: this.rangeSeam, through: this.rangeThrough,
    }, { signal, again: true })); // the same stretch twice is one loop
    this.isPrinting = false;
    if (!made) return;
    [this.rangePrinted, this.rangeSha] = [`${made.name}: on the shelf.`, made.sha];
  },

  toggleThrough() {
    this.rangeThrough = !this.rangeThrough;
  },

  takeRange() {
    app.go(`/p/${session.state.id}/fit/${this.rangeSha}`);
  },
});

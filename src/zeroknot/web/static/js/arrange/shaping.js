// @ts-check
/** How the chosen clips come and go: curves, crossfades, gain line, backwards; their names and colours. */

import { withLevelAt } from "./shape-model.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {"gain" | "power"} Curve */

const USUAL_CROSS_MS = 60;
const MEETS = 1e-6;

/** @param {import("../view.js").View} view @param {import("../session.js").Session} session */
export const shapeControls = (view, session) => ({
  chosen: "", // as the view has it
  /** @returns {string[]} */
  picks: () => [],
  clipFadeIn: 3, clipFadeOut: 3, clipInCurve: /** @type {Curve} */ ("gain"), clipOutCurve: /** @type {Curve} */ ("gain"),
  clipCross: 0, clipCrossCurve: /** @type {Curve} */ ("power"), clipMeets: false, clipReverse: false, clipOwnName: "", clipYarn: -1,
  clipLine: "", isLined: false, showsGain: false,

  /** @param {Clip} clip */
  showShape(clip) {
    [this.clipFadeIn, this.clipFadeOut] = [clip.fade_in_ms, clip.fade_out_ms];
    [this.clipInCurve, this.clipOutCurve] = [clip.fade_in_curve, clip.fade_out_curve];
    [this.clipCross, this.clipCrossCurve] = [clip.cross_ms, clip.cross_curve];
    this.clipMeets = this.meetsOne(clip);
    this.clipReverse = clip.reverse;
    this.clipOwnName = clip.name ?? "";
    this.clipYarn = clip.yarn ?? -1;
    this.isLined = clip.gain_line.length > 0;
    const count = clip.gain_line.length;
    this.clipLine = count ? `${count} point${count > 1 ? "s" : ""}` : "";
  },

  /** Does another end where it begins? @param {Clip} clip */
  meetsOne(clip) {
    return session.state.clips.some((c) => c.track === clip.track && !c.muted && Math.abs(c.beat + c.beats - clip.beat) < MEETS);
  },

  /** @param {"fade_in_ms" | "fade_out_ms"} which @param {number} ms */
  setFade(which, ms) {
    this.changePicked({ [which]: ms });
  },

  /** @param {"fade_in_curve" | "fade_out_curve" | "cross_curve"} which @param {Curve} now */
  turnCurve(which, now) {
    this.changePicked({ [which]: now === "gain" ? "power" : "gain" });
  },

  /** @param {number} ms */
  setCross(ms) {
    this.changePicked({ cross_ms: ms });
  },

  /** With those that they follow; or no more. */
  async crossPicked() {
    await session.settled();
    const picks = new Set(this.picks());
    const meeting = session.state.clips.filter((c) => picks.has(c.id) && this.meetsOne(c));
    if (!meeting.length) return session.say("Nothing ends where it begins: a crossfade is between two clips that meet.");
    const isCrossed = meeting.every((c) => c.cross_ms > 0);
    await view.intent({ kind: "change_clips", clips: meeting.map((c) => c.id), cross_ms: isCrossed ? 0 : USUAL_CROSS_MS });
  },

  /** @param {{name?: string, yarn?: number, cross_ms?: number, fade_in_ms?: number, fade_out_ms?: number, fade_in_curve?: Curve, fade_out_curve?: Curve, cross_curve?: Curve}} what */
  changePicked(what) {
    const clips = this.picks();
    if (clips.length) void view.intent({ kind: "change_clips", clips, ...what });
  },

  async reversePicked() {
    await session.settled();
    const clips = this.picks();
    if (clips.length) await view.intent({ kind: "reverse_clips", clips });
  },

  /** @param {string} text */
  nameClip(text) {
    if (text.trim() !== this.clipOwnName) this.changePicked({ name: text.trim() });
  },

  /** @param {number} yarn −1: its strand's */
  colourClip(yarn) {
    this.changePicked({ yarn });
  },

  // ---- the gain line

  toggleGain() {
    this.showsGain = !this.showsGain;
  },

  /** A point of the line where the playhead is. @param {string} text dB */
  setGainHere(text) {
    const clip = session.state.clips.find((c) => c.id === this.chosen);
    const db = Number(text.replace(",", ".").replace("−", "-").replace(/\s*dB$/i, ""));
    if (!clip || !text.trim()) return;
    const beat = session.beat();
    if (!Number.isFinite(db) || db < -60 || db > 12) return session.say("A level is −60 to 12 dB.", "error");
    if (beat < clip.beat || beat > clip.beat + clip.beats) return session.say("Bring the playhead over the clip: its line gets a point there.");
    this.showsGain = true;
    void view.intent({ kind: "change_clip", clip: clip.id, gain_line: withLevelAt(clip, beat, db) });
  },

  clearGain() {
    if (this.chosen) void view.intent({ kind: "change_clip", clip: this.chosen, gain_line: [] });
  },
});

// @ts-check
/** How what is in hand is heard: as recorded, as fitted, against another method, its seam; alone or with the rest. */

import { secondOfBeat } from "../loom/model.js";
import { section } from "../sections.js";

/** @typedef {import("./held.js").Held} Held */
/** @typedef {import("./trial.js").Trial} Trial */
/** What a view on it has beside. @typedef {{held: Held, trial: Trial}} Shared */

const LEAST_STRETCH = 1e-4; // share of its length
/** @type {Record<string, string>} */
const PARTS = { whole: "laid as one", apart: "tones and hits apart" };

/** @param {Shared} shared */
export const hearing = ({ held, trial }) => {
  const { session, app } = held;

  return section(null, {
    hearing: false,
    way: "fitted",
    withRest: false,
    seamMode: false,
    clicks: "", against: "", againstName: "", fittedName: "",
    /** What it may be compared with. @type {{key: string, name: string}[]} */
    others: [],

    showHearing() {
      const { hand } = held;
      const heardBy = hand.method === "auto" ? hand.chosen.method : hand.method;
      this.others = hand.methods.filter((m) => m.key !== "auto" && m.key !== heardBy).map((m) => ({ key: m.key, name: m.name }));
      if (hand.parts_sounding === "apart") this.others.push({ key: "whole", name: PARTS.whole });
      const isChanged = hand.shifted || Math.abs(hand.duration_ratio - 1) > LEAST_STRETCH;
      if (hand.parts_sounding === "whole" && isChanged && !hand.why_whole) this.others.push({ key: "apart", name: PARTS.apart });
      if (hand.has_groove) this.others.push({ key: "ungrooved", name: "without the groove" });
      if (hand.straighten) this.others.push({ key: "unstraightened", name: "not straightened" });
      if (hand.knots.length > 2) this.others.push({ key: "ends", name: "the ends tied only" });
      if (!hand.is_new && session.state.undo) this.others.push({ key: "before", name: "as before the last change" });
      this.againstName = this.others.find((m) => m.key === this.against)?.name ?? "";
      if (!this.againstName) this.against = ""; // what it was compared with is gone
      if (!this.against && this.way === "against") this.way = "fitted";
      this.nameFitted();
      if (this.hearing) void this.hearOn();
    },

    /** What is heard as fitted is called by what it is compared in: its parts, else its method. */
    nameFitted() {
      const { hand } = held;
      const heardBy = hand.method === "auto" ? hand.chosen.method : hand.method;
      const isOfParts = this.against === "whole" || this.against === "apart";
      this.fittedName = isOfParts ? PARTS[hand.parts_sounding] ?? "" : hand.methods.find((m) => m.key === heardBy)?.name ?? "";
    },

    /** It ended by itself, or something else is heard. */
    watchHearing() {
      if (!this.hearing || app.starting || trial.isRunning) return;
      const engine = session.engine_;
      const song = engine?.song;
      const isInSong = !!song?.withHand && (song.isPlaying || song.isWaiting);
      if (!engine?.hand.isPlaying && !engine?.hand.isWaiting && !isInSong) this.hearing = false;
    },

    /** The second of the recording that sounds now; null where none does. @param {number} [ago] or so many seconds ago */
    playhead(ago = 0) {
      const engine = session.engine_;
      if (!engine) return null;
      const alone = engine.hand.second(ago);
      if (alone !== null) return alone;
      if (!engine.song.isPlaying) return null;
      const { hand } = held;
      const beat = engine.song.beat(ago);
      const clip = session.state.clips.find((c) => c.strand === hand.id && beat >= c.beat && beat < c.beat + c.beats);
      if (!engine.song.withHand && !clip) return null;
      const span = hand.span * hand.beat_share;
      const inside = clip && !engine.song.withHand ? beat - clip.beat + clip.slip : beat;
      return secondOfBeat(hand.knots, ((inside % span) + span) % span);
    },

    toggleHear() {
      if (this.hearing) this.stopHearing();
      else void this.startHearing(this.way);
    },

    /** @param {string} way */
    async startHearing(way) {
      this.hearing = true;
      this.seamMode = way === "seam";
      await this.hearOn();
    },

    /** Go on as it is heard now: what is in hand may be another. */
    async hearOn() {
      const way = this.seamMode ? "seam" : this.way;
      const withRest = this.withRest && way !== "seam" && way !== "against";
      await app.hearHand(held.name, way, withRest, { against: this.against, clicks: this.clicks, order: held.inOrder });
    },

    stopHearing() {
      this.hearing = false;
      this.seamMode = false;
      app.stopHand();
    },

    /** @param {string} way */
    setWay(way) {
      this.way = way;
      if (this.hearing) void this.startHearing(way);
    },

    toggleRest() {
      this.withRest = !this.withRest;
      if (this.hearing) void this.startHearing(this.way);
    },

    hearSeam() {
      if (this.seamMode) this.stopHearing();
      else void this.startHearing("seam");
    },

    /** @param {string} key a method to hear against the chosen one; none compares nothing */
    compareWith(key) {
      this.against = key;
      this.againstName = this.others.find((m) => m.key === key)?.name ?? "";
      this.nameFitted();
      this.setWay(key ? "against" : "fitted");
    },

    /** Hear on from a moment. @param {number} second */
    goTo(second) {
      if (this.hearing && !this.withRest && !this.seamMode) session.engine_?.hand.go(second);
    },
  });
};

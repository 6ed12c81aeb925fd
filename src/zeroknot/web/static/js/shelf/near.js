// @ts-check
/** Loops like the chosen one, or what goes with all that plays at the playhead: the list, nearest first. */

import { barLine } from "../metre.js";
import { section } from "../sections.js";

/** @typedef {"all" | "sound" | "rhythm" | "tone" | "fits"} By */

const AGAIN_MS = 1500; // after which those that nobody has listened to yet are asked for again

/** @param {import("./shared.js").Shared} shared */
export const near = (shared) => {
  const { session, app, list, projectPath } = shared;
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let again;

  return section(shared.whole, {
    likeText: "", waitingText: "",

    /** The loops most like the chosen one; asked once more, all of them again. @param {By} [by] */
    askLike(by = "all") {
      const isOn = this.asked.like_by && this.asked.like_by !== "fits";
      if (isOn && this.asked.like_by === by) return this.askAll();
      const like = isOn ? this.asked.like : this.chosen;
      if (like) this.askNear(like, by);
    },

    askFits() {
      if (this.asked.like_by === "fits") return this.askAll();
      this.askNear("", "fits");
    },

    /** @param {string} like @param {By} by */
    askNear(like, by) {
      const { beat } = barLine(session.state.metres, Math.max(0, session.beat()));
      this.likeText = like ? `Like ${list.at(list.placeOf(like))?.name ?? (this.likeText.replace(/^Like /, "") || "it")}` : "";
      this.asked = { ...this.asked, like, like_by: by, beat: by === "fits" ? beat : null, sort: "near", descending: false };
      void this.search();
    },

    askAll() {
      this.asked = { ...this.asked, like: "", like_by: null, beat: null, sort: "added", descending: false };
      void this.search();
    },

    /** @param {import("../types.js").Found} found */
    showNear(found) {
      const { like_by: by, beat } = this.asked;
      clearTimeout(again);
      if (by === "fits") this.likeText = `What fits at bar ${barLine(session.state.metres, beat ?? 0).bar}`;
      else if (by && !this.likeText) this.likeText = "Like one that was chosen before";
      const left = by ? found.waiting : 0;
      this.waitingText = left ? `${left === 1 ? "One loop is" : `${left} loops are`} still listened to…` : "";
      if (left) again = setTimeout(() => this.reload(), AGAIN_MS);
    },

    get isNear() {
      return Boolean(this.asked.like_by);
    },

    /** All that descends from it, and what it came from. @param {string} sha */
    showFamily(sha) {
      if (sha) app.go(`${projectPath}/offshoots/${sha}`);
    },

    endNear() {
      clearTimeout(again);
    },
  });
};

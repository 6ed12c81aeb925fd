// @ts-check
/** What on the shelf sounds like the one that is chosen, and which of what was grown fits what plays. */

import { getJson } from "../net/api.js";
import { section } from "../sections.js";

/** @typedef {import("api").Rank} Rank */
/** @typedef {"all" | "sound" | "rhythm" | "tone" | "fits"} By fits: what goes with all that plays at the playhead */

const AGAIN_MS = 1500; // after which those that were not measured yet are asked for again

/** @param {import("./shared.js").Shared} shared */
export const alike = (shared) => {
  const { view, session, app } = shared;
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let timer;
  view.scope.add(() => clearTimeout(timer));

  return section(shared.whole, {
    likeBy: /** @type {By} */ ("all"), likeText: "", fitText: "", isRanking: false, orderBy: "grown",
    likes: /** @type {{sha: string, name: string, why: string, percent: string}[]} */ ([]),

    // ---- on the shelf

    /** @param {By} [asked] as before where none is given */
    async askLike(asked) {
      const by = asked ?? this.likeBy;
      this.likeBy = by;
      clearTimeout(timer);
      if (!shared.focused) return;
      this.likeText = this.likes.length ? this.likeText : "Listening…";
      const of = shared.focused;
      const path = by === "fits" ? `${shared.path}/fits?beat=${this.beatHere()}` : `${shared.path}/hand/${shared.nameOf(of)}/like?by=${by}`;
      const found = await view.ask("like", (signal) => getJson(path, signal));
      if (!found || of !== shared.focused) return;
      /** @type {import("api").LikeRow[]} */
      const rows = found.rows;
      this.likes = rows.map((row) => ({ sha: row.sha, name: row.name, why: row.why, percent: `${Math.round(100 * Math.max(0, row.alike))} %` }));
      const left = found.waiting;
      this.likeText = left ? `${left === 1 ? "One loop is" : `${left} loops are`} still listened to…` : rows.length ? "" : "Nothing else is on the shelf.";
      if (left) timer = setTimeout(() => this.askLike(), AGAIN_MS);
    },

    /** @param {string} sha */
    async hearLike(sha) {
      [this.hearing, this.heard] = [true, sha];
      await app.hearHand(sha, "fitted", this.withRest, { order: true, audition: "matched=true" });
    },

    /** Into this view with it. @param {string} sha */
    takeLike(sha) {
      app.go(`/p/${session.state.id}/offshoots/${sha}`);
    },

    /** Of another they are others. */
    forgetLike() {
      clearTimeout(timer);
      [this.likes, this.likeText] = [[], ""];
    },

    // ---- what fits

    /** @param {"grown" | "fit" | "unlike"} by */
    async setOrder(by) {
      this.orderBy = by;
      shared.orderBy = by;
      if (by !== "grown") await this.rank();
      shared.lay();
      this.showFamily();
    },

    /** Each is rendered and listened to: in the background, and once. */
    async rank() {
      this.isRanking = true;
      try {
        const of = shared.nameOf(shared.root);
        const found = await view.ask("ranks", (signal) => getJson(`${shared.path}/family/${of}/ranks?beat=${this.beatHere()}`, signal));
        if (!found) return;
        /** @type {Rank[]} */
        const ranks = found.ranks;
        shared.ranks = new Map(ranks.map((r) => [r.id, r]));
        this.showFit();
      } finally {
        this.isRanking = false;
      }
    },

    showFit() {
      const rank = shared.ranks.get(shared.focused);
      this.fitText = rank ? `Fits by ${Math.round(100 * rank.fit)} %${rank.said ? `: ${rank.said}` : ""}.` : "";
    },
  });
};

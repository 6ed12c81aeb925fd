// @ts-check
/** The song's own groove: from which bar on, and who follows it. */

import { typedNumber } from "../format.js";
import { section } from "../sections.js";

/** @param {import("./shared.js").Shared} shared */
export const songGroove = (shared) => {
  const { session, held, view } = shared;

  return section(shared.whole, {
    feel: /** @type {{bar: number, groove: string, name: string}[]} */ ([]),
    feelBar: "1", feelGroove: "",

    showSong() {
      this.feel = session.state.feel.map((f) => ({ bar: f.bar, groove: f.groove ?? "", name: f.name ?? "none" }));
      if (this.feelGroove && !shared.kept.some((k) => k.id === this.feelGroove)) this.feelGroove = "";
    },

    /** @param {"feelBar" | "feelGroove"} name @param {string} text */
    setFeel(name, text) {
      this[name] = text;
    },

    /** @param {boolean} follow all strands go by it */
    giveSong(follow) {
      const bar = typedNumber(this.feelBar);
      if (bar === null || bar < 1 || !Number.isInteger(bar)) return held.refuse(`“${this.feelBar}” is not a bar.`);
      void view.intent({ kind: "set_song_groove", bar, groove: this.feelGroove || null, follow });
    },

    /** @param {number} bar @param {string} groove */
    changeFeel(bar, groove) {
      void view.intent({ kind: "set_song_groove", bar, groove: groove || null, follow: false });
    },

    /** @param {number} bar */
    removeFeel(bar) {
      void view.intent({ kind: "remove_song_groove", bar });
    },
  });
};

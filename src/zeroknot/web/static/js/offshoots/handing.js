// @ts-check
/** Loops leave: the one that is chosen, all that is kept of the family, or that as a pack with a page. */

import { section } from "../sections.js";

/** @param {import("./shared.js").Shared} shared */
export const handing = (shared) => {
  const { session } = shared;

  return section(shared.whole, {
    /** @param {"one" | "kept" | "pack"} what */
    async handOver(what) {
      const { one, members } = shared;
      if (!one) return;
      if (what === "one" && one.kind === "grown") return session.say(`Keep ${one.name} first: then it can leave as a file.`);
      const shas = what === "one" ? [one.id] : members.filter((m) => m.kind !== "grown" && m.on_shelf).map((m) => m.id);
      await this.handFiles(shas, what === "pack" ? this.familyName : null);
    },

    /** To the desktop with it, where the browser can. @param {DragEvent} event */
    dragOut(event) {
      const { one } = shared;
      if (!one || one.kind === "grown") return event.preventDefault();
      const name = one.name.replace(/[^\p{L}\p{N} ._-]/gu, " ");
      event.dataTransfer?.setData("DownloadURL", `audio/wav:${name}.wav:${location.origin}/api/loops/${one.id}/wav?bits=24`);
    },
  });
};

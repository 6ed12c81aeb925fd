// @ts-check
/** Loops leave: the one that is chosen, all that is kept of the family, or that as a pack with a page. */

import { section } from "../sections.js";
import { downloadFile } from "../shelf/download.js";

const KEPT_AS = "zeroknot.hand-over";

/** @param {import("./shared.js").Shared} shared */
export const handing = (shared) => {
  const { session } = shared;
  const kept = JSON.parse(localStorage.getItem(KEPT_AS) ?? "{}");

  return section(shared.whole, {
    fileFormat: kept.format ?? "wav24", fileLevel: kept.level ?? "as_is", fileNames: kept.names ?? "{name}_{bpm}bpm_{key}", isHanding: false,

    /** @param {string} format */
    setFormat(format) {
      this.fileFormat = format;
      this.keepHow();
    },

    /** @param {string} level */
    setFileLevel(level) {
      this.fileLevel = level;
      this.keepHow();
    },

    /** @param {string} names */
    setNames(names) {
      this.fileNames = names.trim() || "{name}_{bpm}bpm_{key}";
      this.keepHow();
    },

    keepHow() {
      localStorage.setItem(KEPT_AS, JSON.stringify({ format: this.fileFormat, level: this.fileLevel, names: this.fileNames }));
    },

    /** @param {"one" | "kept" | "pack"} what */
    async handOver(what) {
      const { one, members } = shared;
      if (!one) return;
      if (what === "one" && one.kind === "grown") return session.say(`Keep ${one.name} first: then it can leave as a file.`);
      const shas = what === "one" ? [one.id] : members.filter((m) => m.kind !== "grown" && m.on_shelf).map((m) => m.id);
      const pack = what === "pack" ? this.familyName : null;
      this.isHanding = true;
      const headers = await downloadFile(session, "/api/loops/files", "loops.zip", { shas, format: this.fileFormat, level: this.fileLevel, names: this.fileNames, pack });
      this.isHanding = false;
      const lowered = Number(headers?.get("x-lowered-db") ?? 0);
      if (lowered > 0.05 && this.fileLevel === "as_is") session.say(`What peaked over full scale was lowered, by ${lowered.toFixed(1)} dB at most.`);
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

// @ts-check
/** How loops leave as files: the format, the level and the names, remembered by this browser. */

import { section } from "./sections.js";
import { downloadFile } from "./shelf/download.js";

const KEPT_AS = "zeroknot.hand-over";
const NAMES = "{name}_{bpm}bpm_{key}";

/** @param {import("./session.js").Session} session */
export const fileWays = (session) => {
  const kept = JSON.parse(localStorage.getItem(KEPT_AS) ?? "{}");

  return section(null, {
    fileFormat: kept.format ?? "wav24", fileLevel: kept.level ?? "as_is", fileNames: kept.names ?? NAMES, isHanding: false,

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
      this.fileNames = names.trim() || NAMES;
      this.keepHow();
    },

    keepHow() {
      localStorage.setItem(KEPT_AS, JSON.stringify({ format: this.fileFormat, level: this.fileLevel, names: this.fileNames }));
    },

    /** One as a file, several as a ZIP; with a title as a pack. @param {string[]} shas @param {string | null} [pack] */
    async handFiles(shas, pack = null) {
      this.isHanding = true;
      const headers = await downloadFile(session, "/api/loops/files", "loops.zip", { shas, format: this.fileFormat, level: this.fileLevel, names: this.fileNames, pack });
      this.isHanding = false;
      const lowered = Number(headers?.get("x-lowered-db") ?? 0);
      if (lowered > 0.05 && this.fileLevel === "as_is") session.say(`What peaked over full scale was lowered, by ${lowered.toFixed(1)} dB at most.`);
    },
  });
};

// @ts-check
/** The song, the cycle or the chosen clip's bars mixed down to a file in the background; with stems or without. */

import { db } from "../format.js";
import { ended } from "../job.js";
import { ApiError, getJson, post } from "../net/api.js";
import { newId } from "../net/secure.js";

const KEPT_AS = "zeroknot.mix";

/** @typedef {{from: number, to: number}} Stretch */

/** @param {import("../view.js").View} view @param {import("../session.js").Session} session */
export const mixControls = (view, session) => {
  const lastMix = () => `zeroknot.mix.${session.state.id}`;
  const kept = JSON.parse(localStorage.getItem(KEPT_AS) ?? "{}");
  return {
    mixFormat: kept.format ?? "wav24", mixLufs: kept.lufs ?? "", mixHeld: kept.held ?? true, mixStems: typeof kept.stems === "string" ? kept.stems : "none", mixBare: kept.bare ?? false,
    isMixing: false, mixSaid: "", mixFile: "", mixName: "",

    /** @param {string} format */
    setMixFormat(format) {
      this.mixFormat = format;
      this.keepMix();
    },

    /** @param {string} lufs "" for as loud as it is */
    setMixLufs(lufs) {
      this.mixLufs = lufs;
      this.keepMix();
    },

    toggleMixHeld() {
      this.mixHeld = !this.mixHeld;
      this.keepMix();
    },

    /** @param {string} stems "none", of "tracks" or of "phrases" */
    setMixStems(stems) {
      this.mixStems = stems;
      this.keepMix();
    },

    toggleMixBare() {
      this.mixBare = !this.mixBare;
      this.keepMix();
    },

    keepMix() {
      localStorage.setItem(KEPT_AS, JSON.stringify({ format: this.mixFormat, lufs: this.mixLufs, held: this.mixHeld, stems: this.mixStems, bare: this.mixBare }));
    },

    /** @param {Stretch} stretch */
    async mixDownOf(stretch) {
      if (this.isMixing || !session.state.clips.length) return;
      const id = newId().replaceAll("-", "");
      await this.followMix(async () => (await view.ask("mix", (signal) => post(`${session.path}/mixes`, {
        id, start: stretch.from, end: stretch.to, stems: this.mixStems, bare: this.mixBare, format: this.mixFormat,
        lufs: this.mixLufs === "" ? null : Number(this.mixLufs), is_held: this.mixHeld,
      }, { signal, again: true })))?.job);
      if (!this.mixFile) return;
      const link = Object.assign(document.createElement("a"), { href: this.mixFile, download: "" });
      session.say(`Mixed down: ${this.mixSaid}`, "info", { label: `Save ${this.mixName}`, run: () => link.click() });
    },

    /** What was begun before another view was opened, or the page anew. */
    async resumeMix() {
      const id = sessionStorage.getItem(lastMix());
      if (id) await this.followMix(() => getJson(`/api/jobs/${id}`));
    },

    /** @param {() => Promise<import("../types.js").Job | undefined>} begin */
    async followMix(begin) {
      this.isMixing = true;
      [this.mixSaid, this.mixFile] = ["", ""];
      try {
        const begun = await begin();
        if (!begun) return;
        sessionStorage.setItem(lastMix(), begun.id);
        const job = await ended(session, begun);
        if (job.state === "done" && job.result) this.showMix(job.id, job.result);
        else this.mixSaid = "Stopped: nothing was written.";
      } catch (error) {
        sessionStorage.removeItem(lastMix());
        if (!(error instanceof ApiError)) throw error;
        session.say(error.message, "error");
      } finally {
        this.isMixing = false;
      }
    },

    /** @param {string} job @param {any} result */
    showMix(job, result) {
      const told = result.said;
      const parts = [`${told.integrated.toFixed(1)} LUFS`, `range ${told.range_lu.toFixed(1)} LU`, `true peak ${db(told.true_peak_db)}`];
      if (told.lowered_db > 0.05) parts.push(`the limiter took ${told.lowered_db.toFixed(1)} dB at most`);
      else if (told.over_db > 0.05) parts.push(`it peaks ${told.over_db.toFixed(1)} dB over full scale`);
      if (this.mixLufs !== "" && told.integrated < Number(this.mixLufs) - 0.6) parts.push("softer than asked: the limiter would have been heard");
      [this.mixSaid, this.mixFile, this.mixName] = [`${parts.join(" · ")}.`, `/api/mixes/${job}/file`, result.file];
    },
  };
};

// @ts-check
/** Room for the low end: where tracks fight below 150 Hz, bar by bar, and the gesture that mends it. */

import { ended } from "../job.js";
import { ApiError, post } from "../net/api.js";
import { View } from "../view.js";
import { barStrip } from "./bar-strip.js";

/** @typedef {{id: string, name: string, levels: number[]}} Level */
/** @typedef {{tracks: [string, string], bars: [number, number][], worst_db: number, said: string}} Fight */
/** @typedef {{tracks: Level[], fights: Fight[]}} Told */

const OFF_HZ = 10;

/** @param {import("../session.js").Session} session */
export const lowEnd = (session) => () => {
  const view = new View(session, "Low end");
  /** @type {Told | null} */
  let told = null;
  /** What was measured before room was made. @type {Told | null} */
  let before = null;
  let looks = 0;

  return {
    isMeasuring: false, lowText: "", isStale: false, madeFor: "", isAsBefore: false,
    fights: /** @type {{key: string, said: string, one: string, other: string, bars: [number, number][], tracks: string[]}[]} */ ([]),

    init() {
      let moves = session.state.moves;
      view.watch(() => {
        // What it said was of a song that is another by now.
        if (session.state.moves !== moves && told && !this.isMeasuring) this.isStale = true;
        ({ moves } = session.state);
      });
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("low-end"));
      view.picture(canvas, () => [looks, session.state.tracks.map((t) => t.id)], (c, sheet) => barStrip(c, sheet, {
        rows: told?.tracks ?? [], fights: told?.fights ?? [], yarnOf: (id) => this.yarnOf(id),
      }));
    },

    destroy() {
      this.hearAsBefore(false);
      view.end();
    },

    /** @param {string} id */
    yarnOf(id) {
      const clip = session.state.clips.find((c) => c.track === id);
      return session.state.strands.find((s) => s.id === clip?.strand)?.yarn ?? 0;
    },

    async measureLow() {
      if (this.isMeasuring) return;
      [this.isMeasuring, this.isStale, this.lowText] = [true, false, "Listening to every track below 150 Hz…"];
      try {
        const begun = await view.ask("low end", (signal) => post(`${session.path}/low-end`, {}, { signal }));
        if (!begun) return;
        const job = await ended(session, begun.job);
        if (view.isOver) return;
        if (job.state === "done") this.showLow(/** @type {any} */ (job.result));
        else this.lowText = "Stopped.";
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        session.say(error.message, "error");
      } finally {
        this.isMeasuring = false;
        if (this.lowText.startsWith("Listening")) this.lowText = "";
      }
    },

    /** @param {Told} found */
    showLow(found) {
      told = found;
      looks += 1;
      const names = new Map(found.tracks.map(({ id, name }) => [id, name]));
      this.fights = found.fights.map((f) => ({
        key: f.tracks.join(" "), said: f.said, one: names.get(f.tracks[0]) ?? "", other: names.get(f.tracks[1]) ?? "", bars: f.bars, tracks: f.tracks,
      }));
      const count = found.fights.length;
      this.lowText = count ? `${count} ${count === 1 ? "pair fights" : "pairs fight"} below 150 Hz.` : "No two tracks fight below 150 Hz.";
      if (this.madeFor && before) this.lowText += ` ${this.compared(before, found)}`;
    },

    /** @param {Told} was @param {Told} now */
    compared(was, now) {
      const bars = (/** @type {Told} */ t) => t.fights.reduce((sum, f) => sum + f.bars.reduce((n, [a, b]) => n + b - a + 1, 0), 0);
      return `Bars in which some do: ${bars(was)} before, ${bars(now)} now.`;
    },

    /** A low cut on one of them while the other plays. @param {string} key @param {number} which @param {[number, number][]} bars */
    async makeRoom(key, which, bars) {
      const track = key.split(" ")[which];
      if (!await view.intent({ kind: "make_room", track, bars })) return;
      [before, this.madeFor] = [told, track];
      await this.measureLow();
    },

    /** Without that cut, as long as it is held. @param {boolean} isHeld */
    hearAsBefore(isHeld) {
      if (!this.madeFor || this.isAsBefore === isHeld) return;
      this.isAsBefore = isHeld;
      const mixer = session.engine_?.mixer;
      if (isHeld) mixer?.hear(this.madeFor, "low_cut_hz", OFF_HZ);
      else mixer?.letGo(this.madeFor);
    },
  };
};

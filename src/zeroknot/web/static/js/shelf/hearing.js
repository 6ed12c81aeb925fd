// @ts-check
/** How a loop is heard from the shelf: as recorded, in time, in time and key; alone or with the rest. */

import { typedNumber } from "../format.js";
import { barLine } from "../metre.js";
import { section } from "../sections.js";

/** @param {import("./shared.js").Shared} shared */
export const hearing = (shared) => {
  const { session, app, list, audition } = shared;

  return section(shared.whole, {
    hearing: "",
    starting: false,
    way: "fitted",
    lay: 1,
    barsText: "",
    withRest: false,
    levelDb: 0,
    barText: "",
    track: "",
    /** @type {{id: string, name: string}[]} */
    tracks: [],

    showBar() {
      const { bar } = barLine(session.state.metres, Math.max(0, session.beat()));
      const text = `Place at bar ${bar}`;
      if (this.barText !== text) this.barText = text;
      const tracks = session.state.tracks.map((t) => ({ id: t.id, name: t.name }));
      if (JSON.stringify(tracks) !== JSON.stringify(this.tracks)) this.tracks = tracks;
      const sounding = session.engine_?.hand.isPlaying || session.engine_?.song.withHand;
      if (this.hearing && !sounding && !session.engine_?.hand.isWaiting && !this.starting) this.hearing = "";
    },

    /** @param {string} sha @param {boolean} [atBar] */
    hear(sha, atBar = false) {
      if (this.hearing === sha && !atBar) {
        this.quiet();
        return;
      }
      const index = list.placeOf(sha);
      if (index >= 0 && sha !== this.chosen) this.choose(index);
      if (atBar && !this.withRest) {
        this.withRest = true;
      }
      void this.start(sha, atBar);
    },

    /** @param {string} sha @param {boolean} [atBar] */
    async start(sha, atBar = false) {
      if (!sha) return;
      this.hearing = sha;
      this.starting = true;
      audition.adoptLevel(session.engine());
      await app.hearHand(sha, audition.engineWay, this.withRest, { audition: audition.query, atBar });
      this.starting = false;
    },

    quiet() {
      this.hearing = "";
      app.stopHand();
    },

    hearAgain() {
      this.window();
      if (this.hearing) void this.start(this.hearing);
    },

    /** @param {"recorded" | "fitted" | "keyed"} way */
    setWay(way) {
      this.way = way;
      audition.way = way;
      if (way === "keyed" && !session.state.key) session.say("The project has no key yet; type one above, or take a loop's.");
      this.hearAgain();
    },

    /** @param {number} lay */
    setLay(lay) {
      this.lay = lay;
      audition.lay = lay;
      audition.bars = null;
      this.barsText = "";
      this.hearAgain();
    },

    typedBars() {
      const bars = typedNumber(this.barsText);
      audition.bars = bars && bars > 0 ? bars : null;
      this.barsText = audition.bars === null ? "" : String(audition.bars);
      this.hearAgain();
    },

    toggleRest() {
      this.withRest = !this.withRest;
      if (this.hearing) void this.start(this.hearing);
    },

    /** @param {number} db */
    setLevel(db) {
      this.levelDb = db;
      audition.setLevel(db, session.engine_);
    },

    get hearText() {
      return this.hearing && this.hearing === this.chosen ? "Stop" : "Hear it";
    },
  });
};

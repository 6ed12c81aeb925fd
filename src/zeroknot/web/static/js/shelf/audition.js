// @ts-check
/** How loops are heard on the shelf: the choices at its foot, and what is prepared ahead. */

import { post } from "../net/api.js";
import { gainOfDb } from "../format.js";

const KEPT_AS = "zeroknot.audition-db";
const AHEAD_MS = 350;

export class Audition {
  constructor() {
    /** @type {"recorded" | "fitted" | "keyed"} */
    this.way = "fitted";
    this.lay = 1;
    /** @type {number | null} bars one pass is forced on */
    this.bars = null;
    this.levelDb = Number(localStorage.getItem(KEPT_AS) ?? 0) || 0;
    /** @type {ReturnType<typeof setTimeout> | undefined} */
    this.timer = undefined;
  }

  /** As the server is asked for it. */
  get query() {
    const asked = [`lay=${this.lay}`, "matched=true"];
    if (this.bars !== null) asked.push(`bars=${this.bars}`);
    if (this.way === "keyed") asked.push("in_key=true");
    return asked.join("&");
  }

  /** On what it is laid as it is heard; as recorded says nothing of that. */
  get laid() {
    return this.way === "recorded" ? {} : { lay: this.lay, bars: this.bars };
  }

  /** As the engine knows it. */
  get engineWay() {
    return this.way === "recorded" ? "recorded" : "fitted";
  }

  /** @param {number} db @param {import("../engine/engine.js").Engine | null} engine */
  setLevel(db, engine) {
    this.levelDb = db;
    localStorage.setItem(KEPT_AS, String(db));
    this.adoptLevel(engine);
  }

  /** @param {import("../engine/engine.js").Engine | null} engine */
  adoptLevel(engine) {
    if (engine) engine.mixer.hand.to(gainOfDb(this.levelDb));
  }

  /** What may be heard next is rendered ahead, once the hand rests. @param {string} projectPath @param {string[]} hands */
  prepare(projectPath, hands) {
    clearTimeout(this.timer);
    if (!hands.length || this.way === "recorded") return;
    this.timer = setTimeout(() => {
      const audition = { lay: this.lay, bars: this.bars, in_key: this.way === "keyed", matched: true };
      // Nobody waits for it: what fails is said when it is asked for.
      post(`${projectPath}/prepare`, { hands, audition }).catch(() => undefined);
    }, AHEAD_MS);
  }

  end() {
    clearTimeout(this.timer);
  }
}

// @ts-check
/** More of it: variations from close to far, and the quick ones. */

import { section } from "../sections.js";


const MOST_SEED = 2 ** 31 - 1;
/** What may change, as it is said. */
const NAMES = /** @type {const} */ ({
  order: "order", levels: "levels", pitch: "pitch", reverse: "backwards", rolls: "rolls", filter: "filter", method: "method", groove: "swing",
  speed: "speed", key: "key", register: "register",
});
/** @typedef {keyof typeof NAMES} Change */
/** @typedef {"reverse" | "half" | "double" | "down" | "hold" | "chop"} Quick */

/** @param {import("./shared.js").Shared} shared */
export const growing = (shared) => {
  const { view, session, app } = shared;

  return section(shared.whole, {
    growCount: 8, growFar: 40, isGrowing: false,
    changes: /** @type {{key: Change, name: string, on: boolean}[]} */ ([]),

    startGrowing() {
      this.changes = /** @type {Change[]} */ (app.viewData().changes).map((key) => ({ key, name: NAMES[key], on: true }));
    },

    /** @param {number} count */
    setCount(count) {
      this.growCount = count;
    },

    /** @param {number} percent */
    setFar(percent) {
      this.growFar = percent;
    },

    /** @param {Change} key */
    toggleChange(key) {
      this.changes = this.changes.map((c) => (c.key === key ? { ...c, on: !c.on } : c));
    },

    async grow() {
      await shared.keeping;
      if (!shared.one || this.isGrowing) return;
      const may = this.changes.filter((c) => c.on).map((c) => c.key);
      if (!may.length) return session.say("Nothing of it may change: allow something.", "error");
      this.isGrowing = true;
      try {
        await this.grown({ kind: "grow", of: shared.nameOf(shared.focused), count: this.growCount, far: this.growFar / 100, may, seed: seed() });
      } finally {
        this.isGrowing = false;
      }
    },

    /** @param {Quick} what */
    async quick(what) {
      await shared.keeping;
      if (shared.one) await this.grown({ kind: "quick_one", of: shared.nameOf(shared.focused), what, seed: seed() });
    },

    /** The first of what is new is chosen and heard. @param {import("../types.js").Intent} intent @param {string} [of] a loop whose family it belongs to, where that is another */
    async grown(intent, of) {
      if (of && !shared.members.some((m) => m.id === of)) {
        if (await view.intent(intent)) app.go(`/p/${session.state.id}/offshoots/${of}`);
        return;
      }
      const known = new Set(shared.members.map((m) => m.id));
      shared.folded.delete(shared.focused);
      if (!await view.intent(intent) || !await shared.ask()) return;
      // What was kept a moment ago may be new to this page, too.
      const fresh = shared.members.find((m) => !known.has(m.id) && m.kind === "grown");
      if (shared.orderBy !== "grown") void this.setOrder(shared.orderBy);
      this.showFamily();
      if (!fresh) return;
      this.choose(fresh.id);
      await this.hear(fresh.id);
    },
  });
};

const seed = () => Math.floor(Math.random() * MOST_SEED);

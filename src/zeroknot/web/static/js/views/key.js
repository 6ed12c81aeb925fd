// @ts-check
/** Key: the notes in hand against the song's key, by how much it is shifted, and what it clashes with. */

import { clashes } from "../key/clashes.js";
import { notes } from "../key/notes.js";
import { Shared } from "../key/shared.js";
import { inHandBar } from "../hand/bar.js";
import { hearing } from "../hand/hearing.js";
import { partsHeard } from "../hand/parts.js";
import { handKeys } from "../hand/shared.js";
import { joined, section } from "../sections.js";

/** @typedef {import("../sections.js").All<ReturnType<typeof inHandBar | typeof hearing | typeof partsHeard | typeof notes | typeof clashes>>} Sections */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const keyView = (session, app) => () => {
  const shared = new Shared(session, app);
  return joined(inHandBar(shared), hearing(shared), partsHeard(shared), notes(shared), clashes(shared), together(shared));
};

/** What starts the sections, shows them anew and gives them keys. @param {Shared} shared */
const together = (shared) => section(/** @type {Sections | null} */ (null), {
  init() {
    const { view, session } = shared;
    if (!shared.start(this, ".key-view", () => void this.told())) return;
    this.startRings();
    this.startClashes();
    this.show();
    this.showKey();
    view.scope.add(session.watch(() => this.showKeys()));
    shared.begin(this);
    Object.assign(shared.app, { key: this });
  },

  destroy() {
    shared.view.end();
  },

  async told() {
    this.show();
    if (await shared.ask()) this.showKey();
  },

  show() {
    this.showInHand();
    this.showParts();
    this.showHearing();
  },

  /** All that tells of the key. */
  showKey() {
    this.showRings();
    this.showKeys();
    void this.showClash();
  },

  /** @returns {import("../ui/keys.js").Binding[]} */
  bindings() {
    return [
      ...handKeys(this, { key: "M", does: "as now / as before the last change", run: () => this.toggleBefore() }),
      { key: "Escape", does: "let go", run: () => this.hearing && this.stopHearing() },
      { key: "+ or =", does: "a semitone up", repeats: true, run: () => this.setOwnShift(this.ownShift + 1) },
      { key: "-", does: "a semitone down", repeats: true, run: () => this.setOwnShift(this.ownShift - 1) },
      { key: "F", does: "follow the song's key, or keep its own", run: () => this.toggleFollow() },
      { key: "G", does: "correct the tuning", run: () => this.correctTuning() },
      { key: "ArrowLeft", does: "the bar before, in the table of clashes", repeats: true, run: () => this.stepCell(0, -1) },
      { key: "ArrowRight", does: "the next bar", repeats: true, run: () => this.stepCell(0, 1) },
      { key: "ArrowUp", does: "the strand above", repeats: true, run: () => this.stepCell(-1, 0) },
      { key: "ArrowDown", does: "the strand below", repeats: true, run: () => this.stepCell(1, 0) },
    ];
  },

  /** At the same place, as it was before the last change. */
  toggleBefore() {
    if (this.way === "against") this.setWay("fitted");
    else if (this.others.some((o) => o.key === "before")) this.compareWith("before");
  },
});

// @ts-check
/** Key: the notes in hand against the song's key, by how much it is shifted, and what it clashes with. */

import { clashes } from "../key/clashes.js";
import { notes } from "../key/notes.js";
import { Shared } from "../key/shared.js";
import { keepSections } from "../fit/shared.js";
import { inHandBar } from "../hand/bar.js";
import { hearing } from "../hand/hearing.js";
import { joined, section } from "../sections.js";

/** @typedef {import("../sections.js").All<ReturnType<typeof inHandBar | typeof hearing | typeof notes | typeof clashes>>} Sections */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const keyView = (session, app) => () => {
  const shared = new Shared(session, app);
  return joined(inHandBar(shared), hearing(shared), notes(shared), clashes(shared), together(shared));
};

/** What starts the sections, shows them anew and gives them keys. @param {Shared} shared */
const together = (shared) => section(/** @type {Sections | null} */ (null), {
  init() {
    const { view, held, session } = shared;
    if (held.isEmpty) return;
    held.fields = { selector: ".key-view", values: this };
    held.told = () => {
      this.show();
      void shared.ask().then((done) => done && this.showKey());
    };
    Object.assign(shared.listener, {
      isHeard: () => this.hearing && this.way === "fitted" && !this.seamMode,
      withRest: () => this.withRest,
      say: (/** @type {string} */ text) => { this.dragText = text; },
      hearAgain: () => this.hearOn(),
    });
    view.keys(this.bindings());
    keepSections(view.scope);
    this.startRings();
    this.startClashes();
    this.show();
    this.showKey();
    view.scope.add(session.watch(() => this.showKeys()));
    view.eachFrame(() => {
      this.showPlace();
      this.watchHearing();
    });
    held.begin();
    Object.assign(shared.app, { key: this });
  },

  destroy() {
    shared.view.end();
  },

  show() {
    this.showInHand();
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
      { key: "Enter", does: "hear what is in hand", run: () => this.toggleHear() },
      { key: "R", does: "as recorded / as fitted", run: () => this.setWay(this.way === "recorded" ? "fitted" : "recorded") },
      { key: "M", does: "as now / as before the last change", run: () => this.toggleBefore() },
      { key: "S", does: "hear the seam", run: () => this.hearSeam() },
      { key: "A", does: "alone / with the rest", run: () => this.toggleRest() },
      { key: "P", does: "place at the playhead's bar", run: () => this.place() },
      { key: "Escape", does: "let go", run: () => this.hearing && this.stopHearing() },
      { key: "+ or =", does: "a semitone up", repeats: true, run: () => this.setOwnShift(shared.key.shift + 1) },
      { key: "-", does: "a semitone down", repeats: true, run: () => this.setOwnShift(shared.key.shift - 1) },
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

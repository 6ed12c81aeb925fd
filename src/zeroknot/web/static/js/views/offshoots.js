// @ts-check
/** Offshoots: a loop's family, heard one after another; more of it is grown, and what is good is kept. */

import { alike } from "../offshoots/alike.js";
import { growing } from "../offshoots/growing.js";
import { fileWays } from "../file-ways.js";
import { handing } from "../offshoots/handing.js";
import { one } from "../offshoots/one.js";
import { picture } from "../offshoots/picture.js";
import { Shared } from "../offshoots/shared.js";
import { joined, section } from "../sections.js";
import { ways } from "../offshoots/ways.js";
import { keepSections } from "../ui/side.js";

/** @typedef {import("../sections.js").All<ReturnType<typeof picture | typeof one | typeof growing | typeof alike | typeof ways | typeof handing | typeof fileWays>>} Sections */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const offshoots = (session, app) => () => {
  const shared = new Shared(session, app);
  return joined(picture(shared), one(shared), growing(shared), alike(shared), ways(shared), fileWays(session), handing(shared), together(shared));
};

/** @param {Shared} shared */
const together = (shared) => section(/** @type {Sections | null} */ (null), {
  init() {
    const { view, session } = shared;
    if (!shared.start) return;
    view.keys(this.bindings());
    keepSections(view.scope);
    this.startGrowing();
    this.startPicture();
    void this.startWays();
    view.eachFrame(() => this.watchHearing());
    let seen = session.state.revision;
    view.scope.add(session.watch(() => {
      if (session.state.revision === seen) return;
      seen = session.state.revision;
      void this.told();
    }));
    // A loop of it comes onto the shelf or leaves it, by an undo that began with the project, too.
    view.scope.add(session.hear((event) => {
      if (["shelf", "missed"].includes(event.kind)) void this.told();
    }));
    view.scope.add(() => shared.app.stopHand());
    void this.told();
    Object.assign(shared.app, { offshoots: this });
  },

  destroy() {
    shared.view.end();
  },

  async told() {
    if (!await shared.ask()) return;
    this.showFamily();
    this.showOne();
  },

  /** @returns {import("../ui/keys.js").Binding[]} */
  bindings() {
    return [
      { key: "Enter", does: "hear it, or stop", run: () => this.toggleHear() },
      { key: "Escape", does: "stop hearing", run: () => this.hearing && this.stopHearing() },
      { key: "ArrowLeft", does: "to what it came from", repeats: true, run: () => this.walk("left") },
      { key: "ArrowRight", does: "to what grew from it", repeats: true, run: () => this.walk("right") },
      { key: "ArrowUp", does: "the one above", repeats: true, run: () => this.walk("up") },
      { key: "ArrowDown", does: "the one below", repeats: true, run: () => this.walk("down") },
      { key: "I", does: "the original beside it", run: () => this.toggleOriginal() },
      { key: "M", does: "mark it, to compare others with", run: () => this.mark() },
      { key: "X", does: "it and the one marked, or heard before", run: () => this.toggleOther() },
      { key: "A", does: "alone / with the rest", run: () => this.toggleRest() },
      { key: "L", does: "hear all, one after another", run: () => this.toggleTurn() },
      { key: "K", does: "keep it: print it to the shelf", run: () => this.keep() },
      { key: "Delete or Backspace", does: "drop it", run: () => this.drop() },
      { key: "H", does: "to your heart, or not", run: () => this.heart() },
      { key: "N", does: "name it", run: () => document.getElementById("one-name")?.focus() },
      { key: "P", does: "place at the playhead's bar", run: () => this.place() },
      { key: "E", does: "open its recipe in Slices", run: () => this.open("slices") },
      { key: "G", does: "grow more of it", run: () => this.grow() },
      { key: "1", does: "backwards", run: () => this.quick("reverse") },
      { key: "2", does: "half speed", run: () => this.quick("half") },
      { key: "3", does: "double speed", run: () => this.quick("double") },
      { key: "4", does: "down four", run: () => this.quick("down") },
      { key: "5", does: "a held moment", run: () => this.quick("hold") },
      { key: "6", does: "chop to eighths and deal", run: () => this.quick("chop") },
      { key: "S", does: "what on the shelf sounds like it", run: () => this.askLike() },
      { key: "F", does: "fold what grew from it", run: () => shared.focused && this.fold(shared.focused) },
      { key: "+ or =", does: "closer", repeats: true, run: () => this.zoomBy(1.25) },
      { key: "-", does: "farther away", repeats: true, run: () => this.zoomBy(0.8) },
      { key: "W", does: "the whole family", run: () => this.showWhole() },
    ];
  },
});

// @ts-check
/** Fit: the loom, and beside it what the loop is, what it is laid on, and how it is stretched. */

import { counting } from "../fit/count.js";
import { knots } from "../fit/knots.js";
import { laid } from "../fit/laid.js";
import { reading } from "../fit/reading.js";
import { Shared } from "../fit/shared.js";
import { seam } from "../fit/seam.js";
import { stretching } from "../fit/stretching.js";
import { taking } from "../fit/take.js";
import { inHandBar } from "../hand/bar.js";
import { hearing } from "../hand/hearing.js";
import { partsHeard } from "../hand/parts.js";
import { printing } from "../hand/printing.js";
import { handKeys } from "../hand/shared.js";
import { joined, section } from "../sections.js";
import { keyOf } from "../ui/chords.js";
import { reveal } from "../ui/side.js";

/** @typedef {import("../sections.js").All<ReturnType<typeof inHandBar | typeof hearing | typeof partsHeard | typeof reading | typeof counting | typeof taking | typeof laid | typeof knots | typeof seam | typeof stretching | typeof printing>>} Sections */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const fit = (session, app) => () => {
  const shared = new Shared(session, app);
  return joined(
    inHandBar(shared), hearing(shared), partsHeard(shared), reading(shared), counting(shared), taking(shared), laid(shared), knots(shared), seam(shared), stretching(shared), printing(shared),
    together(shared),
  );
};

/** What starts the sections, shows them anew and gives them keys. @param {Shared} shared */
const together = (shared) => section(/** @type {Sections | null} */ (null), {
  init() {
    if (!shared.start(this, ".fit", () => this.show())) return;
    this.startLoom();
    this.show();
    this.startEdges();
    shared.begin(this);
  },

  destroy() {
    shared.view.end();
  },

  show() {
    this.showInHand();
    this.showReading();
    this.showProposals();
    this.showTake();
    this.showLaid();
    this.showSeam();
    this.showStretch();
    this.showParts();
    this.showPrint();
    this.showChosen();
    this.showHearing();
  },

  /** A section of the side, asked for. @param {string} name */
  jump(name) {
    reveal(name, true);
  },

  letGo() {
    if (shared.stage?.letGo()) return;
    if (this.hearing) this.stopHearing();
  },

  /** @returns {import("../ui/keys.js").Binding[]} */
  bindings() {
    return [
      ...handKeys(this, { key: "M", does: "as fitted / by the method compared", run: () => this.against && this.setWay(this.way === "against" ? "fitted" : "against") }),
      { key: "Escape", does: "let go", run: () => this.letGo() },
      { key: "+ or =", does: "closer", repeats: true, run: () => this.zoom(1.5) },
      { key: "-", does: "wider", repeats: true, run: () => this.zoom(1 / 1.5) },
      { key: "W", does: "the whole", run: () => this.showAll() },
      { key: "E", does: "what is chosen fills the loom", run: () => this.showRange() },
      { key: "L", does: "rails together / apart", run: () => this.toggleTogether() },
      { key: "Y", does: "follow the playhead", run: () => this.toggleFollow() },
      { key: "K", does: "tie a knot at the playhead or the cursor", run: () => this.tieHere() },
      { key: "[", does: "the knot before", repeats: true, run: () => this.stepKnot(-1) },
      { key: "]", does: "the next knot", repeats: true, run: () => this.stepKnot(1) },
      { key: "Delete or Backspace", does: "remove what is chosen", run: () => this.removeChosen() },
      { key: "T", does: "tap along with what is heard", run: (event) => this.tapAlong(event.timeStamp) },
      { key: "1 or 2 or 3 or 4 or 5 or 6 or 7 or 8 or 9", does: "it is so many bars, while it is heard", run: (e) => this.countBars(Number(keyOf(e))) },
      { key: ",", does: "the chosen stretch begins at the playhead or the cursor", run: () => this.markEdge(0) },
      { key: ".", does: "the chosen stretch ends there", run: () => this.markEdge(1) },
      { key: "X", does: "the chosen stretch to zero crossings", run: () => this.snapToZero() },
      { key: "F", does: "fasten what is chosen, or loosen it", run: () => this.toggleFasten() },
      { key: "G", does: "straighten", run: () => this.straighten() },
      { key: "ArrowLeft or Alt+ArrowLeft", does: "chosen knots to the grid line before (Alt: a hundredth of a beat); scroll back", repeats: true, run: (e) => this.arrow(-1, e) },
      { key: "ArrowRight or Alt+ArrowRight", does: "chosen knots to the next grid line; scroll on", repeats: true, run: (e) => this.arrow(1, e) },
      { key: "Shift+ArrowLeft or Alt+Shift+ArrowLeft", does: "ten times as far", repeats: true, run: (e) => this.arrow(-1, e) },
      { key: "Shift+ArrowRight or Alt+Shift+ArrowRight", does: "ten times as far", repeats: true, run: (e) => this.arrow(1, e) },
    ];
  },
});

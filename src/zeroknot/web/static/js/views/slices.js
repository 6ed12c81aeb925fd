// @ts-check
/** Slices: what is in hand cut up, its pieces treated and put into a new order. */

import { inHandBar } from "../hand/bar.js";
import { hearing } from "../hand/hearing.js";
import { printing } from "../hand/printing.js";
import { handKeys } from "../hand/shared.js";
import { joined, section } from "../sections.js";
import { ordering } from "../slices/ordering.js";
import { kit } from "../slices/kit.js";
import { live } from "../slices/live.js";
import { notes } from "../slices/notes.js";
import { out } from "../slices/out.js";
import { pads } from "../slices/pads.js";
import { pictured } from "../slices/picture.js";
import { played } from "../slices/played.js";
import { pieces } from "../slices/pieces.js";
import { Shared } from "../slices/shared.js";

/** @typedef {import("../sections.js").All<ReturnType<typeof inHandBar | typeof hearing | typeof pictured | typeof pieces | typeof ordering | typeof pads | typeof played | typeof out | typeof kit | typeof live | typeof notes | typeof printing>>} Sections */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const slices = (session, app) => () => {
  const shared = new Shared(session, app);
  return joined(
    inHandBar(shared), hearing(shared), pictured(shared), pieces(shared), ordering(shared), pads(shared), played(shared), out(shared), kit(shared), live(shared), notes(shared), printing(shared), together(shared),
  );
};

/** What starts the sections, shows them anew and gives them keys. @param {Shared} shared */
const together = (shared) => section(/** @type {Sections | null} */ (null), {
  init() {
    if (!shared.start(this, ".slices", () => void this.told())) return;
    this.startPicture();
    this.secondHere = () => this.secondHeard();
    this.show();
    this.showSlices();
    this.startPads();
    this.startPlayed();
    this.startNotes();
    this.startLive();
    void this.askEdges();
    shared.begin(this);
    // For tests that look at what is drawn.
    Object.assign(shared.app, { slices: this });
  },

  destroy() {
    shared.view.end();
  },

  async told() {
    this.show();
    if (!await shared.ask()) return;
    this.showSlices();
    void this.loadPads();
    void this.askEdges();
    void this.askLanes();
  },

  show() {
    this.showInHand();
    this.showHearing();
    this.showPrint();
  },

  /** All that tells of slices and tiles. */
  showSlices() {
    this.showPicture();
    this.showPieces();
    this.showOrdering();
    this.showPads();
    this.showPlayed();
  },

  letGoOf() {
    if (this.letChoiceGo()) return;
    if (shared.lanePicked.size) return this.pickNotes([]);
    if (this.hearing) this.stopHearing();
  },

  /** @returns {import("../ui/keys.js").Binding[]} */
  bindings() {
    return [
      ...handKeys(this, { key: "M", does: "chosen tiles, or slices, muted", run: () => this.mute() }),
      { key: "Escape", does: "let go", run: () => this.letGoOf() },
      { key: "+ or =", does: "closer", repeats: true, run: () => this.zoom(1.5) },
      { key: "-", does: "wider", repeats: true, run: () => this.zoom(1 / 1.5) },
      { key: "W", does: "the whole", run: () => this.showAll() },
      { key: ",", does: "the slice before", repeats: true, run: () => this.stepPiece(-1) },
      { key: ".", does: "the next slice", repeats: true, run: () => this.stepPiece(1) },
      { key: "[", does: "the tile, or note, before", repeats: true, run: () => (this.showsNotes ? this.stepNote(-1) : this.stepTile(-1)) },
      { key: "]", does: "the next tile, or note", repeats: true, run: () => (this.showsNotes ? this.stepNote(1) : this.stepTile(1)) },
      { key: "K", does: "cut where it is heard", run: () => this.cutHere() },
      { key: "H", does: "cut the chosen slice in half", run: () => this.mend("split") },
      { key: "J", does: "join the chosen slice to the one before", run: () => this.mend("join") },
      { key: "ArrowLeft", does: "chosen tiles earlier; the chosen cut 1 ms earlier", repeats: true, run: () => this.arrow(-1, 1) },
      { key: "ArrowRight", does: "chosen tiles later; the chosen cut 1 ms later", repeats: true, run: () => this.arrow(1, 1) },
      { key: "Shift+ArrowLeft", does: "by a bar; by 10 ms", repeats: true, run: () => this.arrow(-1, 10) },
      { key: "Shift+ArrowRight", does: "by a bar; by 10 ms", repeats: true, run: () => this.arrow(1, 10) },
      { key: "ArrowUp", does: "tiles louder, notes a semitone up", repeats: true, run: () => (this.showsNotes ? this.nudgeNotes(0, 1) : this.raiseTiles(1, 0)) },
      { key: "ArrowDown", does: "tiles softer, notes a semitone down", repeats: true, run: () => (this.showsNotes ? this.nudgeNotes(0, -1) : this.raiseTiles(-1, 0)) },
      { key: "Shift+ArrowUp", does: "tiles a semitone up, notes an octave", repeats: true, run: () => (this.showsNotes ? this.nudgeNotes(0, 12) : this.raiseTiles(0, 1)) },
      { key: "Shift+ArrowDown", does: "tiles a semitone down, notes an octave", repeats: true, run: () => (this.showsNotes ? this.nudgeNotes(0, -12) : this.raiseTiles(0, -1)) },
      { key: "B", does: "chosen tiles, or slices, backwards", run: () => this.backwards() },
      { key: "E", does: "chosen tiles as a roll", run: () => this.rollTiles() },
      { key: "Shift+E", does: "the roll rising, falling, even", run: () => this.riseTiles() },
      { key: "X", does: "two chosen tiles change places", run: () => this.canSwap && this.treatPicked("swap") },
      { key: "N", does: "tiles once more; a note more behind", run: () => (this.showsNotes ? this.addNext() : this.hasTiles && this.treatPicked("repeat")) },
      { key: "Y", does: "what the chosen tiles play, at once", run: () => this.stackTiles() },
      { key: "Q", does: "chosen notes, or all, to the grid", run: () => this.showsNotes && this.treatNotes("grid", { step: Number(this.laneStep) }) },
      { key: "<", does: "chosen notes shorter", repeats: true, run: () => this.lengthenNotes(-1) },
      { key: ">", does: "chosen notes longer", repeats: true, run: () => this.lengthenNotes(1) },
      { key: "U", does: "resolution of the chosen tiles doubled", run: () => this.treatPicked("double") },
      { key: "Shift+U", does: "halved", run: () => this.treatPicked("halve") },
      { key: "Delete or Backspace", does: "tiles, notes or the chosen cut away", run: () => this.removeChosen() },
      { key: "D", does: "deal again", run: () => this.deal(false) },
      { key: "Shift+D", does: "deal like for like", run: () => this.deal(true) },
      { key: "L", does: "chosen tiles stay when dealt", run: () => this.toggleStay() },
      { key: "G", does: "to the pads", run: () => this.focusPads() },
      { key: "Shift+R", does: "record what is played on the pads, or stop", run: () => this.toggleRecord() },
      { key: "Shift+C", does: "catch what was played", run: () => this.catchPlayed() },
    ];
  },

  /** @param {number} by @param {number} times */
  arrow(by, times) {
    if (this.showsNotes) return this.nudgeNotes(times === 1 ? by : (by * shared.facts.per_bar) / Number(this.laneStep), 0);
    if (shared.picked.size) {
      if (times === 1) this.nudgeTiles(by);
      else void shared.change({ kind: "move_tiles", which: [...shared.picked], by: by * shared.facts.per_bar });
      return;
    }
    const [index] = shared.meant;
    if (!index) return;
    // The next press counts from this one, whenever its answer comes.
    const second = shared.facts.edges[index] + (by * times) / 1000;
    shared.facts.edges[index] = second;
    void shared.change({ kind: "mend_cut", how: "move", index, second });
  },

  backwards() {
    if (shared.picked.size) this.toggleTile("reverse");
    else if (shared.chosen.size) this.togglePiece("reverse");
  },

  mute() {
    if (shared.picked.size) this.toggleTile("muted");
    else if (shared.chosen.size) this.togglePiece("muted");
  },

  removeChosen() {
    if (this.showsNotes) return this.treatNotes("remove");
    if (shared.picked.size) this.treatPicked("remove");
    else if (shared.chosen.size) this.mend("join");
  },
});

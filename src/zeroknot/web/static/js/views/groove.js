// @ts-check
/** Groove: what is in hand takes the feel of another loop, of a swing, of the song. */

import { amounts } from "../groove/amounts.js";
import { kept } from "../groove/kept.js";
import { pictured } from "../groove/picture.js";
import { Shared } from "../groove/shared.js";
import { songGroove } from "../groove/song.js";
import { inHandBar } from "../hand/bar.js";
import { hearing } from "../hand/hearing.js";
import { handKeys } from "../hand/shared.js";
import { joined, section } from "../sections.js";

/** @typedef {import("../sections.js").All<ReturnType<typeof inHandBar | typeof hearing | typeof pictured | typeof amounts | typeof kept | typeof songGroove>>} Sections */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const groove = (session, app) => () => {
  const shared = new Shared(session, app);
  return joined(inHandBar(shared), hearing(shared), pictured(shared), amounts(shared), kept(shared), songGroove(shared), together(shared));
};

/** What starts the sections, shows them anew and gives them keys. @param {Shared} shared */
const together = (shared) => section(/** @type {Sections | null} */ (null), {
  init() {
    const { view, held, session } = shared;
    if (!shared.start(this, ".groove", () => void this.told())) return;
    this.takeBars = String(Math.max(1, Math.min(16, Math.floor(held.hand.span / session.state.beats_per_bar + 1e-6))));
    this.evenGrid = shared.facts.grids[0]?.per_beat ?? 4;
    this.startPicture();
    this.show();
    this.showGroove();
    view.scope.add(session.watch(() => this.showGroove()));
    view.scope.add(session.hear((event) => {
      if (event.kind === "grooves" || event.kind === "missed") this.searchAgain();
    }));
    shared.begin(this);
    // For tests that look at what is drawn.
    Object.assign(shared.app, { groove: this });
  },

  destroy() {
    shared.view.end();
  },

  async told() {
    this.show();
    if (await shared.ask()) this.showGroove();
  },

  show() {
    this.showInHand();
    this.showHearing();
  },

  /** All that tells of grooves. */
  showGroove() {
    this.showAmounts();
    this.showKept();
    this.showSong();
    this.showPicture();
  },

  letGoOf() {
    if (this.letStepGo()) return;
    if (this.hearing) this.stopHearing();
  },

  /** @returns {import("../ui/keys.js").Binding[]} */
  bindings() {
    return [
      ...handKeys(this, { key: "M", does: "with the groove / without it", run: () => this.toggleWithout() }),
      { key: "B", does: "the groove's steps ticked beside", run: () => this.toggleClicks() },
      { key: "Escape", does: "let go", run: () => this.letGoOf() },
      { key: "+ or =", does: "closer", repeats: true, run: () => this.zoom(1.5) },
      { key: "-", does: "wider", repeats: true, run: () => this.zoom(1 / 1.5) },
      { key: "W", does: "the whole", run: () => this.showAll() },
      { key: "[", does: "the hit before", repeats: true, run: () => this.stepHit(-1) },
      { key: "]", does: "the next hit", repeats: true, run: () => this.stepHit(1) },
      { key: ",", does: "the step before", repeats: true, run: () => this.chooseStep(-1) },
      { key: ".", does: "the next step", repeats: true, run: () => this.chooseStep(1) },
      { key: "ArrowLeft", does: "the chosen step earlier", repeats: true, run: () => this.nudge(-1, 0, false) },
      { key: "ArrowRight", does: "the chosen step later", repeats: true, run: () => this.nudge(1, 0, false) },
      { key: "Shift+ArrowLeft", does: "ten times as far", repeats: true, run: () => this.nudge(-1, 0, true) },
      { key: "Shift+ArrowRight", does: "ten times as far", repeats: true, run: () => this.nudge(1, 0, true) },
      { key: "ArrowUp", does: "the chosen step louder", repeats: true, run: () => this.nudge(0, 1, false) },
      { key: "ArrowDown", does: "the chosen step softer", repeats: true, run: () => this.nudge(0, -1, false) },
      { key: "T", does: "take a groove", run: () => this.take() },
      { key: "Delete or Backspace", does: "take the groove off", run: () => this.takeOff() },
    ];
  },

  /** The steps of the groove shown, ticked beside what is heard. */
  toggleClicks() {
    this.clicks = this.clicks ? "" : shared.shownId || "laid";
    if (this.hearing) void this.hearOn();
    else if (this.clicks) this.toggleHear();
  },

  /** Against itself without the groove, at the same place. */
  toggleWithout() {
    if (!this.isLaid) return;
    if (this.way === "against") this.setWay("fitted");
    else this.compareWith("ungrooved");
  },
});

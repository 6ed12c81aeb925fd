// @ts-check
/** What the sections of Fit share, and what they may ask of one another. */

import { Held } from "../hand/held.js";
import { Trial } from "../hand/trial.js";
import { View } from "../view.js";

/** @typedef {import("../loom/stage.js").LoomStage} LoomStage */
/**
 * @typedef {{
 *   hearing: boolean, way: string, seamMode: boolean, withRest: boolean, playhead: () => number | null, startHearing: (way: string) => Promise<void>,
 *   dragText: string, hasRange: boolean, chosenCount: number, knotSecond: string, isFastened: boolean,
 *   rangeChanged: () => void, setEdge: (edge: 0 | 1, at: number) => void, rangeReading: () => import("../types.js").FitIntent | null,
 * }} Whole
 */

export class Shared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
  constructor(session, app) {
    this.session = session;
    this.app = app;
    this.view = new View(session, "Fit");
    this.held = new Held(session, app, this.view);
    /** @type {LoomStage | null} */
    this.stage = null;
    /** Those that hold at the sensitivity that was chosen. @type {import("../types.js").Attack[]} */
    this.attacks = [];
    /** What is heard of what is tried; the sections say it once they are there. @type {import("../hand/trial.js").Listener} */
    this.listener = {
      isHeard: () => false, withRest: () => false, isOver: () => this.view.isOver, isHeld: () => !!this.stage?.isDragging,
      say: () => {}, hearAgain: () => {},
    };
    this.trial = new Trial(this.held, this.listener);
  }

  /** Only named for the sections' types: what the others have. @returns {Whole | null} */
  get whole() {
    return null;
  }

  get hand() {
    return this.held.hand;
  }
}

/** A section of the side comes into view, opened. @param {string} name @param {boolean} [isAsked] by a person: it gets the keys, too */
export function reveal(name, isAsked = false) {
  const found = document.querySelector(`details[data-section="${name}"]`);
  if (!found) return;
  found.setAttribute("open", "");
  found.scrollIntoView({ block: isAsked ? "start" : "nearest" });
  if (isAsked) found.querySelector("summary")?.focus({ preventScroll: true });
}

/** Sections of the side that were closed stay so, in this and other sessions. @param {import("../scope.js").Scope} scope */
export function keepSections(scope) {
  for (const one of document.querySelectorAll("details.section")) {
    const key = `zeroknot.section.${one.getAttribute("data-section")}`;
    if (localStorage.getItem(key) === "closed") one.removeAttribute("open");
    scope.on(one, "toggle", () => localStorage.setItem(key, one.hasAttribute("open") ? "open" : "closed"));
  }
}

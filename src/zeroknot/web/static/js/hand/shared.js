// @ts-check
/** What the sections of every view on what is in hand share, and how such a view begins. */

import { keepSections } from "../ui/side.js";
import { View } from "../view.js";
import { Held } from "./held.js";
import { Trial } from "./trial.js";

/** @typedef {import("../ui/keys.js").Binding} Binding */
/**
 * What a view on what is in hand has, whichever it is.
 * @typedef {{
 *   hearing: boolean, way: string, seamMode: boolean, withRest: boolean, dragText: string, against: string,
 *   bindings: () => Binding[], hearOn: () => void, showPlace: () => void, watchHearing: () => void, showInHand: () => void, showHearing: () => void,
 *   toggleHear: () => void, setWay: (way: string) => void, hearSeam: () => void, toggleRest: () => void, place: () => void, stopHearing: () => void,
 * }} OnHand
 */

export class HandShared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app @param {string} title of the view */
  constructor(session, app, title) {
    this.session = session;
    this.app = app;
    this.view = new View(session, title);
    this.held = new Held(session, app, this.view);
    /** Something is dragged. */
    this.isHeld = false;
    /** What is heard of what is tried; the sections say it once they are there. @type {import("./trial.js").Listener} */
    this.listener = {
      isHeard: () => false, withRest: () => false, isOver: () => this.view.isOver, isHeld: () => this.isHeld,
      say: () => {}, hearAgain: () => {},
    };
    this.trial = new Trial(this.held, this.listener);
  }

  get hand() {
    return this.held.hand;
  }

  /**
   * Its keys, and who is told; false where nothing is in hand.
   * @param {OnHand} whole @param {string} selector of what shows its fields @param {() => void} told what is in hand is another
   */
  start(whole, selector, told) {
    const { held, view } = this;
    if (held.isEmpty) return false;
    held.shownIn = selector;
    held.told = told;
    Object.assign(this.listener, {
      isHeard: () => whole.hearing && whole.way === "fitted" && !whole.seamMode,
      withRest: () => whole.withRest,
      say: (/** @type {string} */ text) => { whole.dragText = text; },
      hearAgain: () => whole.hearOn(),
    });
    view.keys(whole.bindings());
    keepSections(view.scope);
    return true;
  }

  /** It is shown: from now on it is followed. @param {OnHand} whole */
  begin(whole) {
    this.view.eachFrame(() => {
      whole.showPlace();
      whole.watchHearing();
    });
    this.held.begin();
  }
}

/** Keys that hear what is in hand and place it. @param {OnHand} whole @param {Binding} compare the view's own M @returns {Binding[]} */
export const handKeys = (whole, compare) => [
  { key: "Enter", does: "hear what is in hand", run: () => whole.toggleHear() },
  { key: "R", does: "as recorded / as fitted", run: () => whole.setWay(whole.way === "recorded" ? "fitted" : "recorded") },
  compare,
  { key: "S", does: "hear the seam", run: () => whole.hearSeam() },
  { key: "A", does: "alone / with the rest", run: () => whole.toggleRest() },
  { key: "P", does: "place at the playhead's bar", run: () => whole.place() },
];

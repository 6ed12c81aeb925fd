// @ts-check
/** What the sections of the Groove view share. */

import { getJson, post } from "../net/api.js";
import { HandShared } from "../hand/shared.js";

/** @typedef {import("../types.js").HandGroove} HandGroove */
/** @typedef {import("../types.js").KeptGroove} KeptGroove */
/** @typedef {{hearing: boolean, way: string, seamMode: boolean, withRest: boolean, dragText: string, row: string, showPicture: () => void, showGroove: () => void}} Whole */

export class Shared extends HandShared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
  constructor(session, app) {
    super(session, app, "Groove");
    /** What it does to what is in hand. @type {HandGroove} */
    this.facts = app.viewData().groove;
    /** While something is dragged: what it would do. @type {HandGroove | null} */
    this.tried = null;
    /** A kept groove that is looked at, though another is laid. */
    this.lookedAt = "";
    /** A kept groove to compare with. */
    this.compared = "";
  }

  /** Only named for the sections' types: what the others have. @returns {Whole | null} */
  get whole() {
    return null;
  }

  /** @returns {KeptGroove[]} */
  get kept() {
    return this.session.state.grooves;
  }

  /** The kept groove that is laid over what is in hand, or was before it was changed there. */
  get laidKept() {
    return this.kept.find((k) => k.id === this.facts.laid?.kept) ?? null;
  }

  /** What the picture shows: the groove looked at, else the one laid. */
  get shown() {
    return this.kept.find((k) => k.id === this.lookedAt) ?? this.laidKept ?? this.facts.laid?.groove ?? null;
  }

  /** Its id where it is kept, so can be drawn. */
  get shownId() {
    return this.lookedAt || this.laidKept?.id || "";
  }

  /** Ask anew what it does. */
  async ask() {
    const found = await this.view.ask("groove", (signal) => getJson(`${this.held.path}/groove?beat=${this.held.beat}`, signal));
    if (found) [this.facts, this.tried] = [found, null];
    return !!found;
  }

  /** What it would do, while something is dragged. @param {import("../types.js").FitIntent} intent */
  async tryOut(intent) {
    this.trial.want(intent);
    const body = { intent: { ...intent, hand: this.held.name }, beat: this.held.beat };
    const found = await this.view.ask("groove", (signal) => post(`${this.held.path}/groove/trial`, body, { signal }));
    if (found && this.isHeld) this.tried = found;
  }
}

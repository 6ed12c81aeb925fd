// @ts-check
/** What the sections of the Key view share. */

import { getJson, post } from "../net/api.js";
import { HandShared } from "../hand/shared.js";

/** @typedef {{hearing: boolean, way: string, seamMode: boolean, withRest: boolean, dragText: string, showKey: () => void, showRings: () => void}} Whole */

export class Shared extends HandShared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
  constructor(session, app) {
    super(session, app, "Key");
    /** @type {import("../types.js").HandKey} */
    this.key = app.viewData().in_key;
    /** @type {import("../types.js").HandClash | null} */
    this.clash = null;
  }

  /** Only named for the sections' types: what the others have. @returns {Whole | null} */
  get whole() {
    return null;
  }

  /** Ask anew what the key does to it. */
  async ask() {
    const found = await this.view.ask("key", (signal) => getJson(`${this.held.path}/key?beat=${this.held.beat}`, signal));
    // What was asked for since is on its way: showing this would show a step back.
    if (!found || this.session.saving > 0) return false;
    this.key = found;
    return true;
  }

  /** What it clashes with, or would after something is done. @param {import("../types.js").FitIntent | null} [intent] */
  async askClash(intent = null) {
    const found = await this.view.ask("clash", (signal) => (intent
      ? post(`${this.held.path}/clash/trial`, { intent: { ...intent, hand: this.held.name }, beat: this.held.beat }, { signal })
      : getJson(`${this.held.path}/clash`, signal)));
    if (found) this.clash = found;
    return !!found;
  }
}

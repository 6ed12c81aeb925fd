// @ts-check
/** What is dragged is heard before it is done: tried on the server, the latest wish next, one at a time. */

import { ApiError, post } from "../net/api.js";

/** @typedef {import("../types.js").FitIntent} Intent */
/**
 * isHeard: what is fitted is sounding; withRest: with the whole song; isOver: its view is gone; isHeld: it is still dragged
 * @typedef {{isHeard: () => boolean, withRest: () => boolean, isOver: () => boolean, isHeld: () => boolean,
 *   say: (text: string) => void, hearAgain: () => void}} Listener
 */

const MOST_WAIT_MS = 120;

export class Trial {
  /** @param {import("./held.js").Held} held @param {Listener} listener */
  constructor(held, listener) {
    this.held = held;
    this.listener = listener;
    /** @type {Intent | null} */
    this.wanted = null;
    this.isRunning = false;
    this.isHeard = false;
    /** @type {((value?: unknown) => void)[]} */
    this.waiting = [];
  }

  /** @param {Intent | null} intent null: nothing is tried any more */
  want(intent) {
    this.wanted = intent;
    if (!intent) this.end();
    else if (!this.isRunning && this.listener.isHeard()) void this.run();
  }

  /** Once what is tried now is told, or a moment has passed: what is heard goes before what is kept. @returns {Promise<unknown>} */
  told() {
    if (!this.isRunning) return Promise.resolve();
    return new Promise((done) => {
      this.waiting.push(done);
      setTimeout(done, MOST_WAIT_MS);
    });
  }

  /** What holds is heard again, unless that is what was tried. */
  end() {
    if (!this.isHeard || this.isRunning) return;
    this.isHeard = false;
    if (!this.listener.isHeard()) return;
    const { session, sheet } = this.held;
    if (this.listener.withRest()) void session.reloadSheet();
    else if (session.engine_?.hand.sheet?.digest !== sheet?.digest) this.listener.hearAgain();
  }

  async run() {
    const { held, listener } = this;
    this.isRunning = true;
    try {
      while (this.wanted) {
        const intent = this.wanted;
        this.wanted = null;
        const withRest = listener.withRest();
        const tried = await post(`${held.path}/trial`, {
          intent: { ...intent, hand: held.name }, beat: held.beat, with_rest: withRest, order: held.inOrder,
          heard: withRest ? null : held.session.engine().hand.expect(),
        });
        for (const done of this.waiting.splice(0)) done();
        if (!listener.isHeard() || listener.isOver()) break;
        this.isHeard = true;
        if (withRest) held.session.engine().song.adopt(tried.song);
        else held.session.engine().hand.hear(tried.sheet, "fitted", true);
      }
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      listener.say(error.message);
    } finally {
      this.isRunning = false;
      held.session.engine().hand.expectNothing();
      if (!listener.isHeld() && !listener.isOver()) this.end();
    }
  }
}

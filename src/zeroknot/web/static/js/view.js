// @ts-check
/**
 * What every view is made with: a scope that ends with it, questions of which the latest wins, keys,
 * pictures and intents. docs/architecture.md says how a view is put together.
 */

import { ApiError, isGivenUp } from "./net/api.js";
import { Scope } from "./scope.js";
import { eachFrame, picture } from "./ui/frames.js";
import { bindKeys } from "./ui/keys.js";

export class View {
  /** @param {import("./session.js").Session} session @param {string} title as `?` lists its keys */
  constructor(session, title) {
    this.session = session;
    this.title = title;
    this.scope = new Scope();
    /** @type {Map<string, AbortController>} */
    this.asking = new Map();
    this.scope.add(() => {
      for (const question of this.asking.values()) question.abort();
    });
  }

  get isOver() {
    return this.scope.ended;
  }

  /**
   * Ask something; an earlier question of that name is given up, as all are when the view ends.
   * @template T
   * @param {string} name @param {(signal: AbortSignal) => Promise<T>} question
   * @returns {Promise<T | null>} null where it was given up, or where a notice says why there is no answer
   */
  async ask(name, question) {
    this.asking.get(name)?.abort();
    const asking = new AbortController();
    this.asking.set(name, asking);
    try {
      const answer = await question(asking.signal);
      return asking.signal.aborted ? null : answer;
    } catch (error) {
      if (asking.signal.aborted || isGivenUp(error)) return null;
      if (!(error instanceof ApiError)) throw error;
      this.session.say(error.message, "error");
      return null;
    } finally {
      if (this.asking.get(name) === asking) this.asking.delete(name);
    }
  }

  /** Is a question of that name without an answer yet? @param {string} name */
  isAsking(name) {
    return this.asking.has(name);
  }

  /** @param {import("./types.js").Intent} intent @param {Promise<unknown>} [after] as of `Session.submit` @returns {Promise<boolean>} whether it was done */
  intent(intent, after) {
    return this.session.submit(intent, after);
  }

  /** @param {import("./ui/keys.js").Binding[]} bindings @param {() => boolean} [isActive] */
  keys(bindings, isActive) {
    this.scope.add(bindKeys(this.title, bindings, isActive));
  }

  /** @param {() => void} show called now and whenever the project or what is heard of it changes */
  watch(show) {
    show();
    this.scope.add(this.session.watch(show));
  }

  /** @param {() => void} step */
  eachFrame(step) {
    this.scope.add(eachFrame(step));
  }

  /** @type {typeof picture extends (canvas: infer A, looks: infer B, draw: infer C) => any ? (canvas: A, looks: B, draw: C) => void : never} */
  picture(canvas, looks, draw) {
    this.scope.add(picture(canvas, looks, draw));
  }

  end() {
    this.scope.end();
  }
}

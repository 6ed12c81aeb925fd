// @ts-check
/** What the sections of the shelf share, and what they may ask of one another. */

import { ApiError } from "../net/api.js";
import { Audition } from "./audition.js";
import { ShelfList } from "./list.js";

/** @typedef {import("../types.js").Facets} Facets */
/**
 * @typedef {{
 *   asked: Record<string, any>, isAsked: boolean, askKept: (search: Record<string, any>) => void, reload: () => Promise<void>,
 *   accept: (found: import("../types.js").Found) => void, search: () => Promise<void>, handFiles: (shas: string[], pack?: string | null) => Promise<void>, showNear: (found: import("../types.js").Found) => void, window: () => void, choose: (index: number, see?: boolean) => void,
 *   total: number, chosen: string, chosenIndex: number, picked: string[], picks: () => string[],
 *   hearing: string, withRest: boolean, start: (sha: string, atBar?: boolean) => Promise<void>, quiet: () => void,
 *   about: boolean, showAbout: () => Promise<void>,
 * }} Whole
 */

export class Shared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app @param {any} data what the page came with */
  constructor(session, app, data) {
    this.session = session;
    this.app = app;
    this.data = data;
    this.list = new ShelfList(data.page_rows, (message) => session.say(message, "error"));
    this.audition = new Audition();
    /** @type {Facets} */
    this.facets = data.found.facets;
    /** @type {HTMLElement | null} */
    this.scroller = null;
    /** @type {Promise<unknown>} what is being chosen, until it is known */
    this.picking = Promise.resolve();
    this.projectPath = `/p/${session.state.id}`;
  }

  /** Only named for the sections' types: what the others have. @returns {Whole | null} */
  get whole() {
    return null;
  }

  /** What the server says instead of doing it becomes a notice. @template T @param {() => Promise<T>} ask @returns {Promise<T | null>} */
  async tried(ask) {
    try {
      return await ask();
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.session.say(error.message, "error");
      return null;
    }
  }
}

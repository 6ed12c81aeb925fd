// @ts-check
/** What the sections of the Offshoots view share: the family, who is chosen, what is heard. */

import { getJson } from "../net/api.js";
import { View } from "../view.js";
import { treeOf } from "./model.js";

/** @typedef {import("./model.js").Member} Member */
/**
 * @typedef {{
 *   showFamily: () => void, showOne: () => void, told: () => Promise<void>, hear: (id: string) => Promise<void>, hearing: boolean, heard: string, withRest: boolean, beatHere: () => number, familyName: string, showFit: () => void, forgetLike: () => void, grown: (intent: import("../types.js").Intent, of?: string) => Promise<void>, handFiles: (shas: string[], pack?: string | null) => Promise<void>, setOrder: (by: "grown" | "fit" | "unlike") => Promise<void>, choose: (id: string) => void,
 * }} Whole
 */

export class Shared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
  constructor(session, app) {
    this.session = session;
    this.app = app;
    this.view = new View(session, "Offshoots");
    const { hand, shelved } = app.viewData();
    /** What was in hand when it was opened; "" for nothing. @type {string} */
    this.start = hand ?? "";
    this.shelved = shelved ?? "";
    /** @type {Member[]} */
    this.members = [];
    /** Of the members: another is another family. */
    this.version = 0;
    /** Whose children are not shown. @type {Set<string>} */
    this.folded = new Set();
    /** The one that the side panel tells of. */
    this.focused = "";
    /** The one that others are compared with. */
    this.marked = "";
    this.tree = treeOf([], this.folded);
    /** What was asked last. @type {Promise<boolean>} */
    this.asked = Promise.resolve(false);
    /** What was kept, and the loop it became; and back, for undo. @type {Map<string, string>} */
    this.became = new Map();
    /** Until what is being kept is there: what is grown meanwhile grows from that. @type {Promise<unknown>} */
    this.keeping = Promise.resolve();
    /** How each that was grown fits what plays. @type {Map<string, import("api").Rank>} */
    this.ranks = new Map();
    /** @type {"grown" | "fit" | "unlike"} */
    this.orderBy = "grown";
  }

  get path() {
    return this.session.path;
  }

  /** Only named for the sections' types: what the others have. @returns {Whole | null} */
  get whole() {
    return null;
  }

  /** @returns {Member | null} */
  get one() {
    return this.members.find((m) => m.id === this.focused) ?? null;
  }

  /** The family as it is now; false where nobody answers. Asked anew meanwhile, by whomever, that answer counts. */
  async ask() {
    let asked = this.askNow();
    this.asked = asked;
    let found = await asked;
    while (!found && this.asked !== asked) {
      asked = this.asked;
      found = await asked;
    }
    return found;
  }

  /** @returns {Promise<boolean>} */
  async askNow() {
    // By a loop, which stays, whatever of what was grown is dropped or undone.
    const of = this.root;
    const found = await this.view.ask("family", (signal) => getJson(`${this.path}/family/${of}`, signal));
    if (!found) return false;
    this.members = found.members;
    const ids = new Set(this.members.map((m) => m.id));
    if (!ids.has(this.focused)) this.focused = [this.became.get(this.focused) ?? "", this.start, this.shelved].find((id) => ids.has(id)) ?? this.members[0]?.id ?? "";
    if (!ids.has(this.marked)) this.marked = "";
    this.lay();
    return true;
  }

  /** As they were grown, or those that fit best first. Parents stay before their children. */
  get inOrder() {
    const { ranks, orderBy } = this;
    if (orderBy === "grown") return this.members;
    /** @param {Member} m */
    const rank = (m) => ranks.get(m.id)?.[orderBy] ?? -1;
    const grown = this.members.filter((m) => ranks.has(m.id)).sort((a, b) => rank(b) - rank(a));
    return [...this.members.filter((m) => !ranks.has(m.id)), ...grown];
  }

  /** The name that one is in hand by: itself, whatever the project has made of it. @param {string} id */
  nameOf(id) {
    return `~${id}`;
  }

  /** A loop of it that is always there. */
  get root() {
    return this.members.find((m) => m.kind === "source")?.id ?? this.start;
  }

  lay() {
    this.tree = treeOf(this.inOrder, this.folded);
    this.version += 1;
  }
}

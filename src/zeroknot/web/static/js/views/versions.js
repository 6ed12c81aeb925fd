// @ts-check
/** Versions of the project: what it was can be named, opened beside, gone back to. */

import { ApiError, getJson, post, postOnce } from "../net/api.js";
import { bindKeys } from "../ui/keys.js";

/** @typedef {import("../types.js").Version} Version */
/** @typedef {{number: number, name: string, called: string, about: string, isNamed: boolean, isNow: boolean}} Row */

/** @param {string} time */
const clock = (time) => new Date(time).toLocaleString([], { dateStyle: "medium", timeStyle: "short" });

/** @param {number} count */
const edits = (count) => `${count} edit${count === 1 ? "" : "s"}`;

/** @param {Version} version @returns {Row} */
const rowOf = (version) => ({
  number: version.number,
  name: version.name ?? "",
  called: version.name ?? version.label,
  about: `${version.label}, ${clock(version.made_at)}; ${version.edits ? `${edits(version.edits)} from now` : "as it is now"}`,
  isNamed: version.name !== null,
  isNow: version.edits === 0,
});

/** @param {import("../session.js").Session} session */
export const versions = (session) => () => ({
  /** @type {Row[]} those with a name */
  named: [],
  /** @type {Row[]} those that undo left */
  left: [],
  isKnown: false,

  init() {
    bindKeys("Project", [{ key: "V", does: "versions of the project", run: () => this.open() }]);
    session.hear((event) => {
      if (event.project === session.state.id && this.dialog().open) void this.load();
    });
  },

  dialog() {
    return /** @type {HTMLDialogElement} */ (document.getElementById("versions"));
  },

  open() {
    this.isKnown = false;
    this.dialog().showModal();
    void this.load();
  },

  close() {
    this.dialog().close();
  },

  get path() {
    return `${session.path}/versions`;
  },

  async load() {
    await this.tried(async () => {
      const found = (await getJson(this.path)).map(rowOf);
      this.named = found.filter((/** @type {Row} */ row) => row.isNamed);
      this.left = found.filter((/** @type {Row} */ row) => !row.isNamed);
      this.isKnown = true;
    });
  },

  /** What it is now is kept under a name. @param {SubmitEvent} event */
  async keep(event) {
    const field = /** @type {HTMLInputElement} */ (/** @type {HTMLFormElement} */ (event.target).elements.namedItem("name"));
    await session.settled(); // what is on its way is part of it
    const number = session.state.revision;
    await this.call({ number, name: this.named.find((row) => row.number === number)?.name ?? "" }, field.value);
    field.value = "";
  },

  /** @param {{number: number, name: string}} row @param {string} name nothing takes its name away */
  async call({ number, name: before }, name) {
    if (name.trim() !== before) await session.history.call(`${this.path}/${number}`, name.trim(), before);
    await this.load();
  },

  /** @param {Row} row */
  async back(row) {
    const done = await session.queue(() => postOnce(`${this.path}/${row.number}/back`, session.stands));
    if (!done) return;
    this.close();
    session.say(`The project is as it was in “${row.called}”. Undo brings back what you had.`);
  },

  /** @param {Row} row */
  async beside(row) {
    await this.tried(async () => {
      const made = await post(`${this.path}/${row.number}/beside`);
      const page = `/p/${made.id}/arrange`;
      if (!window.open(page, "_blank")) session.say("It is among the projects now.", "info", { label: "Go there", run: () => location.assign(page) });
    });
  },

  /** @param {() => Promise<unknown>} work */
  async tried(work) {
    try {
      await work();
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      session.say(error.message, "error");
    }
  },
});

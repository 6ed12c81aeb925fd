// @ts-check
/** Files on their way onto the shelf: sent one after another, counted while they are listened to. */

import { ApiError, getJson, post, putFile } from "../net/api.js";

/** @typedef {import("../types.js").BringItem} BringItem */
/** @typedef {{waiting: number, done: number, double: number, refused: number, opened: number}} Counts */

const AGAIN_MS = 1500;
const LONGEST_OUTAGE_MS = 120_000;
const LOOK_MS = 150;
const LONGEST_WAIT_MS = 600_000;

/** How far it is, and what gave trouble. @param {import("../session.js").Session} session */
export const bringing = (session) => () => ({
  /** @type {() => unknown} */
  ending: () => undefined,

  init() {
    this.ending = session.hear((event) => {
      if (event.kind === "bring") this.note(event.counts);
      else if (event.kind === "missed") void this.refresh();
    });
    void this.refresh();
  },

  destroy() {
    this.ending();
  },

  /** @type {Counts} */
  counts: { waiting: 0, done: 0, double: 0, refused: 0, opened: 0 },
  /** @type {{id: string, text: string, isThere: boolean, file: string, kept: string}[]} */
  troubles: [],
  troublesText: "",
  doublesText: "",

  /** @param {Counts} counts */
  note(counts) {
    const before = this.counts;
    this.counts = counts;
    const isSame = (/** @type {(keyof Counts)[]} */ ...states) => states.every((s) => counts[s] === before[s]);
    // What is refused once more takes the place of what was: there are as many as before.
    const isReplaced = isSame("done", "opened") && counts.waiting <= before.waiting;
    if (!isSame("refused", "double") || isReplaced) void this.refresh();
  },

  async refresh() {
    try {
      const said = await getJson("/api/bring");
      this.counts = said.counts;
      this.troubles = said.refused.map((/** @type {BringItem} */ item) => ({
        id: item.id, text: `${item.name}: ${item.reason}`, isThere: item.is_there,
        file: item.kept ? `/api/bring/items/${item.id}/file` : "",
        kept: item.kept && `Kept in the data folder as ${item.kept} until the list is cleared`,
      }));
      const more = said.counts.refused - said.refused.length;
      this.troublesText = more > 0 ? `and ${more} more that were refused` : "";
      // What is there already is no trouble: one line for all of it.
      this.doublesText = doublesText(said.counts.double, said.doubles.map((/** @type {BringItem} */ item) => item.name));
    } catch {
      this.troubles = [];
    }
  },

  get isBringing() {
    return this.counts.waiting + this.counts.done + this.counts.double + this.counts.refused > 0;
  },

  get bringShare() {
    const { waiting, done, double, refused } = this.counts;
    return (done + double + refused) / Math.max(1, waiting + done + double + refused);
  },

  get bringText() {
    const { waiting, done, double, refused } = this.counts;
    const parts = [];
    if (waiting) parts.push(`listening, ${waiting} to go`);
    if (done) parts.push(`${done} brought in`);
    if (double) parts.push(`${double} there already`);
    if (refused) parts.push(`${refused} refused`);
    return parts.join(" · ");
  },

  /** One that was refused, once more. @param {string} id */
  again(id) {
    post(`/api/bring/items/${id}/again`).catch((error) => session.say(error.message, "error"));
  },

  cancel() {
    post("/api/bring/cancel").catch(() => undefined);
  },

  forget() {
    post("/api/bring/forget").then(() => this.refresh()).catch(() => undefined);
  },
});

/** @param {number} count @param {string[]} names the first of them */
function doublesText(count, names) {
  if (!count) return "";
  if (count === 1) return `${names[0]} is on the shelf already.`;
  return `${count} are on the shelf already: ${names.join(", ")}${count > names.length ? "…" : ""}`;
}

/**
 * Send files one after another; each says for itself how it went. A server that goes away is waited
 * for, so that a restart loses nothing.
 * @param {import("../session.js").Session} session @param {{file: File, name: string}[]} files
 * @returns {Promise<BringItem[]>} as they were taken
 */
export async function bringIn(session, files) {
  if (!files.length) {
    session.say("There was no file in that.", "error");
    return [];
  }
  const taken = [];
  for (const { file, name } of files) {
    if (isHidden(name)) continue;
    const item = await sent(session, file, name);
    if (item) taken.push(item);
  }
  return taken;
}

/** @param {import("../session.js").Session} session @param {File} file @param {string} name @returns {Promise<BringItem | null>} */
async function sent(session, file, name) {
  const until = Date.now() + LONGEST_OUTAGE_MS;
  for (let said = false; ;) {
    try {
      return await putFile(`/api/incoming?name=${encodeURIComponent(name)}`, file);
    } catch (error) {
      const isGone = error instanceof ApiError && error.status === 0;
      if (!isGone || Date.now() > until) {
        session.say(error instanceof ApiError ? `${name}: ${error.message}` : `${name} could not be read.`, "error");
        return null;
      }
      // A file that changed or went meanwhile cannot be read either: that is its own fault.
      if (!(await file.slice(0, 1).arrayBuffer().then(() => true, () => false))) {
        session.say(`${name} could not be read.`, "error");
        return null;
      }
      if (!said) session.say("The server does not answer; the rest is sent when it is back.", "error");
      said = true;
      await new Promise((done) => setTimeout(done, AGAIN_MS));
    }
  }
}

/** What a system keeps for itself. @param {string} name */
const isHidden = (name) => name.split("/").some((part) => part.startsWith(".") && part !== "." && part !== "..") || name.includes("__MACOSX/");

/** Wait until a file is on the shelf; its hash, or null where it was refused. @param {string} id @returns {Promise<string | null>} */
export async function shelved(id) {
  const until = Date.now() + LONGEST_WAIT_MS;
  while (Date.now() < until) {
    /** @type {BringItem} */
    const item = await getJson(`/api/bring/items/${id}`);
    if (item.state === "done" || item.state === "double") return item.sha;
    if (item.state !== "waiting") return null;
    await new Promise((done) => setTimeout(done, LOOK_MS));
  }
  return null;
}

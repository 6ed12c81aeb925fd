// @ts-check
/**
 * What was done on this page, in the project or on the shelf: one undo for both, last thing first.
 *
 * What another tab did later is named, not taken back. Before what was done here comes what the
 * project's own history holds.
 */

import { ApiError, post, postOnce, remove } from "./net/api.js";
import { ended } from "./job.js";

/**
 * A change of loops on the shelf; something kept there by name that was forgotten, or is back; an edit of the project.
 * @typedef {{kind: "shelf", change: number, label: string}} OfLoops
 * @typedef {{kind: "kept", path: string, isThere: boolean, label: string}} OfKept
 * @typedef {OfLoops | OfKept | {kind: "project"}} Done
 */

export class TakenBack {
  /** @param {import("./session.js").Session} session */
  constructor(session) {
    this.session = session;
    /** @type {Done[]} */
    this.done = [];
    /** @type {Done[]} */
    this.undone = [];
    /** Revisions that came from elsewhere. @type {Set<number>} */
    this.foreign = new Set();
    this.newest = session.state.revision;
  }

  /** What undo would take back now, in words; nothing where there is nothing. */
  get undoLabel() {
    const last = this.done.at(-1);
    return last && last.kind !== "project" ? last.label : this.session.state.undo ?? "";
  }

  get redoLabel() {
    const last = this.undone.at(-1);
    return last && last.kind !== "project" ? last.label : this.session.state.redo ?? "";
  }

  /** The project stands at another revision. @param {number} revision @param {boolean} isOurs */
  stands(revision, isOurs) {
    if (!isOurs && revision > this.newest) this.foreign.add(revision);
    this.newest = Math.max(this.newest, revision);
  }

  /** @param {Done} done */
  did(done) {
    this.done.push(done);
    this.undone = [];
  }

  async undo() {
    await this.session.last; // what is on its way is the last thing done
    const last = this.done.at(-1);
    if (last?.kind === "shelf") return this.takeBack(this.done, this.undone, "taken back");
    if (last?.kind === "kept") return this.turn(this.done, this.undone, "taken back");
    const { session } = this;
    if (this.foreign.has(session.state.revision)) {
      session.say(`“${session.state.undo}” was done elsewhere after your last edit. It stays.`, "info", {
        label: "Undo it all the same",
        run: () => this.step(() => session.moveBack(), this.done, this.undone),
      });
      return false;
    }
    return this.step(() => session.moveBack(), this.done, this.undone);
  }

  async redo() {
    await this.session.last;
    const last = this.undone.at(-1);
    if (last?.kind === "shelf") return this.takeBack(this.undone, this.done, "done again");
    if (last?.kind === "kept") return this.turn(this.undone, this.done, "done again");
    return this.step(() => this.session.moveOn(), this.undone, this.done);
  }

  /** Forget something that is kept on the shelf by name. @param {string} path of it @param {string} name @returns {Promise<boolean>} */
  forget(path, name) {
    return this.session.inOrder(async () => {
      if (await this.set(path, false) !== "done") return false;
      this.did({ kind: "kept", path, isThere: false, label: `forget “${name}”` });
      return true;
    });
  }

  /** What was forgotten last comes back, or is forgotten again; where it is gone for good nothing waits for it. @param {Done[]} from @param {Done[]} to @param {string} said */
  turn(from, to, said) {
    const last = from.pop();
    if (last?.kind !== "kept") return false;
    return this.session.inOrder(async () => {
      const answer = await this.set(last.path, !last.isThere);
      if (answer === "gone") return false;
      const isDone = answer === "done";
      (isDone ? to : from).push(isDone ? { ...last, isThere: !last.isThere } : last);
      if (isDone) this.session.say(`Shelf: ${last.label}, ${said}.`);
      return isDone;
    });
  }

  /** @param {string} path @param {boolean} isThere @returns {Promise<"done" | "refused" | "gone">} */
  async set(path, isThere) {
    try {
      await (isThere ? post(`${path}/back`, {}, { again: true }) : remove(path));
      return "done";
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.session.say(error.message, "error");
      return error.status === 404 ? "gone" : "refused";
    }
  }

  /** @param {() => Promise<boolean>} move @param {Done[]} from @param {Done[]} to */
  async step(move, from, to) {
    if (!(await move())) return false;
    to.push(from.pop() ?? { kind: "project" });
    return true;
  }

  /** One change of the shelf, whatever was done since. @param {number} change */
  undoChange(change) {
    const at = this.done.findIndex((one) => one.kind === "shelf" && one.change === change);
    return this.takeBack(this.done, this.undone, "taken back", at);
  }

  /**
   * A change of the shelf is taken back, which is a change that can be taken back itself.
   * @param {Done[]} from @param {Done[]} to @param {string} said @param {number} [at] which; the last
   */
  async takeBack(from, to, said, at = from.length - 1) {
    const [last] = at < 0 ? [] : from.splice(at, 1);
    if (last?.kind !== "shelf") return false;
    return this.session.inOrder(async () => {
      try {
        const made = await postOnce(`/api/shelf/changes/${last.change}/undo`, {});
        const job = made.job ? await ended(this.session, made.job) : null;
        const change = job ? job.result : made;
        if (change?.id) to.push({ kind: "shelf", change: change.id, label: last.label });
        if (job?.state === "cancelled") {
          // What it came to stays; the rest can still be taken back.
          from.splice(at, 0, last);
          this.session.say(`Shelf: ${last.label}, stopped half-way. Undo goes on with it.`);
          return false;
        }
        const n = change.left_out;
        const left = n ? ` ${n === 1 ? "One loop was" : `${n} loops were`} changed since: that stays.` : "";
        this.session.say(`Shelf: ${last.label}, ${said}.${left}`);
        return true;
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        from.splice(at, 0, last);
        this.session.say(error.message, "error");
        return false;
      }
    });
  }
}

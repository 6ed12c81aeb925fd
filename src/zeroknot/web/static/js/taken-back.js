// @ts-check
/**
 * What was done on this page, in the project or on the shelf: one undo for both, last thing first.
 *
 * What another tab did later is named, not taken back. Before what was done here comes what the
 * project's own history holds.
 */

import { ApiError, post, postOnce, putJson, remove } from "./net/api.js";
import { ended } from "./job.js";

/**
 * A change of loops on the shelf; something that was kept by name, or forgotten; an edit of the project, with the
 * loop that it brought onto the shelf.
 * @typedef {{kind: "shelf", change: number, label: string, sha?: string}} OfLoops
 * @typedef {{kind: "named", label: string, back: () => Promise<unknown>, again: () => Promise<unknown>}} OfNames
 * @typedef {{kind: "project", loop?: OfLoops | null}} OfProject
 * @typedef {OfLoops | OfNames | OfProject} Done
 */

/** What a new loop on the shelf is to undo; nothing where it lay there already. @param {import("api").MadeLoop} made @returns {OfLoops | null} */
export const comingOf = ({ change, label, sha }) => (change === null ? null : { kind: "shelf", change, label, sha });

export class TakenBack {
  /** @param {import("./session.js").Session} session */
  constructor(session) {
    this.session = session;
    /** @type {Done[]} */
    this.done = [];
    /** @type {Done[]} */
    this.undone = [];
    /** Loops that were made here and lie on the shelf no more: undo took them off. @type {Set<string>} */
    this.unmade = new Set();
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
    this.turned(done.kind === "project" ? done.loop : done, false);
    this.session.changed();
  }

  /** @param {Done | null | undefined} what @param {boolean} isBack taken back, not done */
  turned(what, isBack) {
    if (what?.kind !== "shelf" || !what.sha) return;
    if (isBack) this.unmade.add(what.sha);
    else this.unmade.delete(what.sha);
  }

  async undo() {
    await this.session.last; // what is on its way is the last thing done
    const last = this.done.at(-1);
    if (last?.kind === "shelf") return this.takeBack(this.done, this.undone, "taken back");
    if (last?.kind === "named") return this.turn(this.done, this.undone, "taken back");
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
    if (last?.kind === "named") return this.turn(this.undone, this.done, "done again");
    return this.step(() => this.session.moveOn(), this.undone, this.done);
  }

  /** Forget something that is kept by name. @param {string} of where such things are kept @param {{id: string, name: string}} what @returns {Promise<boolean>} */
  forget(of, { id, name }) {
    return this.named({ label: `forget “${name}”`, ...standing(of, null, id) });
  }

  /** Something was kept by name. @param {string} of @param {import("api").NewlyKept} kept */
  kept(of, { id, name, is_new: isNew, instead_of: before }) {
    if (isNew) this.did({ kind: "named", label: `keep “${name}”`, ...standing(of, id, before) });
  }

  /** Call a version something, or nothing. @param {string} path @param {string} name @param {string} before */
  call(path, name, before) {
    const calling = (/** @type {string} */ it) => () => putJson(path, { name: it });
    const label = name ? `call a version “${name}”` : `take “${before}” from a version`;
    return this.named({ label, again: calling(name), back: calling(before) });
  }

  /** @param {Omit<OfNames, "kind">} what @returns {Promise<boolean>} whether it was done */
  named(what) {
    return this.session.inOrder(async () => {
      if (await this.answered(what.again) !== "done") return false;
      this.did({ kind: "named", ...what });
      return true;
    });
  }

  /** Something by name is taken back, or done again; where it is gone for good nothing waits for it. @param {Done[]} from @param {Done[]} to @param {string} said */
  turn(from, to, said) {
    const last = from.pop();
    if (last?.kind !== "named") return false;
    return this.session.inOrder(async () => {
      const answer = await this.answered(last.back);
      if (answer === "gone") return false;
      const isDone = answer === "done";
      (isDone ? to : from).push(isDone ? { ...last, back: last.again, again: last.back } : last);
      if (isDone) this.session.say(`${sentence(last.label)}: ${said}.`);
      return isDone;
    });
  }

  /** @param {() => Promise<unknown>} ask @returns {Promise<"done" | "refused" | "gone">} */
  async answered(ask) {
    try {
      await ask();
      return "done";
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.session.say(error.message, "error");
      return error.status === 404 ? "gone" : "refused";
    }
  }

  /** An edit, and the loop that it brought onto the shelf. @param {() => Promise<boolean>} move @param {Done[]} from @param {Done[]} to */
  async step(move, from, to) {
    if (!(await move())) return false;
    const last = from.pop();
    const loop = last?.kind === "project" ? last.loop : null;
    to.push({ kind: "project" });
    if (!loop) return true;
    from.push(loop);
    if (!await this.takeBack(from, to, "")) return true;
    const back = to.pop();
    to.splice(-1, 1, { kind: "project", loop: back?.kind === "shelf" ? back : null });
    return true;
  }

  /** One change of the shelf, whatever was done since. @param {number} change */
  undoChange(change) {
    const at = this.done.findIndex((one) => one.kind === "shelf" && one.change === change);
    return this.takeBack(this.done, this.undone, "taken back", at);
  }

  /**
   * A change of the shelf is taken back, which is a change that can be taken back itself.
   * @param {Done[]} from @param {Done[]} to @param {string} said nothing is, where it goes with an edit @param {number} [at] which; the last
   */
  async takeBack(from, to, said, at = from.length - 1) {
    const [last] = at < 0 ? [] : from.splice(at, 1);
    if (last?.kind !== "shelf") return false;
    return this.session.inOrder(async () => {
      try {
        const made = await postOnce(`/api/shelf/changes/${last.change}/undo`, {});
        const job = made.job ? await ended(this.session, made.job) : null;
        const change = job ? job.result : made;
        if (change?.id) to.push({ ...last, change: change.id });
        this.turned(last, to === this.undone);
        if (job?.state === "cancelled") {
          // What it came to stays; the rest can still be taken back.
          from.splice(at, 0, last);
          this.session.say(`Shelf: ${last.label}, stopped half-way. Undo goes on with it.`);
          return false;
        }
        const n = change.left_out;
        const left = n ? ` ${n === 1 ? "One loop was" : `${n} loops were`} changed since: that stays.` : "";
        if (said) this.session.say(`Shelf: ${last.label}, ${said}.${left}`);
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

/** @param {string} words */
const sentence = (words) => words.charAt(0).toUpperCase() + words.slice(1);

/**
 * One by name stands where another, or none, stood; both ways.
 * @param {string} of where such things are kept @param {string | null} now @param {string | null} before ids
 * @returns {{again: () => Promise<unknown>, back: () => Promise<unknown>}}
 */
function standing(of, now, before) {
  const to = (/** @type {string | null} */ id, /** @type {string | null} */ other) => () =>
    (id === null ? remove(`${of}/${other}`) : post(`${of}/${id}/back`, { instead_of: other }, { again: true }));
  return { again: to(now, before), back: to(before, now) };
}

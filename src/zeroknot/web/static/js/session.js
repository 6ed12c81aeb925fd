// @ts-check
/** The project as the server has it, what is heard of it, and everything a person asks of it. */

import { ApiError, getJson, post, postOnce } from "./net/api.js";
import { connection } from "./net/connection.js";
import { listen } from "./net/events.js";
import { mayPlay, newId, NO_SOUND } from "./net/secure.js";
import { sheetWith, stateWith } from "./net/since.js";
import { TakenBack, comingOf } from "./taken-back.js";
import { Engine } from "./engine/engine.js";

const QUIET_SAID_MS = 5000;

/** @typedef {import("./types.js").ProjectState} ProjectState */
/** @typedef {import("./types.js").StateChange} StateChange */
/** @typedef {import("./types.js").Sheet} Sheet */

export class Session {
  /** @param {ProjectState} state */
  constructor(state) {
    this.state = state;
    /** @type {Sheet | null} */
    this.sheet = null;
    /** @type {string | null} what is in hand: a strand's id or a loop's hash */
    this.hand = null;
    /** How it is heard with the rest, as a query; nothing as it is. */
    this.audition = "";
    /** @type {Set<() => void>} */
    this.watchers = new Set();
    /** @type {Set<(event: any) => void>} */
    this.hearers = new Set();
    /** Edits that wait or are on their way. */
    this.saving = 0;
    /** @type {Engine | null} */
    this.engine_ = null;
    this.fetching = 0;
    /** @type {(message: string, kind?: string, action?: {label: string, run: () => void}) => void} */
    this.say = () => undefined;
    this.quietSaid = -Infinity; // ms, when it was last said why nothing is heard
    /** @type {Promise<unknown>} */
    this.last = Promise.resolve();
    /** The newest state that was heard of, whether it is here or not. */
    this.newest = state.moves;
    this.hellos = 0;
    /** What was done here, one undo for all of it. */
    this.history = new TakenBack(this);
  }

  /** Begin to hear of changes made elsewhere, too. */
  start() {
    listen((event) => this.heard(event));
    connection.watchers.add(() => this.changed());
    window.addEventListener("beforeunload", (event) => {
      if (this.saving) event.preventDefault();
    });
    void this.reloadSheet();
  }

  /** @param {any} event */
  heard(event) {
    if (event.kind === "silent") {
      void connection.answers();
      return;
    }
    if (event.kind === "hello") {
      this.hellos += 1;
      if (this.hellos === 1) return;
      // What happened while nobody told it is asked for.
      void this.reload();
      void this.reloadSheet();
      event = { kind: "missed" };
    }
    if (event.kind === "revision" && event.project === this.state.id) {
      this.newest = Math.max(this.newest, event.moves);
      this.catchUp();
    }
    for (const hearer of this.hearers) hearer(event);
  }

  /** Ask for the state where a newer one was heard of, once nothing is on its way. */
  catchUp() {
    if (this.saving === 0 && this.newest > this.state.moves) void this.reload();
  }

  get path() {
    return `/api/projects/${this.state.id}`;
  }

  /** Said whenever something is to be heard that cannot be; not at every key of a row. */
  sayWhyQuiet() {
    const now = performance.now();
    if (now - this.quietSaid < QUIET_SAID_MS) return;
    this.quietSaid = now;
    this.say(NO_SOUND, "error");
  }

  /** The engine; made in the first gesture, as browsers want it. */
  engine() {
    if (!mayPlay()) this.sayWhyQuiet();
    if (!this.engine_) {
      this.engine_ = new Engine(this.state.rate);
      if (this.sheet) this.engine_.song.adopt(this.sheet);
      for (const watcher of this.watchers) watcher();
    }
    void this.engine_.unlock();
    return this.engine_;
  }

  /** @param {() => void} watcher */
  watch(watcher) {
    this.watchers.add(watcher);
    return () => this.watchers.delete(watcher);
  }

  /** @param {(event: any) => void} hearer */
  hear(hearer) {
    this.hearers.add(hearer);
    return () => this.hearers.delete(hearer);
  }

  /** What this page has: every question says so. */
  get stands() {
    return { revision: this.state.revision, known: this.state.token };
  }

  /**
   * Ask for something to be done; one after another.
   * @param {import("./types.js").Intent} intent @param {Promise<unknown>} [after] what goes first: it must not fail
   * @param {import("./taken-back.js").OfProject} [done] what it is to undo
   */
  submit(intent, after, done = { kind: "project" }) {
    return this.queue(async () => {
      await after;
      return postOnce(`${this.path}/intents`, { ...this.stands, intent });
    }, done);
  }

  /**
   * Have a loop made: a new one on the shelf, taken off it again by undo.
   * @param {string} path @param {Record<string, unknown>} how @returns {Promise<import("api").MadeLoop | null>} null where a notice says why not
   */
  async make(path, how) {
    const made = await this.making(path, how);
    const coming = made && comingOf(made);
    if (coming) this.history.did(coming);
    return made;
  }

  /**
   * Have a loop made for an edit of the project; undo takes both back.
   * @param {string} path @param {Record<string, unknown>} how @param {(made: import("api").MadeLoop) => import("./types.js").Intent} intentOf
   * @returns {Promise<import("api").MadeLoop | null>} null where a notice says why not
   */
  async makeFor(path, how, intentOf) {
    const made = await this.making(path, how);
    if (!made) return null;
    const loop = comingOf(made);
    if (await this.submit(intentOf(made), undefined, { kind: "project", loop })) return made;
    if (loop) this.history.did(loop);
    return null;
  }

  /** Once, however often it is asked for; it goes on where the view is left. @param {string} path @param {Record<string, unknown>} how @returns {Promise<import("api").MadeLoop | null>} */
  async making(path, how) {
    try {
      return await post(path, { ...how, id: newId() }, { again: true });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.say(error.message, "error");
      return null;
    }
  }

  /**
   * Change a loop on the shelf from any view: taken back like an edit of the project.
   * @param {Record<string, unknown>} edit @param {string} sha @returns {Promise<boolean>} whether it was done
   */
  async changeLoop(edit, sha) {
    const change = await this.changing(edit, sha);
    if (change?.done) this.history.did(change.done);
    return !!change;
  }

  /**
   * The same, and an edit of the project that it leads to; undo takes both back.
   * @param {Record<string, unknown>} edit @param {string} sha @param {import("./types.js").Intent} intent @returns {Promise<boolean>}
   */
  async changeLoopFor(edit, sha, intent) {
    const change = await this.changing(edit, sha);
    if (!change) return false;
    const isDone = await this.submit(intent, undefined, { kind: "project", loop: change.done });
    if (!isDone && change.done) this.history.did(change.done);
    return isDone;
  }

  /** @param {Record<string, unknown>} edit @param {string} sha @returns {Promise<{done: import("./taken-back.js").OfLoops | null} | null>} null where a notice says why not */
  changing(edit, sha) {
    return this.inOrder(async () => {
      try {
        const { id, label } = await postOnce("/api/shelf/changes", { edit, shas: [sha] });
        return { done: id ? { kind: /** @type {const} */ ("shelf"), change: id, label } : null };
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        this.say(error.message, "error");
        return null;
      }
    });
  }

  /** Take the project's last edit back. */
  moveBack() {
    return this.queue(() => postOnce(`${this.path}/undo`, this.stands), null);
  }

  /** Bring the edit that was taken back last. */
  moveOn() {
    return this.queue(() => postOnce(`${this.path}/redo`, this.stands), null);
  }

  /**
   * @param {() => Promise<ProjectState | StateChange>} ask @param {import("./taken-back.js").OfProject | null} [done] what it is to undo; null where it is nothing new
   * @returns {Promise<boolean>} whether it was done
   */
  queue(ask, done = { kind: "project" }) {
    return this.inOrder(async () => {
      const { moves } = this.state;
      try {
        const said = await ask();
        await this.accept(said, true);
        // What changed nothing is nothing to take back; a loop that came with it is.
        const what = said.moves > moves ? done : done?.loop;
        if (what) this.history.did(what);
        return true;
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        this.say(error.message, "error");
        if (error.status === 409) this.newest = Math.max(this.newest, this.state.moves + 1);
        return false;
      }
    });
  }

  /**
   * What a person does is done one after another, in the project and on the shelf; what waits counts as not saved.
   * @template T @param {() => Promise<T>} work @returns {Promise<T>}
   */
  inOrder(work) {
    this.saving += 1;
    this.changed();
    const done = this.last.then(work).finally(() => {
      this.saving -= 1;
      this.catchUp();
      this.changed();
    });
    this.last = done.catch(() => undefined);
    return done;
  }

  /** Once all that was asked for before is done. */
  settled() {
    return this.inOrder(() => Promise.resolve());
  }

  /** Take a state, unless a newer one is here. @param {ProjectState | StateChange} said @param {boolean} [isOurs] something done here made it @returns {Promise<void>} */
  accept(said, isOurs = false) {
    if (said.moves < this.state.moves) return Promise.resolve();
    const state = stateWith(this.state, said);
    if (!state) {
      // It leads from a state that another answer has replaced meanwhile.
      this.history.stands(said.revision, isOurs);
      return this.reload();
    }
    this.history.stands(state.revision, isOurs);
    this.state = state;
    this.newest = Math.max(this.newest, state.moves);
    const isStrand = this.hand !== null && this.hand.length < 64;
    if (isStrand && !state.strands.some((s) => s.id === this.hand)) this.hand = null;
    for (const note of state.notes) this.say(note);
    this.changed();
    void this.reloadSheet();
    return Promise.resolve();
  }

  /** @returns {Promise<void>} */
  async reload() {
    try {
      await this.accept(await getJson(`${this.path}?known=${this.state.token}`));
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.say(error.message, "error");
    }
  }

  /** What is in hand has changed: its events travel with the sheet. @param {string | null} hand @param {string} [audition] */
  setHand(hand, audition = "") {
    if (this.hand === hand && this.audition === audition) return this.sheeted;
    this.hand = hand;
    this.audition = audition;
    this.sheeted = this.reloadSheet();
    return this.sheeted;
  }

  /** @type {Promise<void>} the last sheet that was asked for */
  sheeted = Promise.resolve();

  /** @returns {Promise<void>} */
  async reloadSheet() {
    this.fetching += 1;
    const turn = this.fetching;
    const known = this.sheet ? `&known=${this.sheet.token}` : "";
    const hand = this.hand ? `&hand=${this.hand}${this.audition && `&${this.audition}`}` : "";
    try {
      const said = await getJson(`${this.path}/sheet?${(hand + known).slice(1)}`);
      if (turn !== this.fetching) return;
      const sheet = sheetWith(this.sheet, said);
      if (!sheet) return this.reloadSheet();
      this.sheet = sheet;
      this.engine_?.song.adopt(sheet);
      this.changed();
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      if (turn === this.fetching) this.say(error.message, "error");
    }
  }

  /** What is saved, in words that are true. */
  get saved() {
    if (!this.saving) return "All saved";
    if (!connection.isAway) return "Saving…";
    return this.saving === 1 ? "1 change waits" : `${this.saving} changes wait`;
  }

  changed() {
    for (const watcher of this.watchers) watcher();
  }

  /** Where the song is, in beats. */
  beat() {
    return this.engine_ ? this.engine_.song.beat() : 0;
  }
}

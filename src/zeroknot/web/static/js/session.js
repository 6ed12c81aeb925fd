// @ts-check
/** The project as the server has it, what is heard of it, and everything a person asks of it. */

import { ApiError, getJson, listen, post } from "./api.js";
import { Engine } from "./engine/engine.js";

/** @typedef {import("./types.js").ProjectState} ProjectState */
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
    this.saving = 0;
    /** @type {Engine | null} */
    this.engine_ = null;
    this.fetching = 0;
    /** @type {(message: string, kind?: string, action?: {label: string, run: () => void}) => void} */
    this.say = () => undefined;
    /** @type {Promise<unknown>} */
    this.last = Promise.resolve();
  }

  /** Begin to hear of changes made elsewhere, too. */
  start() {
    listen((event) => {
      if (event.kind === "revision" && event.project === this.state.id
        && event.revision !== this.state.revision && this.saving === 0) this.reload();
      for (const hearer of this.hearers) hearer(event);
    });
    this.reloadSheet();
  }

  get path() {
    return `/api/projects/${this.state.id}`;
  }

  /** The engine; made in the first gesture, as browsers want it. */
  engine() {
    if (!this.engine_) {
      this.engine_ = new Engine(this.state.rate);
      if (this.sheet) this.engine_.song.adopt(this.sheet);
      for (const watcher of this.watchers) watcher();
    }
    this.engine_.unlock();
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

  /** Ask for something to be done; one after another. @param {Record<string, unknown>} intent */
  submit(intent) {
    return this.queue(() => post(`${this.path}/intents`, { revision: this.state.revision, intent }));
  }

  undo() {
    return this.queue(() => post(`${this.path}/undo`));
  }

  redo() {
    return this.queue(() => post(`${this.path}/redo`));
  }

  /** @param {() => Promise<ProjectState>} ask @returns {Promise<boolean>} whether it was done */
  queue(ask) {
    const done = this.last.then(async () => {
      this.saving += 1;
      this.changed();
      try {
        this.accept(await ask());
        return true;
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        this.say(error.message, "error");
        if (error.status === 409) await this.reload();
        return false;
      } finally {
        this.saving -= 1;
        this.changed();
      }
    });
    this.last = done.catch(() => undefined);
    return done;
  }

  /** @param {ProjectState} state */
  accept(state) {
    this.state = state;
    const isStrand = this.hand !== null && this.hand.length < 64;
    if (isStrand && !state.strands.some((s) => s.id === this.hand)) this.hand = null;
    for (const note of state.notes) this.say(note);
    this.changed();
    this.reloadSheet();
  }

  async reload() {
    try {
      this.accept(await getJson(this.path));
    } catch (error) {
      if (error instanceof ApiError) this.say(error.message, "error");
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

  async reloadSheet() {
    this.fetching += 1;
    const turn = this.fetching;
    const query = this.hand ? `?hand=${this.hand}${this.audition && `&${this.audition}`}` : "";
    try {
      const sheet = await getJson(`${this.path}/sheet${query}`);
      if (turn !== this.fetching) return;
      this.sheet = sheet;
      this.engine_?.song.adopt(sheet);
      this.changed();
    } catch (error) {
      if (error instanceof ApiError && turn === this.fetching) this.say(error.message, "error");
    }
  }

  changed() {
    for (const watcher of this.watchers) watcher();
  }

  /** Where the song is, in beats. */
  beat() {
    return this.engine_ ? this.engine_.song.beat() : 0;
  }
}

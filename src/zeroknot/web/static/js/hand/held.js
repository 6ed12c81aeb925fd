// @ts-check
/** What is in hand, for every view on it: the server's answer, what of it is drawn, and whoever is told that it changed. */

import { ApiError, getJson } from "../net/api.js";
import { Waves } from "../loom/lod.js";
import { barLine } from "../metre.js";
import { showAgain } from "../ui/fields.js";

/** @typedef {import("../types.js").Hand} Hand */
/** @typedef {import("../types.js").HandSheet} HandSheet */

const LONGEST_PICTURED = 120; // seconds

/** As text, whatever the order it came in. @param {unknown} value */
const written = (value) => JSON.stringify(value, (_, part) =>
  part && typeof part === "object" && !Array.isArray(part) ? Object.fromEntries(Object.entries(part).sort(([a], [b]) => (a < b ? -1 : 1))) : part);

/** Does the second, which may hold more, say all that the first says? @param {Record<string, any>} said @param {Record<string, any>} known */
const isWithin = (said, known) => Object.keys(said).every((name) => written(said[name]) === written(known[name]));

export class Held {
  /**
   * @param {import("../session.js").Session} session @param {import("../main.js").App} app
   * @param {import("../view.js").View} view that it is in hand for
   */
  constructor(session, app, view) {
    this.session = session;
    this.app = app;
    this.view = view;
    /** @type {Hand} */
    this.hand = app.viewData();
    /** @type {HandSheet | null} */
    this.sheet = null;
    /** @type {Waves | null} */
    this.source = null;
    /** @type {Waves | null} */
    this.render = null;
    /** @type {[number, number, number][]} */
    this.notes = [];
    this.isRendering = false;
    /** Another hand than before. */
    this.told = () => {};
    /** What is drawn of it came. */
    this.drawn = () => {};
    /** Selector of the part of the page that shows its fields. */
    this.shownIn = "";
    /** Something was changed that nobody was told of yet. */
    this.isOwed = false;
    /** Its pieces in their order are what is heard and drawn, not the loop as a whole. */
    this.inOrder = false;
  }

  /** Nothing is in hand. */
  get isEmpty() {
    return !this.hand.hand;
  }

  /** The name that answers now: a strand that was undone a moment ago is a loop again. */
  get name() {
    const { hand } = this;
    return hand.is_new || this.session.state.strands.some((s) => s.id === hand.hand) ? hand.hand : hand.shelved;
  }

  get path() {
    return `${this.session.path}/hand/${this.name}`;
  }

  /** The bar whose tempo counts: the playhead's. */
  get beat() {
    return barLine(this.session.state.metres, Math.max(0, this.session.beat())).beat;
  }

  /** Take it in hand: from now on what changes it is told, until the view ends. */
  begin() {
    const { view, session } = this;
    void session.setHand(this.hand.hand);
    let seen = session.state.revision;
    view.scope.add(session.watch(() => {
      if (session.state.revision === seen) return;
      seen = session.state.revision;
      void this.refresh();
    }));
    // What its loop is may be said on the shelf, by anyone; and be taken back.
    view.scope.add(session.hear((event) => {
      const isIt = event.kind === "loop" && event.sha === this.hand.loop;
      if (isIt || event.kind === "shelf" || event.kind === "missed") void session.last.then(() => this.refresh(true));
    }));
    view.scope.add(() => {
      this.source?.close();
      this.render?.close();
      this.app.stopHand();
      void session.setHand(null);
    });
    void this.fetch();
  }

  /** Ask anew what is in hand: something about it was changed. @param {boolean} [perhaps] or it was about something else */
  async refresh(perhaps = false) {
    const { session } = this;
    if (this.view.isOver) return;
    this.isOwed ||= !perhaps;
    const fresh = await this.view.ask("hand", async (signal) => {
      try {
        return await getJson(`${this.path}?beat=${this.beat}`, signal);
      } catch (error) {
        // A loop that became a strand answers under either name; one whose strand was undone is a loop.
        if (!(error instanceof ApiError) || error.status !== 404) throw error;
        this.app.go(`/p/${session.state.id}/${this.view.title.toLowerCase()}/${this.hand.shelved}`);
        return null;
      }
    });
    // What was asked for since is on its way: showing this would show a step back.
    if (!fresh || session.saving > 0) return;
    if (!this.isOwed && isWithin(fresh, this.hand)) return;
    this.isOwed = false;
    // Its strand was undone: under that address nobody would find it again.
    if (this.name !== this.hand.hand) this.app.router?.rename(this.name);
    this.hand = fresh;
    this.told();
    void session.setHand(fresh.hand);
    await this.fetch();
  }

  /** What is drawn: the recording, and the render as it comes. */
  async fetch() {
    const { hand } = this;
    this.isRendering = true;
    this.drawn();
    if (hand.file_kind === "midi") this.notes = this.notes.length ? this.notes : await this.view.ask("notes", (signal) => getJson(`/api/loops/${hand.loop}/notes`, signal)) ?? [];
    else this.source ??= this.sourceWaves();
    const found = await this.view.ask("sheet", async (signal) => {
      const sheet = /** @type {HandSheet} */ (await getJson(`${this.path}/sheet?beat=${this.beat}${this.inOrder ? "&order=true" : ""}`, signal));
      if (sheet.digest === this.sheet?.digest || hand.file_kind === "midi") return { sheet, render: this.render };
      // Of a long take only what is looked at closely is rendered for its picture.
      const coarsest = hand.seconds > LONGEST_PICTURED ? 64 : 4096;
      const render = new Waves({
        peaks: `/api/renders/${sheet.digest}/peaks`, blocks: `/api/renders/${sheet.digest}`,
        channels: sheet.channels, frames: sheet.frames, blockRate: 1,
      }, () => this.drawn(), coarsest);
      if (coarsest === 4096) await render.whole();
      if (signal.aborted) render.close();
      return { sheet, render };
    });
    if (this.view.isAsking("sheet") || this.view.isOver) return;
    this.isRendering = false;
    if (found?.render !== this.render) this.render?.close();
    this.render = found?.render ?? null;
    this.sheet = found?.sheet ?? this.sheet;
    this.drawn();
  }

  sourceWaves() {
    const { hand } = this;
    const { rate } = this.session.state;
    const source = new Waves({
      peaks: `/api/loops/${hand.loop}/peaks`, blocks: `/api/sources/${hand.loop}/${rate}`, channels: hand.channels,
      frames: Math.round(hand.seconds * hand.source_rate), blockRate: rate / hand.source_rate,
    }, () => this.drawn());
    void source.whole();
    return source;
  }

  /** What a person asks for of it. @param {import("../types.js").FitIntent} intent @param {Promise<unknown>} [after] as of `Session.submit` */
  async change(intent, after) {
    const done = await this.view.intent({ ...intent, hand: this.name }, after);
    await this.refresh();
    if (!done) this.showAgain();
    return done;
  }

  /** What was typed is not what holds. @param {string} [why] */
  refuse(why) {
    if (why) this.session.say(why, "error");
    this.showAgain();
  }

  showAgain() {
    showAgain(this.shownIn);
  }
}

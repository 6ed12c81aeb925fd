// @ts-check
/** The one that is chosen: how it was made, how it is heard, and what may become of it. */

import { getJson } from "../net/api.js";
import { round } from "../format.js";
import { barLine } from "../metre.js";
import { section } from "../sections.js";
import { downloadFile } from "../shelf/download.js";
import { originalOf } from "./model.js";

/** @typedef {import("api").ShownRecipe} ShownRecipe */

const TURN_ROUNDS = 1; // heard of each where all are heard one after another
const MATCHED_DB = -18; // loudness (BS.1770) that all are brought to

/** @param {import("./shared.js").Shared} shared */
export const one = (shared) => {
  const { view, session, app } = shared;
  /** Who was heard before it, to go back to. */
  let before = "";
  let turnEnds = 0;

  return section(shared.whole, {
    hearing: false, heard: "", withRest: false, inTurn: false,
    oneName: "", oneAbout: "", oneSaid: "", isGrown: false, isLoop: false, isSource: false, isFavourite: false, hasChosen: false, markedName: "",
    steps: /** @type {{number: number, title: string, said: string, view: string}[]} */ ([]),
    unlike: /** @type {string[]} */ ([]),

    /** @param {string} id */
    choose(id) {
      if (id !== shared.focused) this.forgetLike();
      shared.focused = id;
      this.showOne();
    },

    showOne() {
      const { one, marked, members } = shared;
      this.hasChosen = !!one;
      this.markedName = members.find((m) => m.id === marked)?.name ?? "";
      if (!one) return;
      [this.oneName, this.oneSaid] = [one.name, one.said];
      [this.isGrown, this.isLoop, this.isSource, this.isFavourite] = [one.kind === "grown", one.kind !== "grown", one.kind === "source", one.favourite];
      this.showFit();
      void this.askRecipe();
    },

    async askRecipe() {
      const other = shared.marked && shared.marked !== shared.focused ? `&other=${shared.nameOf(shared.focused)}` : "";
      const of = other ? shared.marked : shared.focused;
      const asked = shared.focused;
      const found = await view.ask("recipe", async (signal) => {
        const own = await getJson(`${shared.path}/hand/${shared.nameOf(asked)}/recipe?beat=${this.beatHere()}`, signal);
        const against = other ? await getJson(`${shared.path}/hand/${shared.nameOf(of)}/recipe?beat=${this.beatHere()}${other}`, signal) : null;
        return { own, unlike: against?.unlike ?? [] };
      });
      if (!found || asked !== shared.focused) return;
      /** @type {ShownRecipe} */
      const own = found.own;
      this.unlike = other && !found.unlike.length ? ["Both are made alike."] : found.unlike;
      this.steps = own.steps.map((step, i) => ({ number: i + 1, title: step.title, said: step.said, view: step.view }));
      const bars = round(own.beats / session.state.beats_per_bar, 2);
      this.oneAbout = own.why_silent ?? `${bars} bar${bars === 1 ? "" : "s"} · ${round(own.bpm, 2)} BPM · exactly ${own.frames.toLocaleString("en")} samples`;
    },

    beatHere: () => barLine(session.state.metres, Math.max(0, session.beat())).beat,

    // ---- heard

    /** @param {string} id */
    async hear(id) {
      if (this.heard && this.heard !== id) before = this.heard;
      [this.hearing, this.heard] = [true, id];
      await app.hearHand(shared.nameOf(id), "fitted", this.withRest, this.withRest ? { order: true, audition: "matched=true" } : { order: true, matchTo: MATCHED_DB });
    },

    toggleHear() {
      if (this.hearing && this.heard === shared.focused) this.stopHearing();
      else if (shared.focused) void this.hear(shared.focused);
    },

    stopHearing() {
      [this.hearing, this.heard, this.inTurn] = [false, "", false];
      app.stopHand();
    },

    toggleRest() {
      this.withRest = !this.withRest;
      if (this.hearing) void this.hear(this.heard);
    },

    /** It and the one that was marked, or the one heard before it, at the same place. */
    toggleOther() {
      const other = shared.marked && shared.marked !== this.heard ? shared.marked : this.heard === shared.focused ? before : shared.focused;
      if (other) void this.hear(other);
    },

    /** The loop that all of it came from, and back. */
    toggleOriginal() {
      const original = originalOf(shared.members, shared.focused);
      void this.hear(this.heard === original && original !== shared.focused ? shared.focused : original);
    },

    mark() {
      shared.marked = shared.marked === shared.focused ? "" : shared.focused;
      this.showOne();
    },

    /** One after another, each for a round. */
    toggleTurn() {
      this.inTurn = !this.inTurn;
      if (!this.inTurn) return;
      turnEnds = 0;
      if (!this.hearing) void this.hear(shared.focused);
    },

    watchHearing() {
      if (!this.hearing || app.starting) return;
      const { engine_: engine } = session;
      const song = engine?.song;
      const isInSong = !!song?.withHand && (song.isPlaying || song.isWaiting);
      if (!engine || (!engine.hand.isPlaying && !engine.hand.isWaiting && !isInSong)) {
        [this.hearing, this.heard, this.inTurn] = [false, "", false];
        return;
      }
      if (this.inTurn && engine.hand.isPlaying) this.goOnInTurn(engine);
    },

    /** @param {import("../engine/engine.js").Engine} engine */
    goOnInTurn(engine) {
      const now = engine.context.currentTime;
      const body = engine.hand.sheet?.body ?? 0;
      if (!turnEnds) turnEnds = now + (TURN_ROUNDS * body - engine.hand.place()) / engine.rate;
      if (now < turnEnds) return;
      turnEnds = 0;
      const { places } = shared.tree;
      const at = places.findIndex((p) => p.member.id === this.heard);
      const next = places[(at + 1) % places.length]?.member.id;
      if (!next) return;
      this.choose(next);
      void this.hear(next);
    },

    // ---- what becomes of it

    /** Printed, and on the shelf; what was grown from it stays under it. */
    keep() {
      const { one } = shared;
      const kept = shared.keeping.then(() => this.keepNow(one));
      shared.keeping = kept.catch(() => undefined);
      return kept;
    },

    /** @param {import("./model.js").Member | null} one */
    async keepNow(one) {
      if (!one) return;
      if (one.kind === "source") return session.say(`${one.name} is a loop already.`);
      if (one.kind === "print") {
        if (!one.on_shelf) await this.changeLoop({ kind: "put_back" }, one.id);
        else session.say(`${one.name} is on the shelf already.`);
        return;
      }
      const how = { hand: shared.nameOf(one.id), seam: "wrap", with_lead: false, beat: this.beatHere() };
      const made = await session.makeFor(`${shared.path}/prints`, how, ({ sha }) => {
        shared.became.set(one.id, sha).set(sha, one.id);
        return { kind: "keep_grown", offshoot: one.id, sha };
      });
      if (!made) return;
      await this.told();
      session.say(`“${made.name}” is on the shelf: ${made.frames.toLocaleString("en")} samples.`);
    },

    /** Something of a loop on the shelf; undo takes it back. @param {Record<string, unknown>} edit @param {string} sha */
    async changeLoop(edit, sha) {
      await session.changeLoop(edit, sha);
      if (await shared.ask()) this.showFamily();
      this.showOne();
    },

    async drop() {
      const { one } = shared;
      if (!one) return;
      if (one.kind === "grown") {
        shared.focused = one.parents[0] ?? "";
        await view.intent({ kind: "drop_grown", offshoots: [one.id] });
        if (this.heard === one.id) this.stopHearing();
      } else if (one.on_shelf) await this.changeLoop({ kind: "take_off" }, one.id);
    },

    /** All that is not kept and nobody took to heart. */
    async dropRest() {
      const ids = shared.members.filter((m) => m.kind === "grown" && !m.favourite).map((m) => m.id);
      if (!ids.length) return session.say("Nothing is left that was not kept.");
      if (ids.includes(shared.focused)) shared.focused = originalOf(shared.members, shared.focused);
      await view.intent({ kind: "drop_grown", offshoots: ids });
      if (ids.includes(this.heard)) this.stopHearing();
    },

    async heart() {
      const { one } = shared;
      if (!one) return;
      if (one.kind === "grown") await view.intent({ kind: "name_grown", offshoot: one.id, favourite: !one.favourite });
      else await this.changeLoop({ kind: "favour", favourite: !one.favourite }, one.id);
    },

    /** @param {string} text */
    async rename(text) {
      const { one } = shared;
      const name = text.trim();
      if (!one || !name || name === one.name) return this.showOne();
      if (one.kind === "grown") await view.intent({ kind: "name_grown", offshoot: one.id, name });
      else await this.changeLoop({ kind: "rename", name }, one.id);
    },

    async place() {
      const { one } = shared;
      if (!one) return;
      const beat = this.beatHere();
      await view.intent({ kind: "place", hand: one.id, beat });
    },

    /** Its recipe as a strand of its own, in a view. @param {string} noun */
    async open(noun) {
      const { one } = shared;
      if (!one) return;
      if (noun === "arrange") return app.go(`/p/${session.state.id}/arrange`);
      if (one.kind === "source") return app.go(`/p/${session.state.id}/${noun}/${one.id}`);
      const known = new Set(session.state.strands.map((s) => s.id));
      if (!await view.intent({ kind: "take_up", of: shared.nameOf(one.id) })) return;
      const fresh = session.state.strands.find((s) => !known.has(s.id));
      if (fresh) app.go(`/p/${session.state.id}/${noun}/${fresh.id}`);
    },

    async download() {
      if (shared.focused) await downloadFile(session, `${shared.path}/hand/${shared.nameOf(shared.focused)}/recipe.json?beat=${this.beatHere()}`, "recipe.json");
    },
  });
};

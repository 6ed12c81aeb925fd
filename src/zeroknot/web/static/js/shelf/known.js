// @ts-check
/** What is known of a loop, and what a person makes of it: corrected, named, tagged, for one or for many. */

import { getJson, postOnce } from "../net/api.js";
import { typedNumber } from "../format.js";
import { section } from "../sections.js";
import { keyFromText } from "../key-from.js";
import { forgetTyped, showAgain } from "../ui/fields.js";
import { fieldsOf, readingsOf, tagChanges } from "./about.js";
import { ended } from "../job.js";
import { barLine } from "../metre.js";
import { downloadWav } from "./download.js";

/** @typedef {import("../types.js").KnownLoop} KnownLoop */

/** @param {import("./shared.js").Shared} shared */
export const known = (shared) => {
  const { session, list, data } = shared;

  return section(shared.whole, {
    about: false,
    /** @type {KnownLoop | null} */
    known: null,
    /** @type {any[]} */
    readings: [],
    applyTo: "picked",
    field: { name: "", set: "", tags: "", tempo: "", bars: "", per: "", downbeat: "", key: "", sound: "" },
    /** @type {string[]} */
    keys: data.keys,
    /** @type {string[]} */
    sounds: data.sounds,

    /** Change loops; the notice takes it back. @param {Record<string, unknown>} edit @param {string[] | null} [which] @param {Record<string, unknown> | null} [search] */
    async change(edit, which = null, search = null) {
      await shared.picking;
      const shas = which ?? this.picks();
      const body = search ? { edit, search } : { edit, shas };
      const made = await session.inOrder(() => shared.tried(() => postOnce("/api/shelf/changes", body)));
      // Of many loops it takes long: meanwhile other things can be done.
      const job = made?.job ? await shared.tried(() => ended(session, made.job)) : null;
      const change = made?.job ? job?.result : made;
      if (job?.state === "cancelled" && !change?.id) session.say("Stopped before anything was changed.");
      if (!change?.id) return false;
      session.history.did({ kind: "shelf", change: change.id, label: change.label });
      const only = shas.length === 1 && !search ? list.at(list.placeOf(shas[0]))?.name : null;
      const who = only ?? `${change.count} loop${change.count === 1 ? "" : "s"}`;
      const left = change.left_out ? `; ${change.left_out} could not be` : "";
      await this.reload();
      const said = job?.state === "cancelled" ? `${change.label}, stopped half-way` : `${change.label}${left}`;
      session.say(`${who}: ${said}.`, "info", {
        label: "Undo",
        run: () => session.history.undoChange(change.id),
      });
      session.changed();
      if (["correct", "adopt", "withdraw"].includes(String(edit.kind))) this.offerClips(shas);
      if (["state_key", "withdraw"].includes(String(edit.kind))) this.offerKey(shas);
      return true;
    },

    /** Strands that are placed keep the reading they were made with: say so, and offer the new one. @param {string[]} shas */
    offerClips(shas) {
      const strands = session.state.strands.filter((s) => shas.includes(s.loop));
      if (!strands.length) return;
      const who = strands.length === 1 ? `${strands[0].name} is placed in this project and keeps its own reading.`
        : `${strands.length} of them are placed in this project and keep their own reading.`;
      session.say(who, "info", {
        label: "Change it there, too",
        run: () => {
          for (const strand of strands) void session.submit({ kind: "follow_loop", hand: strand.id });
        },
      });
    },

    /** Those that follow the song's key go by the key that they came with. @param {string[]} shas */
    offerKey(shas) {
      const strands = session.state.strands.filter((s) => shas.includes(s.loop) && s.follows_key);
      if (!strands.length) return;
      const who = strands.length === 1 ? `${strands[0].name} follows the song's key by the key that it came with.`
        : `${strands.length} of them follow the song's key by the keys that they came with.`;
      session.say(who, "info", {
        label: "By the new one, too",
        run: () => {
          for (const strand of strands) void session.submit({ kind: "follow_key", hand: strand.id, follows: true, anew: true });
        },
      });
    },

    favour() {
      const row = list.at(this.chosenIndex);
      if (row) void this.change({ kind: "favour", favourite: !row.favourite });
    },

    /** @param {{sha: string, favourite: boolean}} row */
    favourRow(row) {
      void this.change({ kind: "favour", favourite: !row.favourite }, [row.sha]);
    },

    /** On the shelf again; Delete means this where those are listed that were taken off. */
    async putBack() {
      await shared.picking;
      const shas = this.picks();
      this.picked = [];
      if (shas.length) await this.change({ kind: "put_back" }, shas);
    },

    async takeOff() {
      if (this.asked.taken_off) return this.putBack();
      await shared.picking;
      if (this.picks().includes(this.hearing)) this.quiet();
      const shas = this.picks();
      this.picked = [];
      if (shas.length) await this.change({ kind: "take_off" }, shas);
    },

    /** @param {string} [sha] */
    toggleAbout(sha) {
      if (sha && sha !== this.chosen) this.choose(list.placeOf(sha));
      this.about = sha ? true : !this.about;
      if (this.about) void this.showAbout();
    },

    async showAbout() {
      const sha = this.chosen;
      if (!sha) {
        this.known = null;
        return;
      }
      const known = await shared.tried(() => getJson(`/api/loops/${sha}`));
      if (!known || sha !== this.chosen) return;
      if (known.sha !== this.known?.sha) forgetTyped(".about");
      this.known = known;
      this.readings = readingsOf(known);
      Object.assign(this.field, fieldsOf(known));
      this.isStated = known.is_stated || known.key_from === "stated" || known.is_sound_stated;
      this.keyText = keyFromText(known);
      this.warningText = known.warnings.join("; ");
      const inSet = shared.facets.sets.find((f) => f.value === known.set)?.count ?? 0;
      this.setCount = known.set ? inSet : 0;
      if (this.applyTo === "set" && !this.setCount) this.applyTo = "picked";
    },
    isStated: false,
    keyText: "",
    warningText: "",
    setCount: 0,

    get applyText() {
      return this.picked.length > 1 ? `the ${this.picked.length} chosen` : "this loop";
    },

    get setText() {
      return this.known?.set ? `all of ${this.known.set} (${this.setCount})` : "";
    },

    /** A correction, for the chosen or for the whole set. @param {Record<string, unknown>} edit */
    correct(edit) {
      if (this.applyTo === "set" && this.known?.set) return this.change(edit, null, { sets: [this.known.set] });
      return this.change(edit);
    },

    /** A correction as typed; what is refused does not stay in the field. @param {Record<string, unknown>} edit */
    async correctTyped(edit) {
      await this.correct(edit);
      showAgain(".about");
    },

    /** @param {"tempo" | "bars" | "per" | "downbeat"} name @param {string} text */
    typed(name, text) {
      const value = typedNumber(text);
      const column = { tempo: "tempo_bpm", bars: "bars", per: "beats_per_bar", downbeat: "downbeat_s" }[name];
      if (value === null) {
        session.say("That is no number.", "error");
        showAgain(".about");
        return;
      }
      void this.correctTyped({ kind: "correct", [column]: name === "bars" || name === "per" ? Math.round(value) : value });
    },

    /** @param {number} times */
    count(times) {
      void this.correct({ kind: "correct", times });
    },

    /** @param {number} index */
    adopt(index) {
      void this.change({ kind: "adopt", index }, [this.chosen]);
    },

    withdraw() {
      void this.correct({ kind: "withdraw" });
    },

    /** @param {string} key */
    stateKey(key) {
      void this.correct({ kind: "state_key", key: key || null });
    },

    /** @param {string} sound */
    stateSound(sound) {
      if (sound) void this.correct({ kind: "state_sound", sound });
    },

    /** @param {string} name */
    async rename(name) {
      if (this.known && name !== this.known.name) await this.change({ kind: "rename", name }, [this.chosen]);
      showAgain(".about");
    },

    /** @param {string} name nothing takes it out of its set */
    moveToSet(name) {
      if (this.known && name !== this.known.set) void this.correctTyped({ kind: "move_to_set", set_name: name });
    },

    /** What is new is added, what is gone is taken off. @param {string} text tags, commas between */
    retag(text) {
      if (!this.known) return;
      const { add, remove: gone } = tagChanges(text, this.known.tags);
      if (add.length || gone.length) void this.correctTyped({ kind: "tag", add, remove: gone });
    },

    showSet() {
      if (this.known?.set) this.askKept({ sets: [this.known.set], sort: "name" });
    },

    /** @param {string} sha */
    download(sha) {
      if (sha) void downloadWav(session, sha);
    },

    /** What a stretch of the song was printed from, at the playhead's bar: from the recordings, in today's time and key. */
    async layPieces() {
      if (!this.chosen) return;
      const { beat, bar } = barLine(session.state.metres, Math.max(0, session.beat()));
      if (await session.submit({ kind: "place_pieces", loop: this.chosen, beat })) session.say(`Its pieces are laid at bar ${bar}.`);
    },

    /** All that is chosen: one as a file, several as a ZIP, or as a pack. @param {boolean} asPack */
    async handOver(asPack) {
      await shared.picking;
      const shas = this.picks();
      if (!shas.length) return;
      const set = this.known?.set || "Loops";
      await this.handFiles(shas, asPack ? set : null);
    },
  });
};

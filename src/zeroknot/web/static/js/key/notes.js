// @ts-check
/** The notes as they are and as they sound, the share inside for each shift, following and tuning. */

import { percent, round, semitones, typedNumber } from "../format.js";
import { SAID } from "../key-from.js";
import { picture } from "../ui/frames.js";
import { section } from "../sections.js";
import { drawNotes } from "./draw.js";
import { anewText, insideAt, keySentence, notesShown, ruleText, speedText } from "./model.js";

/** @param {import("./shared.js").Shared} shared */
export const notes = (shared) => {
  const { session, held, view } = shared;
  let looks = 0;

  return section(shared.whole, {
    sentence: "", ruleText: "", anewText: "", speedText: "", follows: false, prefers: "tonic", along: false, isMidi: false, hasKey: false, hasNotes: false, ownShift: 0,
    shares: /** @type {{shift: number, label: string, title: string, percent: number, pressed: string, proposed: boolean}[]} */ ([]),
    ownKey: "", sure: "", otherKeys: /** @type {{key: string, about: string}[]} */ ([]), tuned: "", canCorrect: false, setCents: 0, a4: "440",

    startRings() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("notes"));
      view.scope.add(picture(canvas, () => looks, (c, sheet) => {
        const { key } = shared;
        const radius = Math.max(30, Math.min(sheet.height / 2 - 26, sheet.width / 4 - 34));
        const [y, left, right] = [sheet.height / 2, sheet.width * 0.25, sheet.width * 0.75];
        const total = Math.round(key.shifted);
        drawNotes(c, left, y, radius, notesShown(key, 0), "as it is", !!key.key, sheet.colours);
        drawNotes(c, right, y, radius, notesShown(key, total), semitones(total), !!key.key, sheet.colours);
      }));
    },

    showRings() {
      const { key } = shared;
      looks += 1;
      this.sentence = keySentence(key);
      this.ruleText = ruleText(key);
      this.anewText = anewText(key);
      this.speedText = speedText(key);
      this.follows = key.follows;
      this.prefers = key.prefers;
      this.along = key.along;
      this.isMidi = key.is_midi;
      this.hasKey = !!key.key;
      this.hasNotes = key.profile.some((share) => share > 0);
      this.ownShift = key.shift;
      const total = Math.round(key.shifted);
      this.shares = key.shares.map(({ shift, inside }) => ({
        shift, label: shift > 0 ? `+${shift}` : String(shift).replace("-", "−"), percent: Math.round(100 * inside),
        title: `${semitones(shift)}: ${percent(inside)} inside`, pressed: String(shift === total), proposed: shift === key.proposed,
      }));
      this.ownKey = key.own ?? "no key";
      const from = key.key_from;
      this.sure = from ? `\u00a0· ${from === "heard" ? percent(key.confidence) : SAID[from]}` : "";
      this.otherKeys = key.others.map((o) => ({
        key: o.key, about: `${percent(o.confidence)}${o.shift === null ? "" : `; then ${semitones(o.shift)}`}`,
      }));
      const heard = key.cents;
      this.tuned = heard === null ? "Its tuning cannot be told." : `heard ${heard > 0 ? "+" : heard < 0 ? "−" : ""}${Math.abs(heard).toFixed(0)} cents off A 440`;
      if (heard && key.correction === 0) this.tuned += ": as good as in tune";
      this.canCorrect = key.correction !== null && Math.abs(key.correction - key.set_cents) > 0.5;
      this.setCents = round(key.set_cents, 1);
      this.a4 = String(round(session.state.a4_hz, 2));
    },

    /** So many semitones in all. @param {number} shift */
    shiftTo(shift) {
      this.setOwnShift(shift - shared.key.asked);
    },

    /** @param {number} value semitones on top of what the key asks */
    setOwnShift(value) {
      shared.isHeld = false;
      const before = this.ownShift;
      this.ownShift = value; // the next press counts from here, whether this one was answered or not
      if (value !== before) void held.change({ kind: "set_shift", semitones: value });
      else shared.trial.want(null);
    },

    /** @param {number} value */
    hearShift(value) {
      shared.isHeld = true;
      shared.trial.want({ kind: "set_shift", semitones: value });
    },

    toggleFollow() {
      void held.change({ kind: "follow_key", follows: !shared.key.follows });
    },

    /** @param {string} prefers */
    prefer(prefers) {
      if (prefers !== shared.key.prefers) void held.change({ kind: "follow_key", follows: true, prefers: /** @type {"tonic" | "relative"} */ (prefers) });
    },

    toggleAlong() {
      void held.change({ kind: "follow_key", follows: true, along: !shared.key.along });
    },

    /** It goes by what its loop is known to be now. */
    goAnew() {
      void held.change({ kind: "follow_key", follows: true, anew: true });
    },

    /** What key the loop itself has; where it follows the song's it goes by that. @param {string} key */
    async stateKey(key) {
      const said = { kind: "state_key", key: key || null };
      await session.last; // whether it follows may be on its way
      const follows = session.state.strands.some((s) => s.id === held.name && s.follows_key);
      const done = follows
        ? await session.changeLoopFor(said, held.hand.loop, { kind: "follow_key", hand: held.name, follows: true, anew: true })
        : await session.changeLoop(said, held.hand.loop);
      if (!done) held.told();
    },

    // ---- tuning

    correctTuning() {
      void view.intent({ kind: "correct_tuning", hands: [held.name], cents: null });
    },

    correctAll() {
      void view.intent({ kind: "correct_tuning", hands: session.state.strands.map((s) => s.id), cents: null });
    },

    /** @param {number} cents */
    setTuning(cents) {
      if (cents !== shared.key.set_cents) void view.intent({ kind: "correct_tuning", hands: [held.name], cents });
    },

    /** @param {string} text */
    async setA4(text) {
      const hertz = typedNumber(text);
      const done = hertz !== null && await view.intent({ kind: "set_a4", hertz });
      if (!done) held.refuse(hertz === null ? `“${text}” is not a frequency.` : undefined);
    },

    /** For tests: how much is inside now. */
    insideNow: () => insideAt(shared.key, Math.round(shared.key.shifted)),
  });
};

// @ts-check
/** How it is stretched: the method and its settings; the strand's level. */

import { round, semitones } from "../format.js";
import { section } from "../sections.js";
import { strainText } from "./texts.js";

/** @param {import("../types.js").StretchSettings} settings */
const shownGrains = (settings) => ({
  ms: round(1000 * settings.grain_seconds, 1), density: settings.density, jitter: round(1000 * settings.jitter_seconds, 1),
  spread: round(100 * settings.spread, 1), direction: settings.direction, isFrozen: settings.frozen_at !== null,
  frozen: round(100 * (settings.frozen_at ?? 0), 1), seed: settings.seed,
});

/** @param {import("./shared.js").Shared} shared */
export const stretching = (shared) => {
  const { held } = shared;

  return section(shared.whole, {
    /** @type {(import("../types.js").Method & {strainText: string})[]} */
    methods: [],
    /** @type {{key: string, name: string}[]} */
    voices: [],
    method: "", voice: "", semitones: 0, formants: 0, uses: /** @type {Record<string, boolean>} */ ({}),
    grains: { ms: 0, density: 0, jitter: 0, spread: 0, direction: "", isFrozen: false, frozen: 0, seed: 0 },
    chosenText: "", strainText: "", spoolText: "", gain: 0, lead: true,

    showStretch() {
      const { hand } = held;
      const { settings } = hand;
      this.methods = hand.methods.map((m) => ({ ...m, strainText: m.strain === null ? "" : m.strain.toFixed(2) }));
      this.method = hand.method;
      this.voices = hand.voices;
      this.voice = hand.voice ?? "";
      this.semitones = hand.shift;
      this.formants = round(100 * settings.formants, 1);
      this.grains = shownGrains(settings);
      const method = hand.methods.find((m) => m.key === hand.method);
      const used = new Set(method?.uses);
      this.uses = {
        shift: method?.shifts ?? false, formants: used.has("formants") && hand.shift !== 0,
        grains: used.has("grain_seconds"), voice: used.has("voice"),
      };
      this.chosenText = hand.method === "auto" && hand.methods.length > 1 ? `Auto chose ${hand.chosen.name}: ${hand.chosen.why}.` : "";
      this.strainText = strainText(hand);
      this.spoolText = `its speed shifts it ${semitones(round(hand.spool_semitones, 2))}`;
      this.gain = hand.gain_db;
      this.lead = hand.lead;
    },

    /** @param {string} key */
    setMethod(key) {
      if (key !== held.hand.method) void held.change({ kind: "set_method", method: key });
    },

    /** @param {number} value semitones */
    setShift(value) {
      if (value !== held.hand.shift) void held.change({ kind: "set_shift", semitones: value });
    },

    /** A setting of the stretch. @param {string} name @param {number | string | null} value */
    setStretch(name, value) {
      const before = /** @type {Record<string, unknown>} */ (held.hand.settings)[name];
      if (value !== before) void held.change({ kind: "set_stretch", [name]: value });
    },

    /** @param {boolean} isFrozen */
    freeze(isFrozen) {
      this.setStretch("frozen_at", isFrozen ? 0 : null);
    },

    /** What plays a MIDI loop's notes. @param {string} key */
    setVoice(key) {
      this.setStretch("voice", key || null);
    },

    /** Another throw of everything that chance decides. */
    throwAgain() {
      this.setStretch("seed", held.hand.settings.seed + 1);
    },

    /** @param {number} value */
    setGain(value) {
      if (value !== held.hand.gain_db) void held.change({ kind: "set_strand_level", gain_db: value });
    },

    toggleLead() {
      void held.change({ kind: "set_lead", lead: !held.hand.lead });
    },
  });
};

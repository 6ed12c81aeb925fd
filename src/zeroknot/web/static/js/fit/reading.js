// @ts-check
/** What the loop is: its readings, what a person states of it, what it gives to the project, its attacks. */

import { asLong, bars, bpm, percent, typedNumber } from "../format.js";
import { section } from "../sections.js";
import { claimsText } from "./texts.js";

/** Fields that take whole numbers only. @type {Record<string, string>} */
const WHOLE = { bars: "a number of bars", beats_per_bar: "a number of beats" };
const SAME_TEMPO = 0.005;
const SOURCES = { heard: "", stated: "own", claimed: "claimed" };

/** @typedef {import("../types.js").Reading} Reading */

/** Are two the same bars at the same tempo, but for where they begin? @param {Reading} one @param {Reading} other */
const areMoved = (one, other) =>
  one.beats_per_bar === other.beats_per_bar && Math.abs(one.bars - other.bars) <= 1
  && Math.abs(one.tempo_bpm / other.tempo_bpm - 1) < SAME_TEMPO && one.downbeat_s !== other.downbeat_s;

/** @param {Reading} reading @param {number} i @param {Reading[]} all */
const shownReading = (reading, i, all) => ({
  index: reading.index,
  label: all.slice(0, i).some((other) => areMoved(reading, other)) ? `from ${reading.downbeat_s.toFixed(2)} s`
    : `${bars(reading.bars)}${reading.beats_per_bar === 4 ? "" : ` of ${reading.beats_per_bar}`}`,
  bpm: bpm(reading.tempo_bpm),
  sure: SOURCES[reading.source] || percent(reading.confidence),
  share: reading.confidence,
  isHeard: reading.source === "heard",
  reason: `${reading.reason[0].toUpperCase()}${reading.reason.slice(1)}. Here: ${asLong(reading.duration_ratio)}.`,
  adopted: reading.adopted,
});

/** @param {import("./shared.js").Shared} shared */
export const reading = (shared) => {
  const { session, held } = shared;
  const sensitivityKey = () => `zeroknot.sensitivity.${held.hand.loop}`;

  return section(shared.whole, {
    /** @type {ReturnType<typeof shownReading>[]} */
    readings: [],
    reasonText: "", claims: "", warnings: "",
    bars: "", perBar: "", tempo: "", downbeat: "", end: "", stated: false, hasKey: true,
    sensitivity: 0, attacksText: "",

    showReading() {
      const { hand } = held;
      this.readings = hand.readings.map(shownReading);
      this.explain(-1);
      this.claims = claimsText(hand.claims);
      this.warnings = hand.warnings.join("; ");
      this.bars = String(hand.bars ?? "");
      this.perBar = String(hand.beats_per_bar);
      this.tempo = bpm(hand.tempo_bpm);
      this.downbeat = hand.zero_s.toFixed(3);
      this.end = hand.end_s.toFixed(3);
      this.stated = hand.is_stated;
      this.hasKey = hand.key !== null;
      this.setSensitivity(Number(sessionStorage.getItem(sensitivityKey()) ?? Math.round(100 * hand.sensitivity)));
    },

    /** Say why a reading stands in the list; the adopted one's reason holds where none is pointed at. @param {number} index */
    explain(index) {
      const shown = this.readings.find((r) => r.index === index) ?? this.readings.find((r) => r.adopted) ?? this.readings[0];
      this.reasonText = shown?.reason ?? "";
    },

    /** @param {number} index */
    adopt(index) {
      if (index >= 0) void held.change({ kind: "adopt_reading", index });
    },

    /** A number key while it is heard: so many bars. @param {number} count */
    countBars(count) {
      if (!this.hearing) return false;
      if (count !== held.hand.bars) void held.change({ kind: "state_reading", bars: count });
      return true;
    },

    /** @param {import("../types.js").Proposal["intent"]} intent what was proposed */
    takeProposal(intent) {
      void held.change(intent);
    },

    /** @param {string} field @param {string} text */
    correct(field, text) {
      const value = typedNumber(text);
      if (value === null || (WHOLE[field] && (value < 1 || !Number.isInteger(value)))) {
        held.refuse(`“${text}” cannot be read as ${WHOLE[field] ?? "a number"}.`);
      } else void held.change({ kind: "state_reading", [field]: value });
    },

    withdraw() {
      void held.change({ kind: "withdraw_reading" });
    },

    takeTempo() {
      void session.submit({ kind: "take_tempo", hand: held.name });
    },

    takeMetre() {
      void session.submit({ kind: "take_metre", hand: held.name });
    },

    takeKey() {
      void session.submit({ kind: "take_key", hand: held.name });
    },

    /** How readily a rise counts as an attack: more only ever adds. @param {number} value percent */
    setSensitivity(value) {
      const { hand } = held;
      this.sensitivity = value;
      shared.attacks = hand.attacks.filter(([, , sure]) => sure >= 1 - value / 100);
      shared.stage?.changed();
      this.attacksText = `${shared.attacks.length} attack${shared.attacks.length === 1 ? "" : "s"} heard`;
      if (value === Math.round(100 * hand.sensitivity)) sessionStorage.removeItem(sensitivityKey());
      else sessionStorage.setItem(sensitivityKey(), String(value));
    },
  });
};

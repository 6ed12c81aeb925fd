// @ts-check
/** What is in hand, in one line over every view on it: its face, its name, what it is; and where it would be placed. */

import { bars, bpm, seconds } from "../format.js";
import { keyFromText } from "../key-from.js";
import { barLine } from "../metre.js";
import { section } from "../sections.js";

/** @typedef {import("../types.js").Hand} Hand */

const TUNED_CENTS = 4; // under which nobody hears that it is off

/** @param {Hand} hand */
export function keyText(hand) {
  if (hand.key === null) return hand.sound === "drums" || hand.sound === "percussion" ? "" : "no key";
  const { cents } = hand.heard_key;
  const tuned = cents === null || Math.abs(cents) < TUNED_CENTS ? "" : `, ${cents > 0 ? "+" : "−"}${Math.abs(cents).toFixed(0)} ct`;
  return `${hand.key}${tuned}`;
}

/** @param {import("./hearing.js").Shared} shared */
export const inHandBar = ({ held }) => {
  const { session } = held;

  return section(null, {
    empty: held.isEmpty,
    name: "", about: "", ring: "", barsChip: "", fromBpm: "", toBpm: "", downbeatChip: "", keyChip: "", keyTitle: "", placeText: "Place",

    showInHand() {
      const { hand } = held;
      this.name = hand.name;
      this.about = [hand.sound ?? "audio", hand.channels === 1 ? "mono" : "stereo", seconds(hand.seconds), hand.is_made_again ? `made again from ${hand.loop_name}` : ""].filter(Boolean).join(" · ");
      this.keyChip = keyText(hand);
      this.keyTitle = keyFromText(hand);
      this.ring = `/api/loops/${hand.loop}/ring.png?yarn=${hand.yarn}&start=${hand.zero_s}&end=${hand.end_s}`;
      this.barsChip = `${hand.bars === null ? "bars unknown" : bars(hand.bars)}${hand.is_by_hand ? ", tied by hand" : ""}`;
      this.fromBpm = bpm(hand.tempo_bpm ?? hand.recorded_bpm);
      this.toBpm = bpm(session.state.bpm);
      this.downbeatChip = seconds(hand.zero_s, 3);
      this.showPlace();
    },

    showPlace() {
      const text = `Place at bar ${barLine(session.state.metres, held.beat).bar}`;
      if (this.placeText !== text) this.placeText = text;
    },

    async place() {
      const { hand, beat } = held;
      const track = session.state.tracks.find((t) => session.state.clips.some((c) => c.track === t.id && c.strand === hand.id));
      const done = await session.submit({ kind: "place", hand: held.name, beat, track: track?.id ?? null });
      if (done) session.say(`${hand.name} placed at bar ${barLine(session.state.metres, beat).bar}.`);
    },
  });
};

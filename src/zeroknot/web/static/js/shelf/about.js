// @ts-check
/** What is known of a loop, as the panel beside the list shows it. Texts only. */

import { percent, round } from "../format.js";

/** @typedef {import("../types.js").KnownLoop} KnownLoop */

/** The readings to choose from. @param {KnownLoop} known */
export const readingsOf = (known) => known.readings.map((r) => ({
  index: /** @type {number} */ (r.index),
  text: `${r.bars} bar${r.bars === 1 ? "" : "s"}${r.beats_per_bar === 4 ? "" : ` of ${r.beats_per_bar}`} at ${round(r.tempo_bpm, 2)}`,
  sure: r.source === "heard" ? percent(r.confidence) : "claimed",
  pressed: String(r.adopted),
  reason: /** @type {string} */ (r.reason),
}));

/** What the fields hold. @param {KnownLoop} known */
export function fieldsOf(known) {
  const r = known.reading;
  return {
    name: known.name,
    set: known.set,
    tags: known.tags.join(", "),
    tempo: r ? String(round(r.tempo_bpm, 3)) : "",
    bars: r ? String(r.bars) : "",
    per: r ? String(r.beats_per_bar) : "",
    downbeat: r ? r.downbeat_s.toFixed(3) : "",
    key: known.key ?? "",
    sound: known.sound ?? "",
  };
}

/** Tags as typed, commas between: what comes and what goes. @param {string} text @param {string[]} before */
export function tagChanges(text, before) {
  const wanted = text.split(",").map((t) => t.trim()).filter(Boolean);
  return { add: wanted.filter((t) => !before.includes(t)), remove: before.filter((t) => !wanted.includes(t)) };
}

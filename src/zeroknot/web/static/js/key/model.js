// @ts-check
/** The Key view's sums: notes as they are and shifted, which cell is pointed at, what is said. Pure. */

import { percent, round, semitones } from "../format.js";

/** @typedef {import("../types.js").HandKey} HandKey */
/** @typedef {import("../types.js").HandClash} HandClash */
/** @typedef {{name: string, share: number, weight: number}} Note share of the loudest; weight: how far inside the key, 1, ½ or 0 */

const NOTES = 12;

/** The notes of a loop shifted, C first, as shares of the loudest. @param {HandKey} key @param {number} shift whole semitones @returns {Note[]} */
export function notesShown(key, shift) {
  const loudest = Math.max(...key.profile, 1e-9);
  return key.names.map((name, i) => ({
    name, share: key.profile[((i - shift) % NOTES + NOTES) % NOTES] / loudest, weight: key.weights[i],
  }));
}

/** Share inside the key of what sounds at a shift, 0…1; null where the song has none. @param {HandKey} key @param {number} shift */
export function insideAt(key, shift) {
  if (!key.key) return null;
  const nearest = ((((shift + 6) % NOTES) + NOTES) % NOTES) - 6;
  return key.shares.find((s) => s.shift === nearest)?.inside ?? null;
}

/** What the key does to it, in one sentence. @param {HandKey} key */
export function keySentence(key) {
  if (!key.profile.some((share) => share > 0)) return "No notes were heard in it: it has no key to match.";
  if (!key.key) return "The song has no key yet. Give it one, and what has notes is brought into it.";
  const inside = insideAt(key, Math.round(key.shifted));
  const parts = [`${semitones(round(key.shifted, 2))}: ${Math.round(100 * (inside ?? 0))} % of its sound is inside ${key.key}.`];
  if (key.outside.length) parts.push(`Outside: ${key.outside.join(", ")}.`);
  if (key.proposed !== null && !key.along && key.proposed !== Math.round(key.shifted)) {
    const best = insideAt(key, key.proposed) ?? 0;
    parts.push(`At ${semitones(key.proposed)} it would be ${Math.round(100 * best)} %.`);
  }
  return parts.join(" ");
}

/** How the rule came to its shift. @param {HandKey} key */
export function ruleText(key) {
  if (!key.key || key.proposed === null) return "";
  if (!key.rule_key) return `The key asks ${semitones(key.proposed)} (into ${key.key}): the shift with most of its sound inside.`;
  const way = key.prefers === "tonic" ? "tonic to tonic" : "to the key with the same notes";
  if (key.by_key !== null && key.by_key !== key.proposed) return `The key asks ${semitones(key.proposed)} (${key.rule_key} into ${key.key}): ${way} would be ${semitones(key.by_key)}, with less of its sound inside by more than ${percent(key.leeway)}.`;
  return `The key asks ${semitones(key.proposed)} (${key.rule_key} into ${key.key}): ${way}, unless another shift has over ${percent(key.leeway)} more of its sound inside.`;
}

/** What would be other if it came into the song now. @param {HandKey} key */
export function anewText(key) {
  if (!key.anew) return "";
  const now = key.anew.key ? `It is in ${key.anew.key}` : "It has no key";
  return `${now} as it is known now, which asks ${semitones(key.anew.shift ?? 0)}.`;
}

/** What its speed does to its pitch. @param {HandKey} key */
export function speedText(key) {
  if (Math.abs(key.spool_cents) < 4) return "";
  return `Its pitch follows its speed: ${key.spool_cents > 0 ? "+" : "−"}${Math.abs(key.spool_cents).toFixed(0)} cents. A shift of ${semitones(key.mending)} would mend that.`;
}

/** @typedef {{left: number, top: number, width: number, height: number, rows: number, count: number}} Grid the clash table's cells */

/** The cell under a point; null outside. @param {Grid} grid @param {number} x @param {number} y */
export function cellAt(grid, x, y) {
  const column = Math.floor(((x - grid.left) / grid.width) * grid.count);
  const row = Math.floor(((y - grid.top) / grid.height) * grid.rows);
  return column >= 0 && column < grid.count && row >= 0 && row < grid.rows ? { row, column } : null;
}

/** What is said of a cell. @param {HandClash} clash @param {{row: number, column: number}} cell */
export function cellText(clash, { row, column }) {
  const { name, bars } = clash.rows[row];
  const bar = bars[column];
  const where = `${name}, bar ${clash.first_bar + column}`;
  if (!bar) return `${where}: one of the two rests`;
  return `${where}: ${(bar.clash * 1000).toFixed(1)}${bar.worst ? `, most by ${bar.worst}` : ""}${bar.clash >= clash.heard ? ", heard" : ""}`;
}

// @ts-check
/** How a loop is shown in the list: texts and addresses, made once a row. */

import { asLong, bpm, percent, seconds, semitones } from "../format.js";
import { paletteName } from "../ui/colours.js";

/** @typedef {import("../types.js").ShelfRow} ShelfRow */

export const SURE = 0.6;

/**
 * @param {ShelfRow} row @param {number} index @param {string} projectPath
 * @param {number} lay times its own beats
 */
export function shown(row, index, projectPath, lay) {
  const { yarn } = row;
  const sureness = row.tempo_bpm === null ? "cannot tell"
    : row.is_stated ? "stated by hand" : `${percent(row.confidence)} sure`;
  const isSure = row.is_stated || row.confidence >= SURE;
  return {
    index,
    key: row.sha,
    sha: row.sha,
    name: row.name,
    isGap: false,
    yarn,
    ringPath: `/api/loops/${row.sha}/ring.png?yarn=${yarn}&v=${row.stamp}`,
    linePath: `/api/loops/${row.sha}/line.png?yarn=${yarn}&palette=${paletteName()}`,
    fitPath: `${projectPath}/fit/${row.sha}`,
    about: row.alike !== null ? `${percent(Math.max(0, row.alike))}: ${row.why}`
      : [row.sound, row.set, ...row.tags, row.is_print ? "printed here" : ""].filter(Boolean).join(" · "),
    length: row.bars === null ? seconds(row.seconds) : `${row.bars} bar${row.bars === 1 ? "" : "s"}`,
    tempo: bpm(row.tempo_bpm),
    sureness,
    dot: row.tempo_bpm === null ? "dot none" : isSure ? "dot sure" : "dot unsure",
    claim: row.claimed_bpm && row.tempo_bpm && Math.abs(row.claimed_bpm / row.tempo_bpm - 1) > 0.01
      ? `file says ${bpm(row.claimed_bpm)}` : "",
    keyName: row.key ?? "–",
    shift: row.shift === null ? "" : row.shift === 0 ? "0" : semitones(row.shift).replace(" st", ""),
    kind: row.file_kind === "midi" ? "midi" : "audio",
    ratio: row.file_kind === "midi" && row.duration_ratio !== null ? "exact"
      : asLong(row.duration_ratio === null ? null : row.duration_ratio * lay),
    // A thread from as it is (above) to as it would be (below): straight where nothing changes.
    thread: threadOf(row.duration_ratio === null ? null : row.duration_ratio * lay),
    favourite: row.favourite,
    heart: row.favourite ? "♥" : "♡",
    heartText: row.favourite ? `${row.name} is a favourite` : `Make ${row.name} a favourite`,
  };
}

/** A row that has not come yet. @param {number} index @param {string} projectPath */
export function gap(index, projectPath) {
  const empty = {
    sha: "".padEnd(64, "0"), stamp: 0, name: "…", set: "", tags: [], file_kind: "wav", seconds: 0,
    channels: 2, rate: 44100, bars: null, beats_per_bar: null, tempo_bpm: null, confidence: 0,
    is_stated: false, claimed_bpm: null, key: null, key_confidence: 0, is_key_stated: false,
    sound: null, is_print: false, favourite: false, yarn: 0, duration_ratio: null, shift: null, warnings: [], alike: null, why: "",
  };
  return {
    ...shown(empty, index, projectPath, 1), key: `gap-${index}`, isGap: true, ringPath: "", linePath: "", length: "",
  };
}

/** The lower end of a thread that hangs from the middle of a box of 40 by 18. @param {number | null} ratio */
function threadOf(ratio) {
  if (ratio === null) return "";
  const octaves = Math.max(-1.5, Math.min(1.5, Math.log2(ratio)));
  return `M20 2L${(20 + 12 * octaves).toFixed(1)} 16`;
}

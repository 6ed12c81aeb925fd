// @ts-check
/** What Fit says of what is in hand, in words and small pictures. */

import { bars, bpm, round, seconds } from "../format.js";

/** @typedef {import("../types.js").Hand} Hand */

/** How the tempo moves, as it was played and as it is laid. @param {Hand} hand */
export function steadyText(hand) {
  const s = hand.steadiness;
  if (!s || s.highest_bpm - s.lowest_bpm < 0.004 * s.highest_bpm) return "";
  const drift = Math.abs(s.drift_percent) < 0.5 ? "" : ` It ends ${Math.abs(s.drift_percent).toFixed(1)} % ${s.drift_percent > 0 ? "faster" : "slower"} than it starts.`;
  const before = `Played between ${bpm(s.lowest_bpm)} and ${bpm(s.highest_bpm)} BPM, deviation ${s.deviation_bpm.toFixed(2)} (variance ${(s.deviation_bpm ** 2).toFixed(2)}).${drift}`;
  if (!hand.straighten) return before;
  return `${before} Straightened: ${bpm(s.after_mean_bpm)} BPM, deviation ${s.after_deviation_bpm.toFixed(2)} (variance ${(s.after_deviation_bpm ** 2).toFixed(2)}).`;
}

const CURVE = { width: 266, height: 46 };

/**
 * The tempo over the beats: as it was played, and as it is laid where it was straightened; both in
 * per cent of their mean, so that they can be compared.
 * @param {Hand} hand
 */
export function curveLines(hand) {
  const s = hand.steadiness;
  if (!s || !steadyText(hand)) return { line: "", after: "", mean: 0, spread: 0, top: "", bottom: "" };
  const [from, to] = [s.curve[0][0], s.curve[s.curve.length - 1][0]];
  const room = Math.max(...s.curve.flatMap(([, played, laid]) => [
    Math.abs(played / s.mean_bpm - 1), hand.straighten ? Math.abs(laid / s.after_mean_bpm - 1) : 0,
  ]));
  const middle = CURVE.height / 2;
  /** @param {number} off share of the mean */
  const y = (off) => middle - ((middle - 3) * off) / room;
  /** @param {1 | 2} which @param {number} mean */
  const line = (which, mean) => s.curve
    .map((row) => `${round((CURVE.width * (row[0] - from)) / (to - from), 1)},${round(y(row[which] / mean - 1), 1)}`).join(" ");
  return {
    line: line(1, s.mean_bpm),
    after: hand.straighten ? line(2, s.after_mean_bpm) : "",
    mean: round(middle, 1),
    spread: round(((middle - 3) * s.deviation_bpm) / s.mean_bpm / room, 1),
    top: `+${(100 * room).toFixed(1)} %`,
    bottom: `${bpm(s.mean_bpm)} −${(100 * room).toFixed(1)} %`,
  };
}

/** @param {Record<string, unknown>} claims */
export function claimsText(claims) {
  const said = [];
  if (claims.tempo_bpm) said.push(`${bpm(Number(claims.tempo_bpm))} BPM`);
  if (claims.bars) said.push(bars(Number(claims.bars)));
  if (claims.key) said.push(String(claims.key));
  if (claims.loop_end_s) said.push(`a loop from ${seconds(Number(claims.loop_start_s), 3)} to ${seconds(Number(claims.loop_end_s), 3)}`);
  if (!said.length) return "";
  const sources = Array.isArray(claims.sources) ? claims.sources.join(", ") : "";
  return `Its ${sources || "file"} say${sources.endsWith("s") ? "" : "s"} ${said.join(", ")}.`;
}

/** A strand that keeps its own time: how far that is off. @param {Hand} hand */
export function ownTimeText(hand) {
  const own = hand.own_time;
  if (!own) return "";
  const off = Math.abs(own.late) < 0.005 ? "on the grid" : `${round(Math.abs(own.late), 2)} beats ${own.late > 0 ? "late" : "early"}`;
  return `It keeps its own time: a pass lasts ${round(own.beats, 2)} beats of the project and ends ${off}; after 8 passes ${round(Math.abs(8 * own.late), 1)} beats.`;
}

/** @param {Hand} hand */
export function strainText(hand) {
  const s = hand.strained;
  if (!s) return "";
  const most = s.most > s.mean + 0.02 ? ` Most at ${s.most_at}: ${s.most.toFixed(2)}.` : "";
  return `Strain ${s.mean.toFixed(2)}: ${s.words}.${most}`;
}

/** How a pass joins the next one. @param {import("../types.js").SeamFacts} seam @param {number} crossfadeMs */
export function seamText(seam, crossfadeMs) {
  const times = (/** @type {number} */ jump) => `${jump < 10 ? jump.toFixed(1) : jump.toFixed(0)} times what it does beside it`;
  if (!crossfadeMs) {
    return seam.is_heard ? `Its seam jumps by ${times(seam.jump)}: a click at every pass.` : "Its seam joins without a click.";
  }
  const over = `Crossfaded over ${round(crossfadeMs, 1)} ms`;
  if (!seam.is_mended) return `${over} it still jumps by ${times(seam.heard_jump)}.`;
  return seam.is_heard ? `${over} its seam joins; without, it jumps by ${times(seam.jump)}.` : `${over} its seam joins, as it does without.`;
}

// @ts-check
/**
 * What is in hand, heard alone: as recorded, as fitted, or its seam. One round of each, as events.
 */

import { frame } from "./schedule.js";

/** @typedef {import("../types.js").HandSheet} HandSheet */
/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/** @typedef {"recorded" | "fitted" | "seam" | "against"} Way */
/** @typedef {SheetEvent & {channels?: number}} HandEvent channels: where they are not those of the sheet */
/** @typedef {{way: Way, period: number, events: HandEvent[]}} Pattern period: frames from round to round */
/** @typedef {{recorded: number, fitted: number, against: number}} Gains linear, so that all are as loud */

const EDGE_FRAMES = 220;
const SEAM_SECONDS = 1;
const LEAST_FRAMES = 441; // of a round: what is shorter is heard as a tone, not as a loop
export const AS_THEY_ARE = Object.freeze({ recorded: 1, fitted: 1, against: 1 });

/** @param {Partial<HandEvent> & {digest: string, at: number, start: number, frames: number}} given @returns {HandEvent} */
function event(given) {
  return { id: "hand", track: "hand", strand: "hand", gain: 1, fade_in: 0, fade_out: 0, shape: [], ...given };
}

/** One round of a way of hearing. @param {HandSheet} sheet @param {Way} way @param {Gains} gains @returns {Pattern} */
export function patternOf(sheet, way, gains) {
  const { rate, lead, body } = sheet;
  const digest = way === "against" ? sheet.against : sheet.digest;
  if (way === "recorded") {
    const start = Math.max(0, frame(sheet.zero_s * rate));
    const period = Math.max(LEAST_FRAMES, frame((sheet.end_s - sheet.zero_s) * rate));
    const frames = Math.min(period, sheet.source_frames - start);
    const one = event({
      digest: sheet.recorded, at: 0, start, frames, gain: gains.recorded * sheet.gain,
      fade_in: 30, fade_out: EDGE_FRAMES,
    });
    return { way, period, events: frames > 0 ? [one] : [] };
  }
  if (way === "seam" && sheet.is_range) return seamOfRange(sheet, gains);
  const gain = sheet.gain * (way === "against" ? gains.against : gains.fitted);
  if (way === "seam") {
    const beat = Math.max(1, Math.min(body, frame(body / Math.max(1, sheet.span))));
    const tail = Math.min(beat, sheet.frames - lead - body);
    return {
      way,
      period: 2 * beat,
      events: [
        event({ digest, gain, at: 0, start: lead + body - beat, frames: beat + tail, fade_in: EDGE_FRAMES }),
        event({ digest, gain, at: beat, start: lead, frames: beat, fade_out: EDGE_FRAMES }),
      ],
    };
  }
  const frames = sheet.frames - lead;
  const events = [event({ digest, gain, at: 0, start: lead, frames })];
  if (sheet.rings) {
    const [rings, before, all] = sheet.rings;
    events.push(event({ id: "rings", digest: rings, gain, at: 0, start: before, frames: all - before, channels: 2 }));
  }
  if (sheet.clicks) events.push(event({ id: "clicks", digest: sheet.clicks, at: 0, start: 0, frames: body }));
  return { way, period: Math.max(LEAST_FRAMES, body), events };
}

/** The seam of a stretch of the recording: its last part, then its first. @param {HandSheet} sheet @param {Gains} gains @returns {Pattern} */
function seamOfRange(sheet, gains) {
  const { rate } = sheet;
  const [start, end] = [frame(sheet.zero_s * rate), frame(sheet.end_s * rate)];
  const part = Math.max(1, Math.min(end - start, frame(SEAM_SECONDS * rate)));
  const gain = gains.recorded * sheet.gain;
  return {
    way: "seam",
    period: 2 * part,
    events: [
      event({ digest: sheet.recorded, gain, at: 0, start: end - part, frames: part, fade_in: EDGE_FRAMES }),
      event({ digest: sheet.recorded, gain, at: part, start: Math.max(0, start), frames: part, fade_out: EDGE_FRAMES }),
    ],
  };
}

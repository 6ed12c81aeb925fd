// @ts-check
/** A sheet and what sounds of it: where its beats lie in song frames, and where its events end. */

import { along, frame } from "./schedule.js";

/** @typedef {import("../types.js").Sheet} Sheet */
/** @typedef {import("../types.js").SheetEvent} SheetEvent */

/**
 * What the coil plays: a slot, and the beat of the song on which a pass of it begins; 0 where it goes
 * as if it had always sounded.
 * @typedef {{slot: string, from: number}} Coiled
 */

export class Laid {
  /** @param {Sheet} sheet @param {readonly SheetEvent[]} events @param {Coiled | null} [coiled] */
  constructor(sheet, events, coiled = null) {
    this.sheet = sheet;
    this.coiled = coiled;
    this.events = coiled ? [...events, ...coiledEvents(sheet, coiled)] : events;
    events = this.events;
    this.keys = new Set(events.map(keyOf));
  }

  /** What sounds with something in hand: its events instead of its own clips; and what the coil plays. @param {Sheet} sheet @param {string | null} hand a strand @param {Coiled | null} coiled */
  static of(sheet, hand, coiled) {
    if (!hand) return new Laid(sheet, sheet.events, coiled);
    const strand = sheet.hand_events[0]?.strand ?? hand;
    return new Laid(sheet, [...sheet.events.filter((e) => e.strand !== strand), ...sheet.hand_events], coiled);
  }

  /** @param {SheetEvent} event */
  has(event) {
    return this.keys.has(keyOf(event));
  }

  /** @param {number} beat */
  frameOf(beat) {
    return frame(along(this.sheet.pulses, 0, 1, beat));
  }

  /** @param {number} song frame */
  beatOf(song) {
    return along(this.sheet.pulses, 1, 0, song);
  }

  /** Song frames of a stretch of beats; null where it is too short to be heard. @param {{from: number, to: number} | null} beats @param {number} least frames */
  framesOf(beats, least) {
    if (!beats) return null;
    const [from, to] = [this.frameOf(beats.from), this.frameOf(beats.to)];
    return to - from > least ? { from, to } : null;
  }

  /** The last bar line that the table has. */
  get last() {
    return this.sheet.pulses[this.sheet.pulses.length - 1][1];
  }

  /** Pulses from a song frame on, up to another: beat, frame, bar, number in the bar. @param {number} from @param {number} to */
  *pulsesBetween(from, to) {
    const { pulses } = this.sheet;
    let [low, high] = [0, pulses.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (pulses[middle][1] < from) low = middle + 1;
      else high = middle;
    }
    for (let i = low; i < pulses.length && pulses[i][1] < to; i += 1) yield pulses[i];
  }

  /** Where an event ends if the song turns back at a frame: a body is cut there, a tail rings on. @param {SheetEvent} event @param {number} end */
  cutOf(event, end) {
    const shape = this.sheet.shapes[event.digest];
    const bodyEnd = shape ? event.at - event.start + shape.lead + shape.body : Infinity;
    return bodyEnd <= end ? Infinity : end;
  }
}

/** A loop of the coil through the song, its passes counted from a beat. @param {Sheet} sheet @param {Coiled} coiled @returns {SheetEvent[]} */
export function coiledEvents(sheet, { slot, from }) {
  const loop = sheet.coil.find((l) => l.slot === slot);
  if (!loop) return [];
  if (!from || loop.anew) return loop.events;
  const at = (/** @type {number} */ beat) => frame(along(sheet.pulses, 0, 1, beat));
  // So many passes lie before it that a cycle, or a seek, which goes back finds it there, too.
  const by = at(from) - at(Math.ceil(from / loop.round - 1e-9) * loop.round);
  return by ? loop.events.map((e) => ({ ...e, at: e.at + by })) : loop.events;
}

/** What makes an event the same event. @param {SheetEvent} e */
const keyOf = (e) =>
  `${e.id} ${e.track} ${e.digest} ${e.at} ${e.start} ${e.frames} ${e.gain} ${e.fade_in} ${e.fade_out} ${e.shape}`;

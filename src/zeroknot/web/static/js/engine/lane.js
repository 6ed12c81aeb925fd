// @ts-check
/**
 * One stream of events on the audio clock: the song, or what is in hand.
 *
 * A lane keeps a cursor: up to which context frame it has handed parts to the audio clock, and
 * which frame of its own time that is. Windows are half open and meet; nothing is lost or twice.
 */

import { envelope, partsIn } from "./schedule.js";

/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/** @typedef {import("./schedule.js").Part} Part */

const JOIN_SECONDS = 0.005;
const CUT_SECONDS = 0.003;

export class Lane {
  /**
   * @param {BaseAudioContext} context @param {import("./blocks.js").Blocks} blocks
   * @param {(event: SheetEvent) => AudioNode | null} output where an event sounds; null: nowhere
   * @param {(digest: string) => number} channels
   */
  constructor(context, blocks, output, channels) {
    this.context = context;
    this.blocks = blocks;
    this.output = output;
    this.channels = channels;
    this.rate = context.sampleRate;
    /** @type {Set<{event: SheetEvent, source: AudioBufferSourceNode, edge: GainNode}>} */
    this.sounding = new Set();
    this.late = 0;
    this.generation = 0;
  }

  /**
   * Hand the parts of a window to the clock.
   * @param {Iterable<SheetEvent>} events
   * @param {number} from lane frame @param {number} to lane frame
   * @param {number} contextFrame the context frame `from` falls on
   * @param {boolean} join also what began before
   * @param {(event: SheetEvent) => number} cutAt lane frame after which an event is silent
   */
  play(events, from, to, contextFrame, join, cutAt) {
    for (const event of events) {
      for (const part of partsIn(event, from, to, join)) {
        const joined = join && part.from > 0 && part.at === from;
        const cut = cutAt(event);
        if (part.at >= cut) continue;
        const length = Math.min(part.frames, cut - part.at);
        const isCut = length < part.frames || cut === part.at + part.frames;
        const clipped = { ...part, frames: length };
        const at = contextFrame + part.at - from;
        const buffer = this.blocks.ready(event.digest, part.index);
        if (buffer) this.start(clipped, buffer, at, joined, isCut && cut < event.at + event.frames);
        else this.startWhenReady(clipped, at, isCut && cut < event.at + event.frames);
      }
    }
  }

  /** @param {Part} part @param {number} at @param {boolean} isCut */
  startWhenReady(part, at, isCut) {
    const generation = this.generation;
    this.late += 1;
    this.blocks.get(part.event.digest, part.index, this.channels(part.event.digest)).then(
      (buffer) => {
        if (generation !== this.generation) return;
        // What is past is skipped: a late part joins where it would be by now.
        const now = Math.ceil((this.context.currentTime + 0.02) * this.rate);
        const skip = Math.max(0, now - at);
        if (skip >= part.frames) return;
        const rest = {
          ...part, at: part.at + skip, offset: part.offset + skip, from: part.from + skip,
          frames: part.frames - skip,
        };
        this.start(rest, buffer, at + skip, skip > 0, isCut);
      },
      () => undefined,
    );
  }

  /** @param {Part} part @param {AudioBuffer} buffer @param {number} at @param {boolean} joined @param {boolean} cut */
  start(part, buffer, at, joined, cut) {
    const output = this.output(part.event);
    if (!output) return;
    const source = new AudioBufferSourceNode(this.context, { buffer });
    const gain = new GainNode(this.context, { gain: 0 });
    const corners = envelope(part.event, part.from, part.from + part.frames);
    /** @param {number} frame */
    const time = (frame) => (at + frame - part.from) / this.rate;
    const level = part.event.gain;
    corners.forEach(([frame, value], i) => {
      if (i === 0) gain.gain.setValueAtTime(value * level, time(frame));
      else gain.gain.linearRampToValueAtTime(value * level, time(frame));
    });
    // A second gain for joins, cuts and letting go, so that none disturbs the event's own fades.
    const edge = new GainNode(this.context, { gain: joined ? 0 : 1 });
    if (joined) {
      edge.gain.setValueAtTime(0, at / this.rate);
      edge.gain.linearRampToValueAtTime(1, at / this.rate + JOIN_SECONDS);
    }
    if (cut) {
      const end = (at + part.frames) / this.rate;
      edge.gain.setValueAtTime(1, Math.max(end - CUT_SECONDS, at / this.rate));
      edge.gain.linearRampToValueAtTime(0, end);
    }
    source.connect(gain);
    gain.connect(edge);
    edge.connect(output);
    source.start(at / this.rate, part.offset / this.rate, part.frames / this.rate);
    const entry = { event: part.event, source, edge };
    this.sounding.add(entry);
    source.onended = () => {
      this.sounding.delete(entry);
      source.disconnect();
      gain.disconnect();
      edge.disconnect();
    };
  }

  /**
   * Let what sounds go, at a context time, over 5 ms.
   * @param {number} time @param {(event: SheetEvent) => boolean} [which]
   */
  release(time, which) {
    for (const entry of this.sounding) {
      if (which && !which(entry.event)) continue;
      const { edge, source } = entry;
      edge.gain.cancelScheduledValues(time);
      edge.gain.setValueAtTime(1, time);
      edge.gain.linearRampToValueAtTime(0, time + JOIN_SECONDS);
      source.stop(time + JOIN_SECONDS + 0.001);
    }
    if (!which) this.generation += 1;
  }
}

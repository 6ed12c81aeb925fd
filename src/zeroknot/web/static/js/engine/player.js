// @ts-check
/**
 * Hands the orders of a plan to the audio clock, and its wishes to the blocks.
 *
 * All rules are in the plan; here orders become nodes. What was ordered can be kept in a log, from
 * which the core plays the same again (tests hold the two together).
 */

import { envelope } from "./schedule.js";

/** @typedef {import("./handout.js").PartOrder} PartOrder */
/** @typedef {import("./handout.js").ReleaseOrder} ReleaseOrder */
/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/**
 * @typedef {{
 *   advance: (now: number, known: import("./handout.js").Known) => import("./song-plan.js").SongOrder[],
 *   wanted: (now: number) => import("./song-plan.js").Wanted[],
 * }} Plan
 * @typedef {{part: PartOrder, source: AudioBufferSourceNode, edge: GainNode, going: [number, number][]}} Sounding
 *   going: the line along which it is let go, context frame and level
 * @typedef {(order: import("./song-plan.js").SongOrder) => void} Other what is done with orders that are no sound
 */

export class Player {
  /**
   * @param {BaseAudioContext} context @param {import("./blocks.js").Blocks} blocks @param {Plan} plan
   * @param {(event: SheetEvent) => AudioNode} output where an event sounds
   * @param {Other} [other]
   * @param {{isReady: boolean, ready: Promise<void>} | null} [mixer] that it sounds through: nothing begins before that is there
   */
  constructor(context, blocks, plan, output, other = () => undefined, mixer = null) {
    this.context = context;
    this.blocks = blocks;
    this.plan = plan;
    this.output = output;
    this.other = other;
    this.rate = context.sampleRate;
    /** @type {Set<Sounding>} */
    this.sounding = new Set();
    /** All that was ordered and when, where somebody wants to know. @type {(import("./song-plan.js").SongOrder & {given: number})[] | null} */
    this.log = null;
    this.mixer = mixer;
    void mixer?.ready.then(() => this.wake());
  }

  /** The frame that the audio clock is at. */
  get now() {
    return this.context.currentTime * this.rate;
  }

  /** Do what the plan orders up to a little ahead, and ask for what it wants next. */
  wake() {
    const { now } = this;
    if (this.mixer && !this.mixer.isReady) {
      this.blocks.want(this, this.plan.wanted(now), now);
      return;
    }
    for (const order of this.plan.advance(now, this.blocks)) {
      this.log?.push({ ...order, given: now });
      if (order.do === "part") this.start(order);
      else if (order.do === "release") this.release(order);
      else this.other(order);
    }
    this.blocks.want(this, this.plan.wanted(now), now);
  }

  /** @param {PartOrder} part */
  start(part) {
    const { event, at, frames } = part;
    const buffer = this.blocks.ready(event.digest, part.index);
    if (!buffer) return;
    const source = new AudioBufferSourceNode(this.context, { buffer });
    const gain = this.lined(envelope(event, part.from, part.from + frames).map(
      ([frame, value]) => [at + frame - part.from, value * event.gain],
    ));
    /** @type {AudioNode} */
    let last = source.connect(gain);
    // A gain each for joins and cuts, so that none disturbs another or the event's own fades.
    for (const [from, to] of part.rises) last = last.connect(this.ramp(from, to, 0, 1, at));
    for (const [from, to] of part.falls) last = last.connect(this.ramp(from, to, 1, 0, at));
    const edge = new GainNode(this.context);
    last.connect(edge).connect(this.output(event));
    source.start(at / this.rate, part.offset / this.rate, frames / this.rate);
    /** @type {Sounding} */
    const entry = { part, source, edge, going: [] };
    this.sounding.add(entry);
    source.onended = () => {
      this.sounding.delete(entry);
      edge.disconnect();
    };
  }

  /** @param {number} from @param {number} to @param {number} a @param {number} b @param {number} at where the part begins */
  ramp(from, to, a, b, at) {
    /** @param {number} frame */
    const value = (frame) => a + ((b - a) * Math.min(1, Math.max(0, (frame - from) / (to - from))));
    const corners = [at, ...[from, to].filter((frame) => frame > at)];
    return this.lined(corners.map((frame) => [frame, value(frame)]));
  }

  /** A gain along a line; at its first value from the first, as a frame's time may round to before it. @param {[number, number][]} corners */
  lined(corners) {
    const node = new GainNode(this.context, { gain: corners[0][1] });
    this.line(node.gain, corners);
    return node;
  }

  /** Straight lines from corner to corner. @param {AudioParam} param @param {[number, number][]} corners context frame and value */
  line(param, corners) {
    corners.forEach(([frame, value], i) => {
      if (i === 0) param.setValueAtTime(value, frame / this.rate);
      else param.linearRampToValueAtTime(value, frame / this.rate);
    });
  }

  /** Let what sounds go: from whatever it is at down to nothing. @param {ReleaseOrder} order */
  release({ spans, at, frames }) {
    for (const entry of this.sounding) {
      const { part, edge, source } = entry;
      if (!spans.has(part.span) || part.at + part.frames <= at) continue;
      if (part.at >= at + frames) {
        source.stop();
        continue;
      }
      const level = levelAt(entry.going, at);
      entry.going = [...entry.going.filter(([frame]) => frame < at), [at, level], [at + frames, 0]];
      edge.gain.cancelScheduledValues(0);
      this.line(edge.gain, entry.going);
      source.stop((at + frames) / this.rate);
    }
  }
}

/** Where a line of corners is at a frame; 1 before the first. @param {[number, number][]} corners @param {number} at */
function levelAt(corners, at) {
  const next = corners.findIndex(([frame]) => frame > at);
  if (next === 0 || !corners.length) return 1;
  if (next < 0) return corners[corners.length - 1][1];
  const [[a, from], [b, to]] = [corners[next - 1], corners[next]];
  return from + ((to - from) * (at - a)) / (b - a);
}

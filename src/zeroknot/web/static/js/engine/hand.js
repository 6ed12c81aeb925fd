// @ts-check
/** What is in hand, heard alone: its plan, on the audio clock. */

import { HandPlan } from "./hand-plan.js";
import { AS_THEY_ARE } from "./patterns.js";
import { Player } from "./player.js";

/** @typedef {import("../types.js").HandSheet} HandSheet */
/** @typedef {import("./patterns.js").Way} Way */

export class HandVoice {
  /**
   * @param {BaseAudioContext} context @param {import("./blocks.js").Blocks} blocks @param {AudioNode} output
   * @param {() => number} latency seconds from the audio clock to the ear
   */
  constructor(context, blocks, output, latency) {
    this.latency = latency;
    this.plan = new HandPlan(context.sampleRate);
    this.player = new Player(context, blocks, this.plan, () => output);
    /** @type {import("./patterns.js").Gains} */
    this.gains = { ...AS_THEY_ARE };
  }

  get isPlaying() {
    return this.plan.isPlaying;
  }

  get isWaiting() {
    return this.plan.isWaiting;
  }

  /** What sounds. */
  get sheet() {
    return this.plan.heard?.sheet ?? null;
  }

  get way() {
    return this.plan.heard?.pattern.way ?? null;
  }

  /** The frame of the audio clock that is heard now. */
  get heard() {
    return this.player.now - this.latency() * this.player.rate;
  }

  /** The moment of the recording that is heard now, in seconds; null when nothing is. @param {number} [ago] or so many seconds ago */
  second(ago = 0) {
    return this.plan.secondAt(this.heard - ago * this.player.rate);
  }

  /** Frames into the round that is heard now. */
  place() {
    return this.plan.placeAt(this.heard);
  }

  /** Another is about to be heard: the share of the pass at which, null where nothing sounds. */
  expect() {
    return this.plan.expect(this.player.now);
  }

  /** Nothing came of what was expected. */
  expectNothing() {
    this.plan.isExpecting = false;
  }

  /** @param {HandSheet} sheet @param {Way} way @param {boolean} [isTrial] it may be another a moment later */
  hear(sheet, way, isTrial = false) {
    this.plan.hear(sheet, way, this.gains, isTrial);
    this.player.wake();
  }

  /** Go on from a moment of the recording; nothing where it is not in what is heard. @param {number} second */
  go(second) {
    this.plan.go(second);
    this.player.wake();
  }

  stop() {
    this.plan.stop(this.player.now);
    this.player.wake();
  }
}

// @ts-check
/** The song as it plays: its plan, on the audio clock. */

import { Player } from "./player.js";
import { SongPlan } from "./song-plan.js";

/** @typedef {import("../types.js").Sheet} Sheet */

export class Song {
  /**
   * @param {BaseAudioContext} context @param {import("./blocks.js").Blocks} blocks
   * @param {import("./mixer.js").Mixer} mixer @param {import("./click.js").Click} click
   * @param {() => number} latency seconds from the audio clock to the ear
   */
  constructor(context, blocks, mixer, click, latency) {
    this.latency = latency;
    this.plan = new SongPlan(context.sampleRate);
    this.player = new Player(context, blocks, this.plan, (event) => mixer.input(event.track), (order) => {
      if (order.do === "levels") mixer.adopt(order.sheet.desk, order.isItsTime);
      else if (order.do === "run") mixer.run(order.at, order.song, order.isMoving, order.sheet?.desk ?? null);
      else if (order.do === "click") click.at(order.at / context.sampleRate, order.isOne);
      else if (order.do === "hush") click.hush(order.at / context.sampleRate);
    }, mixer);
  }

  get isPlaying() {
    return this.plan.isPlaying;
  }

  /** The sheet that sounds, or would. */
  get sheet() {
    return this.plan.current?.sheet ?? null;
  }

  /** Does what was asked for wait for its first blocks? */
  get isWaiting() {
    return this.plan.isWaiting;
  }

  get withHand() {
    return this.plan.withHand;
  }

  /** Does the next exchange of events wait for a bar line? @param {boolean} waits */
  set waitsForBar(waits) {
    this.plan.waits = waits ? "bar" : "now";
  }

  /** As `SongPlan.hearCoil`. @param {string | null} slot @param {"now" | "beat" | "bar"} when @param {boolean} starts */
  hearCoil(slot, when, starts) {
    this.plan.hearCoil(slot, when, starts, this.player.now);
    this.player.wake();
  }

  /** Are the loops of the coil kept ready? @param {boolean} keeps */
  set keepsCoil(keeps) {
    this.plan.keepsCoil = keeps;
    this.player.wake();
  }

  /** At the end of the song: begin again instead of stopping. @param {boolean} again */
  set beginsAgain(again) {
    this.plan.beginsAgain = again;
  }

  /** The frame of the audio clock that is heard now. */
  get heard() {
    return this.player.now - this.latency() * this.player.rate;
  }

  /** Where the song is, in beats, as it is heard. @param {number} [ago] or was so many seconds ago */
  beat(ago = 0) {
    return this.plan.beatAt(this.heard - ago * this.player.rate);
  }

  /** @param {Sheet} sheet */
  adopt(sheet) {
    this.plan.adopt(sheet, this.player.now);
    this.player.wake();
  }

  /** @param {number} [beat] */
  play(beat) {
    this.plan.play(beat);
    this.player.wake();
  }

  stop() {
    this.plan.stop(this.player.now, this.heard);
    this.player.wake();
  }

  /** @param {number} beat */
  go(beat) {
    this.plan.go(beat);
    this.player.wake();
  }

  /** @param {{from: number, to: number} | null} cycle in beats */
  setCycle(cycle) {
    this.plan.setCycle(cycle, this.player.now);
    this.player.wake();
  }

  /** What is in hand joins the song, or leaves it. @param {string | null} strand */
  hearHand(strand) {
    this.plan.hearHand(strand, this.player.now);
    this.player.wake();
  }
}

// @ts-check
/** On the audio thread: the tracks' desk, and what their sum goes through. */

import { Desk } from "./desk.js";
import { Limiter } from "./limiter.js";
import { PowerMeter } from "./meters.js";
import { Strip } from "./strip.js";
import { Way } from "./way.js";

/** @typedef {import("./desk.js").DeskSheet} DeskSheet */
/** @typedef {import("./strip.js").StripSheet} StripSheet */
/**
 * @typedef {{kind: "tell", sheet: DeskSheet, isItsTime: boolean} | ({kind: "run"} & import("./way.js").Run<DeskSheet>)
 *   | {kind: "slots", slots: [string, number][]} | {kind: "hear", id: string, name: string, value: number} | {kind: "let", id: string}
 *   | {kind: "look", id: string} | {kind: "ping", number: number}} DeskSaid
 * @typedef {{kind: "tell", strip: StripSheet, ceiling: number | null, isItsTime: boolean} | ({kind: "run"} & import("./way.js").Run<StripSheet>) | {kind: "hear", name: string, value: number} | {kind: "let"}
 *   | {kind: "ping", number: number}} MasterSaid
 */

const BLOCK = 128;
const METER_BLOCKS = 8; // between two messages
const QUIET_BLOCKS = 64; // where nothing sounds

class DeskProcessor extends AudioWorkletProcessor {
  constructor() {
    super();
    this.desk = new Desk(sampleRate);
    /** @type {Map<string, number>} the input that a track sounds on */
    this.slots = new Map();
    /** The track whose sound goes out by itself, to be looked at. */
    this.looked = "";
    /** How loud it is. */
    this.lookedMeter = new PowerMeter(sampleRate);
    /** @type {Map<string, [number, number]>} */
    this.peaks = new Map();
    this.blocks = 0;
    this.port.onmessage = (/** @type {MessageEvent<DeskSaid>} */ { data }) => this.told(data);
  }

  /** @param {DeskSaid} said */
  told(said) {
    if (said.kind === "tell") this.desk.adopt(said.sheet, said.isItsTime);
    else if (said.kind === "run") this.desk.way.run(said);
    else if (said.kind === "slots") this.slots = new Map(said.slots);
    else if (said.kind === "hear") this.desk.strips.get(said.id)?.hold(said.name, said.value);
    else if (said.kind === "let") this.desk.strips.get(said.id)?.held.clear();
    else if (said.kind === "look") this.look(said.id);
    else this.port.postMessage({ number: said.number });
  }

  /** @param {string} id */
  look(id) {
    if (id === this.looked) return;
    this.looked = id;
    this.lookedMeter = new PowerMeter(sampleRate);
  }

  /** @param {Float32Array[][]} inputs @param {Float32Array[][]} outputs */
  process(inputs, outputs) {
    if (this.isQuiet(inputs) && this.desk.way.pass(currentFrame, BLOCK)) {
      if (this.looked) this.lookedMeter.pass(BLOCK);
      return this.tell(QUIET_BLOCKS);
    }
    const [dry, room, looked] = outputs;
    const input = (/** @type {string} */ id) => inputs[this.slots.get(id) ?? -1];
    this.desk.process(currentFrame, input, BLOCK, { dry, room });
    for (const strip of this.desk.strips.values()) {
      if (strip.heard) this.measure(strip);
    }
    const strip = this.desk.strips.get(this.looked);
    if (strip?.heard) {
      looked.forEach((side, c) => side.set(strip.sound[c]));
      this.lookedMeter.feed(strip.sound[0].subarray(0, BLOCK), strip.sound[1].subarray(0, BLOCK));
    } else if (strip) this.lookedMeter.pass(BLOCK);
    return this.tell(METER_BLOCKS);
  }

  /** What was measured, every so many blocks. @param {number} every */
  tell(every) {
    this.blocks += 1;
    if (this.blocks % every === 0) {
      const strips = [...this.desk.strips.values()];
      const read = this.looked ? { id: this.looked, ...this.lookedMeter.take() } : null;
      this.port.postMessage({ read, peaks: [...this.peaks], down: strips.filter((s) => s.down > 0.01).map((s) => [s.id, s.down]) });
      this.peaks.clear();
    }
    return true;
  }

  /** Does nothing come in, and nothing ring? @param {Float32Array[][]} inputs */
  isQuiet(inputs) {
    for (const slot of this.slots.values()) if (inputs[slot].length) return false;
    return this.desk.isAtRest;
  }

  /** @param {Strip} strip */
  measure(strip) {
    let most = this.peaks.get(strip.id);
    if (!most) this.peaks.set(strip.id, most = [0, 0]);
    for (let c = 0; c < 2; c += 1) for (let i = 0; i < BLOCK; i += 1) most[c] = Math.max(most[c], Math.abs(strip.sound[c][i]));
  }
}

const AFTER_BLOCKS = 345; // a second: what is left of a sound by then is nothing
const FADE = 1 / 512; // a frame, where a limiter comes or goes: it makes all later or sooner

class MasterProcessor extends AudioWorkletProcessor {
  constructor() {
    super();
    this.strip = new Strip("master", sampleRate);
    /** @type {Way<StripSheet>} */
    this.way = new Way((sheet) => this.strip.tell(sheet));
    /** @type {Limiter | null} */
    this.limiter = null;
    /** @type {number | null} */
    this.ceiling = null;
    /** The ceiling that is held, and how far the way out is open meanwhile. @type {number | null} */
    this.held = null;
    this.open = 1;
    /** Nothing has sounded yet. */
    this.isNew = true;
    this.meter = new PowerMeter(sampleRate);
    this.peaks = [0, 0];
    this.blocks = 0;
    /** Blocks for which nothing came in and nothing rang. */
    this.quiet = 0;
    this.port.onmessage = (/** @type {MessageEvent<MasterSaid>} */ { data }) => this.told(data);
  }

  /** @param {MasterSaid} said */
  told(said) {
    if (said.kind === "tell") {
      if (said.isItsTime) this.way.renew(said.strip);
      this.strip.tell(said.strip, said.isItsTime);
      this.ceiling = said.ceiling;
    } else if (said.kind === "run") this.way.run(said);
    else if (said.kind === "hear") this.strip.hold(said.name, said.value);
    else if (said.kind === "let") this.strip.held.clear();
    else this.port.postMessage({ number: said.number });
  }

  /** Another ceiling: out, over, and in again. @param {Float32Array[]} output */
  exchange(output) {
    this.fade(output, -1);
    if (this.open > 0 && !this.isNew) return;
    this.held = this.ceiling;
    this.limiter = this.held === null ? null : new Limiter(sampleRate, this.held);
  }

  /** @param {Float32Array[]} output @param {1 | -1} way */
  fade(output, way) {
    if (this.isNew) return;
    for (let i = 0; i < BLOCK; i += 1) {
      this.open = Math.min(1, Math.max(0, this.open + way * FADE));
      for (const side of output) side[i] *= this.open;
    }
  }

  /** @param {Float32Array[][]} inputs @param {Float32Array[][]} outputs */
  process([input], [output]) {
    const { strip } = this;
    // What waits in the limiter, or rings in the meter, comes out first.
    this.quiet = input.length || !strip.isAtRest ? 0 : this.quiet + 1;
    if (this.quiet > AFTER_BLOCKS && this.ceiling === this.held && this.open === 1 && this.way.pass(currentFrame, BLOCK)) {
      this.meter.pass(BLOCK);
      return this.tell(QUIET_BLOCKS);
    }
    for (const { from, to, into, frame, isJump } of this.way.parts(currentFrame, BLOCK)) {
      if (frame !== null) strip.step(frame, isJump);
      strip.filter(input, from, to);
      strip.finish(strip.sound, from, to, into);
    }
    output.forEach((side, c) => side.set(strip.sound[c]));
    this.limiter?.run(output[0], output[1]);
    if (this.ceiling !== this.held) this.exchange(output);
    else if (this.open < 1) this.fade(output, 1);
    this.meter.feed(output[0], output[1]);
    if (strip.heard) this.isNew = false;
    output.forEach((side, c) => { for (const x of side) this.peaks[c] = Math.max(this.peaks[c], Math.abs(x)); });
    return this.tell(METER_BLOCKS);
  }

  /** What was measured, every so many blocks. @param {number} every */
  tell(every) {
    this.blocks += 1;
    if (this.blocks % every === 0) {
      const lowered = this.limiter ? this.limiter.least : 1;
      this.port.postMessage({ peaks: this.peaks, ...this.meter.take(), down: this.strip.down, lowered, lead: this.limiter?.lead ?? 0 });
      if (this.limiter) this.limiter.least = 1;
      this.peaks = [0, 0];
    }
    return true;
  }
}

registerProcessor("desk", DeskProcessor);
registerProcessor("master", MasterProcessor);

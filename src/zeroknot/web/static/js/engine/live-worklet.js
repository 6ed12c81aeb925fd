// @ts-check
/** On the audio thread: an order mixed live (`live-mix.js`), in step with the round that is heard. */

import { LiveMix } from "./live-mix.js";

/** @typedef {{kind: "load", plan: import("./live-mix.js").Plan, cells: import("./live-mix.js").Cell[], pieces: import("../types.js").Piece[]}} Load */
/** @typedef {Load | {kind: "begin", zero: number} | {kind: "change", pieces: import("../types.js").Piece[], number: number} | {kind: "end"}} Said */

class LiveProcessor extends AudioWorkletProcessor {
  constructor() {
    super();
    /** @type {LiveMix | null} */
    this.mix = null;
    /** The frame of the audio clock on which a round begins; null while nothing sounds. @type {number | null} */
    this.zero = null;
    this.changed = 0;
    this.port.onmessage = (/** @type {MessageEvent<Said>} */ { data }) => this.told(data);
  }

  /** @param {Said} said */
  told(said) {
    if (said.kind === "load") this.mix = new LiveMix(sampleRate, said.plan, said.cells, said.pieces);
    else if (said.kind === "begin") this.zero = said.zero;
    else if (said.kind === "end") this.zero = null;
    else if (this.mix) {
      this.mix.change(said.pieces);
      this.changed = said.number;
    }
  }

  /** @param {Float32Array[][]} _inputs @param {Float32Array[][]} outputs */
  process(_inputs, outputs) {
    const [left, right] = outputs[0];
    if (this.mix && this.zero !== null && right) {
      this.mix.mix(currentFrame - this.zero, left, right);
      if (this.changed) this.port.postMessage(this.changed);
      this.changed = 0;
    }
    return true;
  }
}

registerProcessor("live", LiveProcessor);

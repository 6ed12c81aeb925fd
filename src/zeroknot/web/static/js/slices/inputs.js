// @ts-check
/** What plays the pads beside keys and pointers: a MIDI device, or the pad box that ships. */

import { PERFORMANCES, padBox } from "./pad-box.js";

/** @typedef {{name?: string | null, onmidimessage: ((event: any) => void) | null}} Input */

const FIRST_NOTE = 36;
const [NOTE_OFF, NOTE_ON, CONTROL] = [0x80, 0x90, 0xb0];
const [SUSTAIN, PEDAL_DOWN] = [64, 64]; // controller, and the value from which the pedal is down
const ASK = "ask";

export class Inputs {
  constructor() {
    /** @param {number} pad @param {number} velocity @param {number} stamp */
    this.onStroke = (pad, velocity, stamp) => {
      void [pad, velocity, stamp];
    };
    /** @param {number} pad @param {number} stamp */
    this.onLetGo = (pad, stamp) => {
      void [pad, stamp];
    };
    /** @param {boolean} isDown @param {number} stamp */
    this.onPedal = (isDown, stamp) => {
      void [isDown, stamp];
    };
    /** @type {Map<string, Input>} */
    this.found = new Map();
    /** @type {{close: () => void} | null} */
    this.playing = null;
    /** @type {Input | null} */
    this.heard = null;
  }

  /** Those that can be chosen. */
  get known() {
    return [
      { key: "", name: "keys and pointer" },
      ...PERFORMANCES.map(({ key, name }) => ({ key, name: `pad box: ${name}` })),
      ...[...this.found].map(([key, input]) => ({ key, name: input.name || "a MIDI device" })),
      ...(this.found.size ? [] : [{ key: ASK, name: "a MIDI device…" }]),
    ];
  }

  /** @param {string} key @returns {Promise<string>} what stands in the way; "" for nothing */
  async choose(key) {
    this.close();
    if (!key) return "";
    const performance = PERFORMANCES.find((p) => p.key === key);
    if (performance) {
      const box = padBox(performance);
      this.listen([...box.inputs.values()][0]);
      box.begin();
      this.playing = box;
      return "";
    }
    if (key !== ASK) {
      const input = this.found.get(key);
      if (input) this.listen(input);
      return input ? "" : "That device is gone.";
    }
    return this.ask();
  }

  /** Asked for on first use, for browsers ask the person then. */
  async ask() {
    if (!("requestMIDIAccess" in navigator) || !window.isSecureContext) {
      return "MIDI devices can be played where the browser has Web MIDI and the page comes from this machine; keys and pads play all the same.";
    }
    try {
      const access = await navigator.requestMIDIAccess();
      this.found = new Map([...access.inputs].map(([id, input]) => [id, /** @type {Input} */ (input)]));
    } catch {
      return "The browser did not allow MIDI devices; keys and pads play all the same.";
    }
    const [first] = this.found.values();
    if (!first) return "No MIDI device is connected.";
    this.listen(first);
    return "";
  }

  /** @param {Input} input */
  listen(input) {
    this.heard = input;
    input.onmidimessage = (event) => {
      const [status, note, velocity] = event.data;
      const kind = status & 0xf0;
      if (kind === NOTE_ON && velocity > 0) this.onStroke(note - FIRST_NOTE, velocity / 127, event.timeStamp);
      else if (kind === NOTE_ON || kind === NOTE_OFF) this.onLetGo(note - FIRST_NOTE, event.timeStamp);
      else if (kind === CONTROL && note === SUSTAIN) this.onPedal(velocity >= PEDAL_DOWN, event.timeStamp);
    };
  }

  close() {
    this.playing?.close();
    this.playing = null;
    if (this.heard) this.heard.onmidimessage = null;
    this.heard = null;
  }
}

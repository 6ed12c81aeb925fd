// @ts-check
/**
 * Tracks through their desk, the room, the master; meters of all of it. The sums are the core's, and
 * made on the audio thread (`desk/`); here things are told to it and heard of it.
 */

import { getBlock } from "../net/api.js";
import { mayPlay } from "../net/secure.js";
import { BLOCK_FRAMES } from "./schedule.js";

/** @typedef {import("../types.js").Desk} Desk */

export const HAND_TRACK = "hand";
export const COIL_TRACK = "coil";
const COIL_GAIN = 10 ** (-6 / 20); // a new track's
const WITH_SENDS = ["level_db", "muted", "pan"];
const RAMP_SECONDS = 0.01;
const MOST_TRACKS = 128; // as in document/edits/track.py
const HELD_SECONDS = 1.5;
const ROOM_DUE_MS = 20_000;
const SPECTRUM_FRAMES = 4096;
const GONE_MS = 200;

/** A gain that moves without a click, and knows where it is going. */
export class Fader {
  /** @param {GainNode} node */
  constructor(node) {
    this.node = node;
    this.wanted = node.gain.value;
    this.from = this.wanted;
    this.began = 0;
  }

  /** Where it is on its way. @param {number} time context time */
  at(time) {
    return this.from + (this.wanted - this.from) * Math.min(1, Math.max(0, (time - this.began) / RAMP_SECONDS));
  }

  /** @param {number} value linear */
  to(value) {
    if (value === this.wanted) return;
    const { gain, context } = this.node;
    const now = context.currentTime;
    this.from = this.at(now);
    this.began = now;
    this.wanted = value;
    gain.cancelScheduledValues(now);
    gain.setValueAtTime(this.from, now);
    gain.linearRampToValueAtTime(value, now + RAMP_SECONDS);
  }
}

/** leaves: it was removed a moment ago. @typedef {{input: GainNode, slot: number, meter: Meter, leaves: boolean}} Track */

export class Mixer {
  /** @param {BaseAudioContext} context @param {AudioNode} destination */
  constructor(context, destination) {
    this.context = context;
    this.destination = destination;
    this.masterMeter = new Meter();
    /** What was read of the whole: powers of tenths of a second, and its true peak. @type {((read: {powers: number[], peak: number}) => void) | null} */
    this.onRead = null;
    /** The same of the track that is looked at. @type {((read: {id: string, powers: number[], peak: number}) => void) | null} */
    this.onTrackRead = null;
    /** @type {Map<string, Track>} */
    this.tracks = new Map();
    this.rest = new Fader(stereoGain(context, 1));
    this.hand = new Fader(stereoGain(context, 1));
    this.coil = new Fader(stereoGain(context, COIL_GAIN));
    this.coil.node.connect(this.rest.node);
    this.roomBack = new Fader(stereoGain(context, 1));
    this.roomBack.node.connect(this.rest.node);
    /** The impulse that the room has, or waits for. */
    this.roomDigest = "";
    /** @type {Promise<void>} */
    this.roomComes = Promise.resolve();
    /** @type {ConvolverNode | null} */
    this.room = null;
    /** @type {Fader | null} */
    this.roomOut = null;
    /** Told before there was anybody to tell it to. @type {{desk: object[], master: object[]}} */
    this.untold = { desk: [], master: [] };
    /** @type {AudioWorkletNode | null} */
    this.desk = null;
    /** @type {AudioWorkletNode | null} */
    this.master = null;
    this.looksAtMaster = false;
    /** The sound of the track that is looked at, after its strip, or of the whole. */
    this.looked = new AnalyserNode(context, { fftSize: SPECTRUM_FRAMES, smoothingTimeConstant: 0.7, minDecibels: -110, maxDecibels: 0 });
    /** @type {Map<number, () => void>} */
    this.pings = new Map();
    /** dB by which compressors turn down, by track. @type {Map<string, number>} */
    this.down = new Map();
    /** Frames by which the whole is late. */
    this.lead = 0;
    /** dB by which its ceiling lowers the whole, at most, just now. */
    this.lowered = 0;
    /** Whose lanes the desk has. @type {Desk | null} */
    this.told = null;
    this.ends = new AbortController();
    this.isReady = false;
    /** There is a desk from here on. */
    this.ready = this.build();
  }

  async build() {
    if (!mayPlay()) await new Promise(() => {}); // it never will; who asked was told
    await this.context.audioWorklet.addModule(new URL("./desk/desk-worklet.js", import.meta.url));
    this.desk = new AudioWorkletNode(this.context, "desk", { numberOfInputs: MOST_TRACKS, numberOfOutputs: 3, outputChannelCount: [2, 2, 2] });
    this.master = new AudioWorkletNode(this.context, "master", {
      numberOfOutputs: 1, outputChannelCount: [2], channelCount: 2, channelCountMode: "explicit",
    });
    this.desk.connect(this.rest.node, 0);
    this.desk.connect(this.looked, 2);
    this.rest.node.connect(this.master);
    this.hand.node.connect(this.master);
    this.master.connect(this.destination);
    this.desk.port.onmessage = ({ data }) => this.heardOfDesk(data);
    this.master.port.onmessage = ({ data }) => this.heardOfMaster(data);
    for (const said of this.untold.desk) this.desk.port.postMessage(said);
    for (const said of this.untold.master) this.master.port.postMessage(said);
    this.untold = { desk: [], master: [] };
    for (const { input, slot } of this.tracks.values()) input.connect(this.desk, 0, slot);
    if (this.room) this.desk.connect(this.room, 1);
    this.isReady = true;
  }

  /** @param {"desk" | "master"} whom @param {object} said */
  tell(whom, said) {
    const node = this[whom];
    if (node) node.port.postMessage(said);
    else this.untold[whom].push(said);
  }

  /** All that was told is done. @returns {Promise<unknown>} */
  async settled() {
    await this.ready;
    await this.roomComes;
    return Promise.all([this.ping("desk"), this.ping("master")]);
  }

  /** @param {"desk" | "master"} whom @returns {Promise<void>} */
  ping(whom) {
    const number = Math.random();
    return new Promise((done) => {
      this.pings.set(number, done);
      this.tell(whom, { kind: "ping", number });
    });
  }

  /** Tracks that are new sound from here on, those that went no more. @param {Desk} desk */
  keepTracks(desk) {
    const kept = new Set(desk.strips.map(({ id }) => id));
    for (const [id, track] of this.tracks) {
      if (!kept.has(id) && !track.leaves) this.letLeave(id, track);
    }
    for (const id of kept) this.track(id).leaves = false;
    this.tell("desk", { kind: "slots", slots: [...this.tracks].map(([id, { slot }]) => [id, slot]) });
  }

  /** What sounds on it dies away first. @param {string} id @param {Track} track */
  letLeave(id, track) {
    track.leaves = true;
    setTimeout(() => {
      if (!track.leaves) return; // it came back
      this.tracks.delete(id);
      track.input.disconnect();
    }, GONE_MS);
  }

  /** Take a desk over; what is other goes over in a moment. @param {Desk} desk @param {boolean} [isItsTime] else what moves along the song stays as it is: it goes by another time */
  adopt(desk, isItsTime = true) {
    this.keepTracks(desk);
    this.tell("desk", { kind: "tell", sheet: { strips: desk.strips, echo: desk.echo }, isItsTime });
    if (isItsTime) this.told = desk;
    this.tell("master", { kind: "tell", strip: desk.master, ceiling: desk.ceiling_db, isItsTime });
    this.roomComes = this.useRoom(desk.room);
  }

  /** From a context frame on song frames count from there, or stand there. @param {number} context @param {number} song @param {boolean} isMoving @param {Desk | null} desk null: as it was told last */
  run(context, song, isMoving, desk) {
    const sheet = desk && desk !== this.told ? { strips: desk.strips, echo: desk.echo } : null;
    const master = sheet && desk ? desk.master : null;
    if (desk) this.told = desk;
    this.tell("desk", { kind: "run", context, song, isMoving, sheet });
    this.tell("master", { kind: "run", context, song, isMoving, sheet: master });
  }

  /** @param {Desk["room"]} room */
  async useRoom({ digest, frames, level_db: level }) {
    this.roomBack.to(10 ** (level / 20));
    if (!digest || digest === this.roomDigest) return;
    this.roomDigest = digest;
    const buffer = new AudioBuffer({ numberOfChannels: 2, length: frames, sampleRate: this.context.sampleRate });
    try {
      for (let index = 0; index * BLOCK_FRAMES < frames; index += 1) {
        const data = new Float32Array(await getBlock(`/api/renders/${digest}/${index}`, ROOM_DUE_MS, this.ends.signal));
        const count = data.length / 2;
        for (let c = 0; c < 2; c += 1) buffer.copyToChannel(data.subarray(c * count, (c + 1) * count), c, index * BLOCK_FRAMES);
      }
    } catch {
      // Without an answer there is no room yet; the next sheet asks again.
      if (this.roomDigest === digest) this.roomDigest = "";
      return;
    }
    if (this.roomDigest !== digest) return;
    const old = this.room && this.desk ? { room: this.room, out: /** @type {Fader} */ (this.roomOut) } : null;
    this.room = new ConvolverNode(this.context, { buffer, disableNormalization: true });
    this.roomOut = new Fader(stereoGain(this.context, old ? 0 : 1));
    this.room.connect(this.roomOut.node).connect(this.roomBack.node);
    this.desk?.connect(this.room, 1);
    this.roomOut.to(1);
    if (!old) return;
    this.desk?.disconnect(old.room, 1);
    old.out.to(0);
    setTimeout(() => old.room.disconnect(), GONE_MS);
  }

  /** @param {string} id @returns {Track} */
  track(id) {
    const known = this.tracks.get(id);
    if (known) return known;
    const taken = new Set([...this.tracks.values()].map((t) => t.slot));
    const slot = Array.from({ length: MOST_TRACKS }, (_, i) => i).find((i) => !taken.has(i)) ?? 0;
    const track = { input: stereoGain(this.context, 1), slot, meter: new Meter(), leaves: false };
    if (this.desk) track.input.connect(this.desk, 0, slot);
    this.tracks.set(id, track);
    return track;
  }

  /** Where events of a track sound. @param {string} id */
  input(id) {
    if (id === COIL_TRACK) return this.coil.node;
    return id === HAND_TRACK ? this.hand.node : this.track(id).input;
  }

  /** While something of a track is dragged. @param {string} id @param {string} name @param {number} value */
  hear(id, name, value) {
    this.tell("desk", { kind: "hear", id, name, value });
    // What its slices send is as loud as it is.
    if (WITH_SENDS.includes(name)) for (const bus of ["room", "echo"]) this.tell("desk", { kind: "hear", id: `${id}>${bus}`, name, value });
  }

  /** @param {string} name @param {number} value */
  hearMaster(name, value) {
    this.tell("master", { kind: "hear", name, value });
  }

  /** What is held of a track or the master is let go: it is where its line is. @param {string} id */
  letGo(id) {
    for (const own of [id, `${id}>room`, `${id}>echo`]) this.tell("desk", { kind: "let", id: own });
    this.tell("master", { kind: "let" });
  }

  /** The arrangement, without what is in hand. @param {boolean} heard */
  hearRest(heard) {
    this.rest.to(heard ? 1 : 0);
  }

  /** Whose spectrum is to be seen: a track's, or that of all of it. @param {string} id */
  look(id) {
    const isMaster = id === "master";
    this.tell("desk", { kind: "look", id: isMaster ? "" : id });
    if (!this.desk || !this.master || isMaster === this.looksAtMaster) return;
    this.looksAtMaster = isMaster;
    if (isMaster) this.desk.disconnect(this.looked);
    else this.master.disconnect(this.looked);
    if (isMaster) this.master.connect(this.looked);
    else this.desk.connect(this.looked, 2);
  }

  /** @param {{number?: number, peaks?: [string, [number, number]][], down?: [string, number][], read?: {id: string, powers: number[], peak: number} | null}} told */
  heardOfDesk({ number, peaks, down, read }) {
    if (number !== undefined) return this.answered(number);
    if (read) this.onTrackRead?.(read);
    const now = this.context.currentTime;
    const heard = new Map(peaks);
    for (const [id, { meter }] of this.tracks) meter.feed(heard.get(id) ?? [0, 0], now);
    const master = this.down.get("master") ?? 0; // told by itself
    this.down = new Map([...(down ?? []), ["master", master]]);
  }

  /** @param {{number?: number, peaks: [number, number], powers: number[], peak: number, down: number, lowered: number, lead: number}} told */
  heardOfMaster({ number, peaks, powers, peak, down, lowered, lead }) {
    if (number !== undefined) return this.answered(number);
    this.masterMeter.feed(peaks, this.context.currentTime);
    this.down.set("master", down);
    this.lead = lead;
    this.lowered = -20 * Math.log10(lowered);
    this.onRead?.({ powers, peak });
  }

  /** @param {number} number */
  answered(number) {
    this.pings.get(number)?.();
    this.pings.delete(number);
  }
}

/** Mono is spread to both sides at its own level. @param {BaseAudioContext} context @param {number} gain */
export function stereoGain(context, gain) {
  return new GainNode(context, { gain, channelCount: 2, channelCountMode: "explicit" });
}

/** The peak of the last moments, and one that is held. */
export class Meter {
  constructor() {
    this.peaks = [0, 0];
    this.held = [0, 0];
    this.heldAt = [0, 0];
    this.isOver = false;
  }

  /** @param {number[]} peaks of both sides, linear @param {number} now seconds */
  feed(peaks, now) {
    this.peaks = peaks;
    peaks.forEach((peak, i) => {
      if (peak >= this.held[i] || now - this.heldAt[i] > HELD_SECONDS) {
        this.held[i] = peak;
        this.heldAt[i] = now;
      }
      if (peak > 1) this.isOver = true;
    });
  }

  /** Peaks of both sides now and held, linear. */
  read() {
    return { peaks: this.peaks, held: this.held, isOver: this.isOver };
  }

  clearOver() {
    this.isOver = false;
  }
}

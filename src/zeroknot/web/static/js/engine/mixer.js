// @ts-check
/** Tracks, their gains and meters, the master. The sums are those of the core's mix. */

/** @typedef {import("../types.js").Sheet} Sheet */

export const HAND_TRACK = "hand";
export const COIL_TRACK = "coil";
const COIL_GAIN = 10 ** (-6 / 20); // a new track's
const METER_FRAMES = 2048;

const RAMP_SECONDS = 0.01;
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

export class Mixer {
  /** @param {BaseAudioContext} context @param {AudioNode} destination */
  constructor(context, destination) {
    this.context = context;
    this.destination = destination;
    const master = stereoGain(context, 1);
    master.connect(destination);
    this.master = new Fader(master);
    this.masterMeter = new Meter(context, master);
    /** @type {Map<string, {fader: Fader, meter: Meter}>} */
    this.tracks = new Map();
    this.rest = new Fader(stereoGain(context, 1));
    this.rest.node.connect(master);
    this.hand = new Fader(stereoGain(context, 1));
    this.hand.node.connect(master);
    this.coil = new Fader(stereoGain(context, COIL_GAIN));
    this.coil.node.connect(this.rest.node);
  }

  /** Take over levels; new tracks begin at theirs, those that went are let go. @param {Pick<Sheet, "tracks" | "master">} sheet */
  adopt(sheet) {
    for (const { id, gain } of sheet.tracks) {
      const track = this.tracks.get(id);
      if (track) track.fader.to(gain);
      else this.add(id, gain);
    }
    const kept = new Set(sheet.tracks.map(({ id }) => id));
    for (const [id, track] of this.tracks) if (!kept.has(id)) this.drop(id, track);
    this.master.to(sheet.master);
  }

  /** @param {string} id @param {number} level */
  add(id, level) {
    const node = stereoGain(this.context, level);
    node.connect(this.rest.node);
    const track = { fader: new Fader(node), meter: new Meter(this.context, node) };
    this.tracks.set(id, track);
    return track;
  }

  /** @param {string} id @param {{fader: Fader, meter: Meter}} track */
  drop(id, track) {
    this.tracks.delete(id);
    track.fader.to(0);
    setTimeout(() => {
      track.fader.node.disconnect();
      track.meter.end();
    }, GONE_MS);
  }

  /** Where events of a track sound. @param {string} id */
  input(id) {
    if (id === COIL_TRACK) return this.coil.node;
    return id === HAND_TRACK ? this.hand.node : (this.tracks.get(id) ?? this.add(id, 1)).fader.node;
  }

  /** While a level is dragged. @param {string} id @param {number} gain */
  setTrack(id, gain) {
    this.tracks.get(id)?.fader.to(gain);
  }

  /** @param {number} gain */
  setMaster(gain) {
    this.master.to(gain);
  }

  /** The arrangement, without what is in hand. @param {boolean} heard */
  hearRest(heard) {
    this.rest.to(heard ? 1 : 0);
  }
}

/** Mono is spread to both sides at its own level. @param {BaseAudioContext} context @param {number} gain */
export function stereoGain(context, gain) {
  return new GainNode(context, { gain, channelCount: 2, channelCountMode: "explicit" });
}

/** The peak of the last moments, and one that is held. */
export class Meter {
  /** @param {BaseAudioContext} context @param {AudioNode} input */
  constructor(context, input) {
    this.sides = [0, 1].map(() => new AnalyserNode(context, { fftSize: METER_FRAMES }));
    this.splitter = new ChannelSplitterNode(context, { numberOfOutputs: 2 });
    input.connect(this.splitter);
    this.sides.forEach((side, i) => this.splitter.connect(side, i));
    this.samples = new Float32Array(METER_FRAMES);
    this.held = [0, 0];
    this.heldAt = [0, 0];
    this.isOver = false;
  }

  /** Peaks of both sides now and held, linear. @param {number} now seconds */
  read(now) {
    const peaks = this.sides.map((side, i) => {
      side.getFloatTimeDomainData(this.samples);
      let peak = 0;
      for (const sample of this.samples) peak = Math.max(peak, Math.abs(sample));
      if (peak >= this.held[i] || now - this.heldAt[i] > 1.5) {
        this.held[i] = peak;
        this.heldAt[i] = now;
      }
      if (peak > 1) this.isOver = true;
      return peak;
    });
    return { peaks, held: this.held, isOver: this.isOver };
  }

  end() {
    this.splitter.disconnect();
  }

  clearOver() {
    this.isOver = false;
  }
}

// @ts-check
/** Tracks, their gains and meters, the master. The sums are those of the core's mix. */

/** @typedef {import("../types.js").Sheet} Sheet */

export const HAND_TRACK = "hand";
const METER_FRAMES = 2048;

export class Mixer {
  /** @param {BaseAudioContext} context @param {AudioNode} destination */
  constructor(context, destination) {
    this.context = context;
    this.master = stereoGain(context, 1);
    this.master.connect(destination);
    this.masterMeter = new Meter(context, this.master);
    /** @type {Map<string, {gain: GainNode, meter: Meter}>} */
    this.tracks = new Map();
    this.restGain = stereoGain(context, 1);
    this.restGain.connect(this.master);
    this.handGain = stereoGain(context, 1);
    this.handGain.connect(this.master);
  }

  /** Take over levels; new tracks begin at theirs. @param {Pick<Sheet, "tracks" | "master">} sheet */
  adopt(sheet) {
    for (const { id, gain } of sheet.tracks) {
      const track = this.tracks.get(id);
      if (track) this.ramp(track.gain.gain, gain);
      else this.add(id, gain);
    }
    this.ramp(this.master.gain, sheet.master);
  }

  /** @param {string} id @param {number} level */
  add(id, level) {
    const gain = stereoGain(this.context, level);
    gain.connect(this.restGain);
    const track = { gain, meter: new Meter(this.context, gain) };
    this.tracks.set(id, track);
    return track;
  }

  /** Where events of a track sound. @param {string} id */
  input(id) {
    return id === HAND_TRACK ? this.handGain : (this.tracks.get(id) ?? this.add(id, 1)).gain;
  }

  /** @param {AudioParam} param @param {number} value */
  ramp(param, value) {
    if (param.value === value) return;
    const now = this.context.currentTime;
    param.cancelScheduledValues(now);
    param.setValueAtTime(param.value, now);
    param.linearRampToValueAtTime(value, now + 0.01);
  }

  /** While a level is dragged. @param {string} id @param {number} gain */
  setTrack(id, gain) {
    const track = this.tracks.get(id);
    if (track) this.ramp(track.gain.gain, gain);
  }

  /** @param {number} gain */
  setMaster(gain) {
    this.ramp(this.master.gain, gain);
  }

  /** The arrangement, without what is in hand. @param {boolean} heard */
  hearRest(heard) {
    this.ramp(this.restGain.gain, heard ? 1 : 0);
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
    const splitter = new ChannelSplitterNode(context, { numberOfOutputs: 2 });
    input.connect(splitter);
    this.sides.forEach((side, i) => splitter.connect(side, i));
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

  clearOver() {
    this.isOver = false;
  }
}

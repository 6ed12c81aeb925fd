// @ts-check
/** The click: one short tick a pulse, higher on the one. */

const SECONDS = 0.03;

export class Click {
  /** @param {BaseAudioContext} context */
  constructor(context) {
    this.context = context;
    this.output = new GainNode(context, { gain: 0 });
    this.output.connect(context.destination);
    this.high = tick(context, 1760);
    this.low = tick(context, 1175);
    /** @type {Set<AudioBufferSourceNode>} */
    this.sounding = new Set();
  }

  /** @param {number} gain 0 is off */
  setLevel(gain) {
    this.output.gain.value = gain;
  }

  /** @param {number} time @param {boolean} isOne */
  at(time, isOne) {
    if (this.output.gain.value === 0) return;
    const source = new AudioBufferSourceNode(this.context, { buffer: isOne ? this.high : this.low });
    source.connect(this.output);
    source.start(time);
    this.sounding.add(source);
    source.onended = () => this.sounding.delete(source);
  }

  /** Ticks that have not begun are let go. */
  silence() {
    for (const source of this.sounding) source.stop();
    this.sounding.clear();
  }
}

/** @param {BaseAudioContext} context @param {number} hertz */
function tick(context, hertz) {
  const frames = Math.floor(SECONDS * context.sampleRate);
  const buffer = new AudioBuffer({ length: frames, sampleRate: context.sampleRate });
  const samples = buffer.getChannelData(0);
  for (let i = 0; i < frames; i += 1) {
    const t = i / context.sampleRate;
    samples[i] = Math.sin(2 * Math.PI * hertz * t) * Math.exp(-t / 0.006) * Math.min(1, t / 0.0005);
  }
  return buffer;
}

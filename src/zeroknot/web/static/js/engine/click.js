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
    /** @type {Set<{source: AudioBufferSourceNode, time: number}>} */
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
    const tick = { source, time };
    this.sounding.add(tick);
    source.onended = () => this.sounding.delete(tick);
  }

  /** Ticks from a context time on are not wanted any more. @param {number} from */
  hush(from) {
    for (const tick of this.sounding) if (tick.time >= from) tick.source.stop();
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

// @ts-check
/** Pulses counted before something begins. */

const [FIRST_HZ, OTHER_HZ] = [1320, 880];
const TICK_SECONDS = 0.03;
const LEVEL = 0.25;
const SOON_SECONDS = 0.05;

/** Ticks, and a promise of the moment after the last pulse. @param {import("./engine.js").Engine} engine @param {number} pulses @param {number} seconds from pulse to pulse @param {(at: number) => void} [begun] told the second of the audio clock of the first */
export async function countIn(engine, pulses, seconds, begun) {
  const { context } = engine;
  await engine.unlock();
  const start = context.currentTime + SOON_SECONDS;
  begun?.(start);
  for (let i = 0; i < pulses; i += 1) {
    const at = start + i * seconds;
    const tick = new OscillatorNode(context, { frequency: i ? OTHER_HZ : FIRST_HZ });
    const gain = new GainNode(context, { gain: 0 });
    gain.gain.setValueAtTime(LEVEL, at);
    gain.gain.exponentialRampToValueAtTime(1e-3, at + TICK_SECONDS);
    tick.connect(gain).connect(engine.mixer.hand.node);
    tick.start(at);
    tick.stop(at + TICK_SECONDS);
    tick.onended = () => gain.disconnect();
  }
  await new Promise((done) => setTimeout(done, 1000 * (start + pulses * seconds - context.currentTime)));
}

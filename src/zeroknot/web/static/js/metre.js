// @ts-check
/**
 * Bars and pulses by the table that the server sends: where each metre begins.
 *
 * Beats are quarter notes from bar 1; before it the first metre goes on backwards.
 */

/** @typedef {import("./types.js").MetreSpan} MetreSpan */

/** The metre that holds at a beat. @param {MetreSpan[]} metres @param {number} beat */
export function metreAt(metres, beat) {
  let found = metres[0];
  for (const m of metres) if (m.beat <= beat + 1e-6) found = m;
  return found;
}

/** The bar line at or before a beat: its bar, and the beat it stands on. @param {MetreSpan[]} metres @param {number} beat */
export function barLine(metres, beat) {
  const m = metreAt(metres, beat);
  const bars = Math.floor((beat - m.beat) / m.beats_per_bar + 1e-6);
  return { bar: m.bar + bars, beat: m.beat + bars * m.beats_per_bar, metre: m };
}

/** How many bars lie between two beats, parts of them among it. @param {MetreSpan[]} metres @param {number} from @param {number} to */
export const barsBetween = (metres, from, to) => barsTo(metres, to) - barsTo(metres, from);

/** @param {MetreSpan[]} metres @param {number} beat */
const barsTo = (metres, beat) => {
  const m = metreAt(metres, beat);
  return m.bar - 1 + (beat - m.beat) / m.beats_per_bar;
};

/** The beat that a bar begins on. @param {MetreSpan[]} metres @param {number} bar */
export function beatOfBar(metres, bar) {
  let m = metres[0];
  for (const next of metres) if (next.bar <= bar) m = next;
  return m.beat + (bar - m.bar) * m.beats_per_bar;
}

/** The first bar line at or after a beat. @param {MetreSpan[]} metres @param {number} beat */
export function nextBarLine(metres, beat) {
  const line = barLine(metres, beat);
  return line.beat >= beat - 1e-6 ? line.beat : beatOfBar(metres, line.bar + 1);
}

/** The nearest line of the grid: pulses counted from their bar line. @param {MetreSpan[]} metres @param {number} beat @param {number} [step] beats; a pulse if none is given */
export function onGrid(metres, beat, step) {
  const line = barLine(metres, beat);
  const by = step ?? line.metre.beats_per_pulse;
  const near = line.beat + Math.round((beat - line.beat) / by) * by;
  const next = beatOfBar(metres, line.bar + 1);
  return Math.abs(next - beat) < Math.abs(near - beat) || near > next ? next : near;
}

/** bar.pulse of a beat, and what is left in hundredths where it is between. @param {MetreSpan[]} metres @param {number} beat */
export function placeText(metres, beat) {
  const line = barLine(metres, beat);
  const hundredths = Math.round((100 * (beat - line.beat)) / line.metre.beats_per_pulse);
  if (hundredths >= Math.round((100 * line.metre.beats_per_bar) / line.metre.beats_per_pulse)) return `${line.bar + 1}.1`;
  const pulse = Math.floor(hundredths / 100);
  const rest = hundredths - 100 * pulse;
  return `${line.bar}.${pulse + 1}${rest > 0 ? ` + ${rest}/100` : ""}`;
}

const BARS = [1, 2, 4, 8, 16, 32, 64, 128, 256];

/**
 * The lines of bars, pulses or parts of them between two beats that are at least some pixels apart.
 * `step` is in bars: 1 and more for bar lines, under 1 for what lies inside.
 * @param {MetreSpan[]} metres @param {number} from @param {number} to @param {number} perBeat pixels
 * `sixteenth` counts from 1 inside a pulse.
 * @param {number} least pixels @param {number} [grid] beats: lines no nearer than that @param {number} [finest] beats: the same, without a grid
 * @returns {{beat: number, bar: number, number: number, part: number, sixteenth: number, step: number}[]}
 */
export function pulsesBetween(metres, from, to, perBeat, least, grid = 0, finest = 0) {
  const found = [];
  for (let i = 0; i < metres.length; i += 1) {
    const m = metres[i];
    const start = i === 0 ? from : Math.max(from, m.beat);
    const end = Math.min(to, metres[i + 1]?.beat ?? Infinity);
    if (end < start) continue;
    const parts = perBeat * m.beats_per_pulse;
    const inside = partsOf(parts, least, grid / m.beats_per_pulse, finest / m.beats_per_pulse);
    const every = parts < least ? BARS.find((n) => n * m.beats_per_bar * perBeat >= least) ?? 512 : 0;
    const step = every ? every * m.beats_per_bar : m.beats_per_pulse / inside;
    const last = metres[i + 1] ? end - 1e-6 : end + 1e-9;
    for (let k = Math.ceil((start - m.beat) / step - 1e-9); m.beat + k * step <= last; k += 1) {
      const beat = m.beat + k * step;
      const bars = Math.floor((beat - m.beat) / m.beats_per_bar + 1e-9);
      const into = (beat - m.beat - bars * m.beats_per_bar) / m.beats_per_pulse;
      const pulse = Math.floor(into + 1e-9);
      found.push({
        beat, bar: m.bar + bars, number: pulse + 1,
        part: Math.round((into - pulse) * inside),
        sixteenth: Math.floor((into - pulse) * m.beats_per_pulse * 4 + 1e-6) + 1,
        step: every || m.beats_per_pulse / m.beats_per_bar / inside,
      });
    }
  }
  return found;
}

/** Into how many parts a pulse is divided. @param {number} pixels a pulse @param {number} least @param {number} grid pulses @param {number} finest pulses */
function partsOf(pixels, least, grid, finest) {
  if (grid > 0 && grid < 1) {
    const own = Math.round(1 / grid);
    return pixels / own >= least ? own : 1;
  }
  if (grid > 0) return 1;
  return [16, 8, 4, 2].find((n) => pixels / n >= least && 1 / n >= finest) ?? 1;
}

/** The tempo at a beat. @param {[number, number][]} line @param {number} beat */
export function bpmAt(line, beat) {
  const i = line.findLastIndex(([b]) => b <= beat + 1e-9);
  if (i < 0) return line[0][1];
  const [a, b] = [line[i], line[i + 1]];
  return b && b[0] > a[0] ? a[1] + ((beat - a[0]) * (b[1] - a[1])) / (b[0] - a[0]) : a[1];
}

// @ts-check
/** How numbers are shown and read. */

/** @param {number | null | undefined} value */
export const bpm = (value) => (value == null ? "–" : String(Math.round(value * 100) / 100));

/** "12.345 s"; from a minute on "3:12.345". @param {number | null | undefined} value @param {number} [digits] */
export function seconds(value, digits = 2) {
  if (value == null) return "–";
  const units = Math.round(Math.abs(value) * 10 ** digits);
  const minute = 60 * 10 ** digits;
  if (units < minute) return `${value.toFixed(digits)} s`;
  const rest = ((units % minute) / 10 ** digits).toFixed(digits).padStart(digits + 3, "0");
  return `${value < 0 ? "−" : ""}${Math.floor(units / minute)}:${rest}`;
}

/** @param {number | null | undefined} value */
export const bars = (value) => (value == null ? "–" : `${round(value, 2)} bar${value === 1 ? "" : "s"}`);

/** @param {number} value */
export const percent = (value) => `${Math.round(value * 100)} %`;

/** @param {number} value */
export const db = (value) => (value <= -60 ? "off" : `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.abs(value).toFixed(1)} dB`);

/** @param {number} value */
export const semitones = (value) => `${value > 0 ? "+" : value < 0 ? "−" : ""}${round(Math.abs(value), 2)} st`;

/** @param {number} value @param {number} digits */
export const round = (value, digits) => Math.round(value * 10 ** digits) / 10 ** digits;

/** "0.92 × as long" @param {number | null} ratio */
export const asLong = (ratio) => (ratio == null ? "–" : `${ratio.toFixed(2)} × as long`);

/** "+8.5 %" @param {number} value */
export const signedPercent = (value) => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(1)} %`;

/**
 * A number as typed: "-1.5", "+3 st", "92,5", "1/16", "3:20" (seconds of minutes); null where it is none.
 * @param {string} text
 */
export function typedNumber(text) {
  // A unit may follow; what goes on with anything else is not what the number says.
  const isKilo = /\dk(hz)?$/i.test(text.replaceAll(" ", ""));
  const plain = text.trim().replace("−", "-").replace(",", ".").replace(/\s*[a-z%°]*\.?$/i, "");
  const fraction = /^([+-]?\d+)\s*\/\s*(\d+)$/.exec(plain);
  if (fraction) return Number(fraction[2]) > 0 ? Number(fraction[1]) / Number(fraction[2]) : null;
  const clock = /^(\d+):([0-5]?\d(\.\d*)?)$/.exec(plain);
  if (clock) return Number(clock[1]) * 60 + Number(clock[2]);
  return /^[+-]?(\d+\.?\d*|\.\d+)$/.test(plain) ? Number(plain) * (isKilo ? 1000 : 1) : null;
}

/** @param {number} db_ */
export const gainOfDb = (db_) => (db_ <= -60 ? 0 : 10 ** (db_ / 20));

/** bar.pulse.sixteenth from the table of pulses. @param {[number, number, number, number][]} pulses @param {number} beat */
export function position(pulses, beat) {
  let low = 0;
  let high = pulses.length - 1;
  while (high - low > 0) {
    const middle = (low + high + 1) >> 1;
    if (pulses[middle][0] <= beat + 1e-6) low = middle;
    else high = middle - 1;
  }
  const [start, , bar, number] = pulses[low];
  return `${bar}.${number}.${Math.max(0, Math.floor((beat - start) * 4 + 1e-6)) + 1}`;
}

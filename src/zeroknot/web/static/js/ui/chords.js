// @ts-check
/**
 * Which key was pressed, by what name, and whose is it? Sums only.
 *
 * A chord is named "Ctrl+Alt+Shift+Key": letters large, Space by its name, signs as they are printed
 * (Shift is part of typing them and is not named). Ctrl stands for the command key, too.
 */

/** @typedef {{key: string, code?: string, ctrlKey?: boolean, metaKey?: boolean, altKey?: boolean, shiftKey?: boolean}} Pressed */

const ASCII = /^[ -~]$/;
const LATIN = /^\p{Script=Latin}$/u;
/** What signs a keyboard of Latin letters has where others have letters, without and with Shift. @type {Record<string, string>} */
const SIGNS = { BracketLeft: "[{", BracketRight: "]}", Comma: ",<", Period: ".>", Slash: "/?", Minus: "-_", Equal: "=+" };

/**
 * Which key it is: what it types, letters large. Where that is nothing a chord is named by (Cyrillic, Greek, Hebrew, Arabic letters and
 * digits; what a Mac makes of Alt and a letter) it is what stands at its place on a keyboard of Latin letters (W3C UI Events KeyboardEvent code).
 * @param {Pressed} event
 */
export function keyOf({ key, code = "", altKey = false, shiftKey = false }) {
  const isTyped = key.length > 1 ? key !== "Dead" || !altKey : ASCII.test(key) || (LATIN.test(key) && !altKey);
  if (isTyped) return key.length === 1 ? key.toUpperCase() : key;
  const place = /^(?:Key([A-Z])|Digit(\d))$/.exec(code);
  return place?.[1] ?? (shiftKey ? undefined : place?.[2]) ?? SIGNS[code]?.[Number(shiftKey)] ?? key.toUpperCase();
}

/** @param {Pressed} event */
export function chordOf(event) {
  const key = keyOf(event);
  const isLetter = key.length === 1 && key.toLowerCase() !== key.toUpperCase();
  const isSign = key.length === 1 && !isLetter && key !== " ";
  const name = key === " " ? "Space" : key;
  const parts = [];
  if (event.ctrlKey || event.metaKey) parts.push("Ctrl");
  if (event.altKey && !(isSign && !event.ctrlKey)) parts.push("Alt");
  if (event.shiftKey && !isSign) parts.push("Shift");
  return [...parts, name].join("+");
}

/** The chords that a binding is for: "A or Shift+A". @param {string} key */
export const chordsOf = (key) => key.split(" or ");

/** @type {Record<string, string>} */
const PRINTED = {
  ArrowUp: "↑", ArrowDown: "↓", ArrowLeft: "←", ArrowRight: "→", Delete: "Del", Backspace: "⌫", Escape: "Esc",
  PageUp: "Page up", PageDown: "Page down", "-": "−",
};

/** As they stand on a keyboard, one after another: "Ctrl + Shift + Z"; a row of digits as from-to. @param {string} key */
export function printed(key) {
  const chords = chordsOf(key);
  const digits = chords.filter((chord) => /^\d$/.test(chord));
  if (digits.length === chords.length && digits.length > 2) return [`${digits[0]} – ${digits[digits.length - 1]}`];
  return chords.map((chord) => chord.split(/(?<=.)\+/).map((part) => PRINTED[part] ?? part).join(" + "));
}

/**
 * Does what is focused want the key for itself?
 * @param {string} chord
 * @param {{isText: boolean, isChoice: boolean, isPressable: boolean, isOwn: boolean}} focused
 *   a field to type in; a checkbox, radio or select; something Enter presses; something a view's keys are for
 */
export function isKept(chord, { isText, isChoice, isPressable, isOwn }) {
  if (isText) return true;
  if (isChoice) return ["Space", "ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight", "Enter"].includes(chord);
  // Space is always the transport; Enter presses what is focused, unless a view has a use for it there.
  return chord === "Enter" && isPressable && !isOwn;
}

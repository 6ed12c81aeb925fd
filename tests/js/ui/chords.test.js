// @ts-check
import assert from "node:assert/strict";
import { test } from "node:test";
import { chordOf, isKept, printed } from "../../../src/zeroknot/web/static/js/ui/chords.js";

for (const [pressed, name] of /** @type {[any, string][]} */ ([
  [{ key: "r" }, "R"],
  [{ key: "R", shiftKey: true }, "Shift+R"],
  [{ key: "z", ctrlKey: true }, "Ctrl+Z"],
  [{ key: "Z", ctrlKey: true, shiftKey: true }, "Ctrl+Shift+Z"],
  [{ key: "z", metaKey: true }, "Ctrl+Z"],
  [{ key: "?", shiftKey: true }, "?"],
  [{ key: "+", shiftKey: true }, "+"],
  [{ key: "7" }, "7"],
  [{ key: " " }, "Space"],
  [{ key: " ", shiftKey: true }, "Shift+Space"],
  [{ key: "ArrowLeft", altKey: true }, "Alt+ArrowLeft"],
  [{ key: "ArrowLeft", altKey: true, shiftKey: true }, "Alt+Shift+ArrowLeft"],
  [{ key: "Delete" }, "Delete"],
  [{ key: "é" }, "É"],
  [{ key: "]", altKey: true }, "]"], // typed with the right Alt key on many keyboards
  // Keyboards without Latin letters: by place. What they are labelled with is from memory.
  [{ key: "я", code: "KeyZ", ctrlKey: true }, "Ctrl+Z"], // Russian
  [{ key: "К", code: "KeyR", shiftKey: true }, "Shift+R"],
  [{ key: "х", code: "BracketLeft" }, "["],
  [{ key: "Х", code: "BracketLeft", shiftKey: true }, "{"],
  [{ key: ".", code: "Slash" }, "."], // a sign is what it types
  [{ key: "ω", code: "KeyV" }, "V"], // Greek
  [{ key: "ש", code: "KeyA" }, "A"], // Hebrew
  [{ key: "٤", code: "Digit4" }, "4"], // Arabic
  [{ key: "か", code: "KeyT" }, "T"], // Japanese, kana
  // Latin letters are what they type, wherever they stand.
  [{ key: "z", code: "KeyY", ctrlKey: true }, "Ctrl+Z"], // German
  [{ key: "a", code: "KeyQ" }, "A"], // French
  [{ key: "ü", code: "BracketLeft" }, "Ü"],
  // A Mac types other signs with Alt.
  [{ key: "≈", code: "KeyX", altKey: true }, "Alt+X"],
  [{ key: "Dead", code: "KeyE", altKey: true }, "Alt+E"],
  [{ key: "ç", code: "KeyC", altKey: true }, "Alt+C"],
  [{ key: "[", code: "Digit5", altKey: true }, "["], // German Mac
  [{ key: "Dead", code: "Equal" }, "Dead"], // an accent to come
])) {
  test(`${JSON.stringify(pressed)} is ${name}`, () => assert.equal(chordOf(pressed), name));
}

test("keys are printed as they stand on a keyboard", () => {
  assert.deepEqual(printed("ArrowDown or Shift+ArrowDown"), ["↓", "Shift + ↓"]);
  assert.deepEqual(printed("Ctrl+Shift+Z or Ctrl+Y"), ["Ctrl + Shift + Z", "Ctrl + Y"]);
  assert.deepEqual(printed("1 or 2 or 3 or 4"), ["1 – 4"]);
  assert.deepEqual(printed("+ or ="), ["+", "="]);
  assert.deepEqual(printed("Delete or Backspace"), ["Del", "⌫"]);
});

const nothing = { isText: false, isChoice: false, isPressable: false, isOwn: false };

for (const [what, chord, focused, kept] of /** @type {[string, string, any, boolean][]} */ ([
  ["typing keeps Space", "Space", { isText: true }, true],
  ["a checkbox keeps Space", "Space", { isChoice: true }, true],
  ["a checkbox leaves letters", "C", { isChoice: true }, false],
  ["a button leaves Space to the transport", "Space", { isPressable: true }, false],
  ["a button keeps Enter", "Enter", { isPressable: true }, true],
  ["a clip leaves Enter to the view", "Enter", { isPressable: true, isOwn: true }, false],
  ["nothing keeps nothing", "Enter", {}, false],
])) {
  test(what, () => assert.equal(isKept(chord, { ...nothing, ...focused }), kept));
}

// @ts-check
/**
 * Which keys do what? One table a layer, so that `?` can list them; the latest layer goes first.
 *
 * A dialog takes all keys; a layer that is not in sight takes none; a key that is held acts again only
 * where that makes sense.
 */

import { chordOf, chordsOf, isKept } from "./chords.js";

/**
 * repeats: held, it acts again and again; `run` gives false where the key is left to the layer below.
 * @typedef {{key: string, does: string, run: (event: KeyboardEvent) => unknown, repeats?: boolean}} Binding
 * @typedef {{title: string, bindings: Binding[], isActive: () => boolean}} Layer
 */

/** @type {Layer[]} */
const layers = [];

/** Keys that hold as long as the view is there. @param {string} title @param {Binding[]} bindings @param {() => boolean} [isActive] */
export function bindKeys(title, bindings, isActive = () => true) {
  const layer = { title, bindings, isActive };
  layers.push(layer);
  return () => {
    const at = layers.indexOf(layer);
    if (at >= 0) layers.splice(at, 1);
  };
}

/** The layers whose keys act now, those of the view last. */
export const boundKeys = () => layers.filter((layer) => layer.isActive());

/** @param {EventTarget | null} target */
function focusedOf(target) {
  const element = target instanceof Element ? target : document.body;
  return {
    isText: element.matches("input:not([type=checkbox], [type=radio], [type=range], [type=file], [type=button]), textarea, [contenteditable=true]"),
    isChoice: element.matches("input[type=checkbox], input[type=radio], input[type=range], select"),
    isPressable: !!element.closest("button, a, summary, [role=button]"),
    isOwn: !!element.closest("[data-keys]"),
  };
}

/** @param {KeyboardEvent} event */
function pressed(event) {
  if (event.defaultPrevented || event.isComposing || document.querySelector("dialog[open]")) return;
  const chord = chordOf(event);
  const focused = focusedOf(event.target);
  const isLeaving = chord === "Escape" || chord === "Enter";
  if (focused.isText && isLeaving && event.target instanceof HTMLInputElement) {
    // Enter states what was typed, Escape does not; both give the keys back to the transport.
    // Browsers would empty a search by Escape, some of them without a word to the page.
    if (chord === "Escape") {
      event.preventDefault();
      takeBack(event.target);
    }
    event.target.blur();
    return;
  }
  if (isKept(chord, focused)) return;
  for (const layer of boundKeys().reverse()) {
    const binding = layer.bindings.find((b) => chordsOf(b.key).includes(chord));
    if (!binding) continue;
    if (event.repeat && !binding.repeats) {
      event.preventDefault();
      return;
    }
    if (binding.run(event) === false) continue;
    event.preventDefault();
    return;
  }
}

/** What stood in a field before it was typed into. @type {WeakMap<HTMLInputElement, string>} */
const before = new WeakMap();

/** @param {HTMLInputElement} field */
function takeBack(field) {
  const was = before.get(field) ?? field.value;
  if (field.type === "search" || was === field.value) return; // a search holds as it is typed
  field.value = was;
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

document.addEventListener("focusin", ({ target }) => {
  if (target instanceof HTMLInputElement) before.set(target, target.value);
});
document.addEventListener("keydown", pressed);

// Space on a focused button would press it; here it plays and stops.
document.addEventListener("keyup", (event) => {
  if (event.key === " " && !document.querySelector("dialog[open]") && !isKept("Space", focusedOf(event.target))) event.preventDefault();
});

// @ts-check
/** Which keys do what? One table a view, so that `?` can list them. */

/** `run` gives false where the key is left to the layer below. @typedef {{key: string, does: string, run: (event: KeyboardEvent) => unknown}} Binding */

/** @type {{title: string, bindings: Binding[]}[]} */
const layers = [];

/** @param {KeyboardEvent} event */
function nameOf(event) {
  const name = event.key === " " ? "Space" : event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const shift = event.shiftKey && event.key.length !== 1 ? "Shift+" : "";
  if (event.ctrlKey || event.metaKey) return `Ctrl+${event.shiftKey ? "Shift+" : ""}${name}`;
  return `${event.altKey && event.key.length !== 1 ? "Alt+" : ""}${shift}${name}`;
}

/** Is a person typing or on a control that wants this key? @param {KeyboardEvent} event */
function isTyping(event) {
  const target = /** @type {HTMLElement} */ (event.target);
  if (target.matches?.("input:not([type=checkbox]):not([type=radio]), textarea, select")) return true;
  // Enter presses what is focused; Space is always the transport.
  return event.key === "Enter" && !!target.closest?.("button, a, summary, [role=button]");
}

/** Keys that hold as long as the view is there. @param {string} title @param {Binding[]} bindings */
export function bindKeys(title, bindings) {
  const layer = { title, bindings };
  layers.push(layer);
  return () => {
    const at = layers.indexOf(layer);
    if (at >= 0) layers.splice(at, 1);
  };
}

export const boundKeys = () => layers;

document.addEventListener("keydown", (event) => {
  const name = nameOf(event);
  if (isTyping(event) && !name.startsWith("Ctrl+S")) {
    if (event.key === "Escape") /** @type {HTMLElement} */ (event.target).blur();
    return;
  }
  for (const layer of [...layers].reverse()) {
    const binding = layer.bindings.find((b) => b.key.split(" or ").includes(name));
    if (!binding) continue;
    if (binding.run(event) === false) continue;
    event.preventDefault();
    return;
  }
});

// Space on a focused button would press it; here it plays and stops.
document.addEventListener("keyup", (event) => {
  if (event.key === " " && !isTyping(event)) event.preventDefault();
});

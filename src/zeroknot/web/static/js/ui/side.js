// @ts-check
/** The sections of a side panel: closed ones stay so, one that is asked for comes into view. */

/** A section of the side comes into view, opened. @param {string} name @param {boolean} [isAsked] by a person: it gets the keys, too */
export function reveal(name, isAsked = false) {
  const found = document.querySelector(`details[data-section="${name}"]`);
  if (!found) return;
  found.setAttribute("open", "");
  found.scrollIntoView({ block: isAsked ? "start" : "nearest" });
  if (isAsked) found.querySelector("summary")?.focus({ preventScroll: true });
}

/** Sections of the side that were closed stay so, in this and other sessions. @param {import("../scope.js").Scope} scope */
export function keepSections(scope) {
  for (const one of document.querySelectorAll("details.section")) {
    const key = `zeroknot.section.${one.getAttribute("data-section")}`;
    if (localStorage.getItem(key) === "closed") one.removeAttribute("open");
    scope.on(one, "toggle", () => localStorage.setItem(key, one.hasAttribute("open") ? "open" : "closed"));
  }
}

// @ts-check
/**
 * Fields that show a value and can be typed in: x-shows="what it shows".
 *
 * What is being typed stays until it is entered or left, whatever becomes known of the value
 * meanwhile: another tab, a job, or an answer on its way must not take a word out of someone's hands.
 */

/** @type {WeakMap<HTMLInputElement, string>} */
const values = new WeakMap();

/** @type {WeakSet<HTMLInputElement>} */
const typed = new WeakSet();

/** @param {HTMLInputElement} field */
export const isTyped = (field) => typed.has(field);

/** Know when a field is typed in; left as it was, it shows what holds by then. @param {HTMLInputElement} field @param {() => void} show */
export function watchTyping(field, show) {
  field.addEventListener("input", () => typed.add(field));
  field.addEventListener("change", () => typed.delete(field));
  field.addEventListener("blur", () => {
    if (typed.delete(field)) show();
  });
}

/** @param {HTMLInputElement} field */
const put = (field) => {
  field.value = values.get(field) ?? "";
};

/** The directive. @param {any} field @param {{expression: string}} directive @param {any} tools Alpine's */
export function shows(field, { expression }, { evaluateLater, effect }) {
  const look = evaluateLater(expression);
  effect(() => look((/** @type {unknown} */ value) => {
    values.set(field, String(value ?? ""));
    if (!isTyped(field)) put(field);
  }));
  watchTyping(field, () => put(field));
}

/** @param {string} within selector @returns {HTMLInputElement[]} */
function fieldsIn(within) {
  const found = /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll(`${within} input`)]);
  return found.filter((field) => values.has(field));
}

/**
 * Put back what fields show after something typed was refused: the value behind them did not change,
 * so nothing else does it.
 * @param {string} within selector
 */
export function showAgain(within) {
  for (const field of fieldsIn(within)) if (!isTyped(field)) put(field);
}

/** They are about something else now: what is being typed goes. @param {string} within selector */
export function forgetTyped(within) {
  for (const field of fieldsIn(within)) typed.delete(field);
  showAgain(within);
}

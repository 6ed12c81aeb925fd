// @ts-check
/**
 * Put back what fields show after something typed was refused: the value behind them did not change,
 * so no binding does it.
 * @param {string} within selector of the component @param {Record<string, any>} values
 */
export function showAgain(within, values) {
  for (const field of document.querySelectorAll(`${within} [data-shown]`)) {
    if (field instanceof HTMLInputElement) field.value = values[field.dataset.shown ?? ""];
  }
}

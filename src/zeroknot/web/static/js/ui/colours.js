// @ts-check
/** Colours by their tokens, so that canvases follow the palette. */

export const YARNS = 8;

/** @param {string} token */
export const token = (token) => getComputedStyle(document.documentElement).getPropertyValue(`--${token}`).trim();

/** @param {number} yarn */
export const yarnColour = (yarn) => token(`yarn-${yarn % YARNS}`);

/** The palette as read once a frame. */
export function palette() {
  const style = getComputedStyle(document.documentElement);
  /** @param {string} name */
  const of = (name) => style.getPropertyValue(`--${name}`).trim();
  const yarns = Array.from({ length: YARNS }, (_, i) => of(`yarn-${i}`));
  return {
    paper: of("paper"), panel: of("panel"), line: of("line"), ink: of("ink"), quiet: of("quiet"),
    indigo: of("indigo"), madder: of("madder"), verdigris: of("verdigris"), ochre: of("ochre"),
    yarn: (/** @type {number} */ n) => yarns[n % YARNS],
  };
}

/** How strain is heard, from hardly to much, as the server counts it: the token of each. */
const STRAINS = /** @type {const} */ (["verdigris", "verdigris", "ochre", "madder"]);

/** @param {ReturnType<typeof palette>} colours @param {number} level */
export const strainColour = (colours, level) => colours[STRAINS[level]];

const isDark = matchMedia("(prefers-color-scheme: dark)");

/** Which palette holds now: another name, other colours. */
export const paletteName = () => document.documentElement.dataset.palette ?? (isDark.matches ? "night" : "day");

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
  return {
    paper: of("paper"), panel: of("panel"), line: of("line"), ink: of("ink"), quiet: of("quiet"),
    indigo: of("indigo"), madder: of("madder"), verdigris: of("verdigris"), ochre: of("ochre"),
    yarn: (/** @type {number} */ n) => of(`yarn-${n % YARNS}`),
  };
}

/** How strain is heard, from hardly to much, as the server counts it: the token of each. */
const STRAINS = /** @type {const} */ (["verdigris", "verdigris", "ochre", "madder"]);

/** @param {ReturnType<typeof palette>} colours @param {number} level */
export const strainColour = (colours, level) => colours[STRAINS[level]];

const isDark = matchMedia("(prefers-color-scheme: dark)");

/** Which palette holds now: another name, other colours. */
export const paletteName = () => document.documentElement.dataset.palette ?? (isDark.matches ? "night" : "day");

/** Size a canvas to a box in device pixels, its own unless another's is given, and clear it. @param {HTMLCanvasElement} canvas @param {Element} [box] */
export function fitted(canvas, box = canvas) {
  const ratio = window.devicePixelRatio || 1;
  const width = Math.max(1, Math.round(box.clientWidth * ratio));
  const height = Math.max(1, Math.round(box.clientHeight * ratio));
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  const context = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, box.clientWidth, box.clientHeight);
  return context;
}

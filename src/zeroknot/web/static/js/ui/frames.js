// @ts-check
/**
 * The page's pictures: one loop for all of them, one palette read a frame, and a canvas that is never
 * larger than a browser can hold. A picture is drawn again only when what it shows has changed, and
 * where nothing plays, nothing was drawn and nobody did anything, it is looked at a few times a second.
 */

import { paletteName, palette } from "./colours.js";

/** @typedef {ReturnType<typeof palette>} Palette */
/** @typedef {{width: number, height: number, colours: Palette}} Sheet CSS pixels */

const WORD_SPACING = "0.07em"; // as that of the page's text (app.css)
const LONGEST_SIDE = 8192; // device pixels: beyond 16 384 browsers draw nothing at all

/** @type {Set<() => void>} */
const steps = new Set();
let running = 0;
/** @type {{name: string, colours: Palette} | null} */
let read = null;
// A canvas keeps the letters it was drawn with, so what was drawn before a font came is drawn again.
let fontsCame = 0;
document.fonts.addEventListener("loadingdone", () => { fontsCame += 1; });

const STIRRED_MS = 600; // after which a page rests
const REST_MS = 100; // between two looks at a page that rests
const STIRRING = ["pointerdown", "pointermove", "pointerup", "keydown", "keyup", "wheel", "scroll", "input", "focusin", "dragover", "drop", "resize"];
let stirredAt = 0;
let resting = 0;

for (const type of STIRRING) addEventListener(type, stir, { capture: true, passive: true });

/** Something moves, or is about to: every frame is drawn for a while. */
export function stir() {
  stirredAt = performance.now();
  if (!resting) return;
  clearTimeout(resting);
  resting = 0;
  running = requestAnimationFrame(step);
}

function step() {
  running = 0;
  for (const one of [...steps]) one();
  if (running || !steps.size) return;
  if (performance.now() - stirredAt < STIRRED_MS) running = requestAnimationFrame(step);
  else resting = setTimeout(lookOnce, REST_MS);
}

/** One look at a page that rests. */
function lookOnce() {
  resting = 0;
  running = requestAnimationFrame(step);
}

/** Call on every animation frame, until what is returned is called. @param {() => void} draw */
export function eachFrame(draw) {
  steps.add(draw);
  stir();
  if (!running) running = requestAnimationFrame(step);
  return () => {
    steps.delete(draw);
    if (steps.size) return;
    cancelAnimationFrame(running);
    clearTimeout(resting);
    running = resting = 0;
  };
}

/** The palette in force, read once for each. */
export function colours() {
  const name = paletteName();
  if (read?.name !== name) read = { name, colours: palette() };
  return read.colours;
}

/** Device pixels for a CSS pixel, fewer where the canvas would be too large. @param {number} width @param {number} height @param {number} ratio */
export const ratioFor = (width, height, ratio) => Math.min(ratio, LONGEST_SIDE / Math.max(1, width, height));

/** @typedef {{looks: () => unknown, draw: (c: CanvasRenderingContext2D, sheet: Sheet) => void}} Layer looks: what it shows, as anything that JSON can tell apart */

/** A canvas as it is on the page now; null where it is not to be seen. @param {HTMLCanvasElement} canvas */
export function sheetOf(canvas) {
  const { clientWidth: width, clientHeight: height } = canvas;
  if (!width || !height) return null;
  const ratio = ratioFor(width, height, window.devicePixelRatio || 1);
  return { width, height, ratio, name: JSON.stringify([width, height, ratio, paletteName(), fontsCame]) };
}

/** A canvas sized and cleared, in CSS pixels. @param {HTMLCanvasElement} canvas @param {{width: number, height: number, ratio: number}} sheet */
export function cleared(canvas, { width, height, ratio }) {
  const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
  if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
  const c = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  c.clearRect(0, 0, width, height);
  c.wordSpacing = WORD_SPACING;
  return c;
}

/**
 * A picture on a canvas.
 * @param {HTMLCanvasElement} canvas @param {Layer["looks"]} looks @param {Layer["draw"]} draw
 * @returns {() => void} ends it
 */
export function picture(canvas, looks, draw) {
  let drawn = "";
  return eachFrame(() => {
    const sheet = sheetOf(canvas);
    if (!sheet) return;
    const now = sheet.name + JSON.stringify(looks());
    if (now === drawn) return;
    drawn = now;
    draw(cleared(canvas, sheet), { ...sheet, colours: colours() });
    stir();
  });
}

/**
 * A picture of two layers: what stands still is drawn once and kept, what moves is drawn over it.
 * @param {HTMLCanvasElement} canvas @param {() => void} before called ahead of each frame @param {Layer} still @param {Layer} moving
 * @returns {() => void} ends it
 */
export function layered(canvas, before, still, moving) {
  const kept = document.createElement("canvas");
  let [stood, moved] = ["", ""];
  return eachFrame(() => {
    const sheet = sheetOf(canvas);
    if (!sheet) return;
    before();
    const [under, over] = [sheet.name + JSON.stringify(still.looks()), JSON.stringify(moving.looks())];
    if (under === stood && over === moved) return;
    const drawn = { ...sheet, colours: colours() };
    if (under !== stood) still.draw(cleared(kept, sheet), drawn);
    const c = cleared(canvas, sheet);
    c.drawImage(kept, 0, 0, sheet.width, sheet.height);
    moving.draw(c, drawn);
    [stood, moved] = [under, over];
    stir();
  });
}

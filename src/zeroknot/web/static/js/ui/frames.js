// @ts-check
/**
 * The page's pictures: one loop for all of them, one palette read a frame, and a canvas that is never
 * larger than a browser can hold. A picture is drawn again only when what it shows has changed.
 */

import { paletteName, palette } from "./colours.js";

/** @typedef {ReturnType<typeof palette>} Palette */
/** @typedef {{width: number, height: number, colours: Palette}} Sheet CSS pixels */

const LONGEST_SIDE = 8192; // device pixels: beyond 16 384 browsers draw nothing at all

/** @type {Set<() => void>} */
const steps = new Set();
let running = 0;
/** @type {{name: string, colours: Palette} | null} */
let read = null;

function step() {
  running = requestAnimationFrame(step);
  for (const one of [...steps]) one();
}

/** Call on every animation frame, until what is returned is called. @param {() => void} draw */
export function eachFrame(draw) {
  steps.add(draw);
  if (!running) running = requestAnimationFrame(step);
  return () => {
    steps.delete(draw);
    if (steps.size) return;
    cancelAnimationFrame(running);
    running = 0;
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

/**
 * A picture on a canvas.
 * @param {HTMLCanvasElement} canvas
 * @param {() => unknown} looks what it shows, as anything that JSON can tell apart
 * @param {(c: CanvasRenderingContext2D, sheet: Sheet) => void} draw
 * @returns {() => void} ends it
 */
export function picture(canvas, looks, draw) {
  let drawn = "";
  return eachFrame(() => {
    const { clientWidth: width, clientHeight: height } = canvas;
    if (!width || !height) return;
    const ratio = ratioFor(width, height, window.devicePixelRatio || 1);
    const now = JSON.stringify([width, height, ratio, paletteName(), looks()]);
    if (now === drawn) return;
    drawn = now;
    const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
    if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
    const c = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
    c.setTransform(ratio, 0, 0, ratio, 0, 0);
    c.clearRect(0, 0, width, height);
    draw(c, { width, height, colours: colours() });
  });
}

// @ts-check
/**
 * <tempo-range>: how many loops there are at each tempo; drag over a stretch to ask for it.
 *
 * Set `.told = {counts, from, step, low, high}`; emits "change" with {low, high} or null. The two
 * fields beside it do the same for keys.
 */

import { picture } from "./frames.js";
import { gesture } from "./gesture.js";

/** @typedef {{counts: number[], from: number, step: number, low: number | null, high: number | null}} Told */

const DOUBLE_MS = 300;

export class TempoRange extends HTMLElement {
  connectedCallback() {
    if (!this.canvas) {
      this.canvas = document.createElement("canvas");
      this.canvas.setAttribute("role", "img");
      this.canvas.setAttribute("aria-label", "Loops by tempo; drag to choose a range, double click for all");
      this.append(this.canvas);
      this.canvas.addEventListener("pointerdown", (e) => this.down(e));
      this.canvas.addEventListener("dblclick", () => {
        clearTimeout(this.tapping);
        this.say(null);
      });
    }
    this.ending ??= picture(this.canvas, () => this.told, (c, sheet) => this.draw(c, sheet));
  }

  disconnectedCallback() {
    clearTimeout(this.tapping);
    this.ending?.();
    this.ending = null;
  }

  /** @type {HTMLCanvasElement | null} */
  canvas = null;

  /** @type {(() => void) | null} */
  ending = null;

  /** @type {ReturnType<typeof setTimeout> | undefined} */
  tapping;

  /** @type {Told} */
  told = { counts: [], from: 40, step: 5, low: null, high: null };

  /** @param {number} x on the page */
  bpmAt(x) {
    const box = /** @type {HTMLCanvasElement} */ (this.canvas).getBoundingClientRect();
    const share = Math.max(0, Math.min(1, (x - box.left) / box.width));
    const { counts, from, step } = this.told;
    return Math.round(from + share * counts.length * step);
  }

  /** @param {PointerEvent} event */
  down(event) {
    const before = this.told;
    const grabbed = this.bpmAt(event.clientX);
    /** @param {number} x */
    const range = (x) => ({ low: Math.min(grabbed, this.bpmAt(x)), high: Math.max(grabbed, this.bpmAt(x)) });
    gesture(event, {
      moved: ({ x }) => { this.told = { ...this.told, ...range(x) }; },
      done: ({ x }) => this.say(range(x)),
      // A click alone asks for the bar under it.
      tapped: () => {
        const { from, step } = this.told;
        const low = from + Math.floor((grabbed - from) / step) * step;
        // What is found then moves what is on the page: not while it may be a double click.
        clearTimeout(this.tapping);
        this.tapping = setTimeout(() => this.say({ low, high: low + step }), DOUBLE_MS);
      },
      ended: (isDone) => { if (!isDone) this.told = before; },
    });
  }

  /** @param {{low: number, high: number} | null} range */
  say(range) {
    this.dispatchEvent(new CustomEvent("change", { detail: range, bubbles: false }));
  }

  /** @type {import("./frames.js").Layer["draw"]} */
  draw(c, { width, height, colours }) {
    const { counts, from, step, low, high } = this.told;
    const most = Math.max(1, ...counts);
    const wide = width / Math.max(1, counts.length);
    counts.forEach((count, i) => {
      const bpm = from + i * step;
      const isIn = low !== null && high !== null && bpm + step > low && bpm < high;
      c.fillStyle = isIn ? colours.indigo : colours.line;
      // Few among many are still seen.
      const tall = count ? Math.max(2, Math.sqrt(count / most) * (height - 2)) : 1;
      c.fillRect(i * wide, height - tall, Math.max(1, wide - 1), tall);
    });
  }
}

customElements.define("tempo-range", TempoRange);

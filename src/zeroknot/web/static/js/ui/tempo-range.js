// @ts-check
/**
 * <tempo-range>: how many loops there are at each tempo; drag over a stretch to ask for it.
 *
 * Set `.told = {counts, from, step, low, high}`; emits "change" with {low, high} or null. The two
 * fields beside it do the same for keys.
 */

import { fitted, palette } from "./colours.js";

/** @typedef {{counts: number[], from: number, step: number, low: number | null, high: number | null}} Told */

export class TempoRange extends HTMLElement {
  connectedCallback() {
    if (this.firstChild) return;
    this.canvas = document.createElement("canvas");
    this.canvas.setAttribute("role", "img");
    this.canvas.setAttribute("aria-label", "Loops by tempo; drag to choose a range, double click for all");
    this.append(this.canvas);
    this.canvas.addEventListener("pointerdown", (e) => {
      this.grabbed = this.bpmAt(e);
      this.canvas?.setPointerCapture(e.pointerId);
    });
    this.canvas.addEventListener("pointermove", (e) => this.drag(e));
    this.canvas.addEventListener("pointerup", (e) => this.drop(e));
    this.canvas.addEventListener("pointercancel", () => { this.grabbed = null; });
    this.canvas.addEventListener("dblclick", () => this.say(null));
    this.resized = new ResizeObserver(() => this.draw());
    this.resized.observe(this);
  }

  disconnectedCallback() {
    this.resized?.disconnect();
  }

  /** @type {number | null} */
  grabbed = null;

  /** @type {Told} */
  told_ = { counts: [], from: 40, step: 5, low: null, high: null };

  /** @param {Told} told */
  set told(told) {
    this.told_ = told;
    this.draw();
  }

  get told() {
    return this.told_;
  }

  /** @param {PointerEvent} event */
  bpmAt(event) {
    const box = /** @type {HTMLCanvasElement} */ (this.canvas).getBoundingClientRect();
    const share = Math.max(0, Math.min(1, (event.clientX - box.left) / box.width));
    const { counts, from, step } = this.told_;
    return Math.round(from + share * counts.length * step);
  }

  /** @param {PointerEvent} event */
  drag(event) {
    if (this.grabbed === null) return;
    const at = this.bpmAt(event);
    this.told = { ...this.told_, low: Math.min(at, this.grabbed), high: Math.max(at, this.grabbed) };
  }

  /** @param {PointerEvent} event */
  drop(event) {
    if (this.grabbed === null) return;
    const [a, b] = [this.grabbed, this.bpmAt(event)];
    this.grabbed = null;
    // A click alone asks for the bar under it.
    if (Math.abs(a - b) < 2) {
      const { from, step } = this.told_;
      const low = from + Math.floor((a - from) / step) * step;
      this.say({ low, high: low + step });
    } else this.say({ low: Math.min(a, b), high: Math.max(a, b) });
  }

  /** @param {{low: number, high: number} | null} range */
  say(range) {
    this.dispatchEvent(new CustomEvent("change", { detail: range, bubbles: false }));
  }

  draw() {
    if (!this.canvas) return;
    const context = fitted(this.canvas);
    const colours = palette();
    const { counts, from, step, low, high } = this.told_;
    const [width, height] = [this.canvas.clientWidth, this.canvas.clientHeight];
    context.clearRect(0, 0, width, height);
    const most = Math.max(1, ...counts);
    const wide = width / Math.max(1, counts.length);
    counts.forEach((count, i) => {
      const bpm = from + i * step;
      const isIn = low !== null && high !== null && bpm + step > low && bpm < high;
      context.fillStyle = isIn ? colours.indigo : colours.line;
      // Few among many are still seen.
      const tall = count ? Math.max(2, Math.sqrt(count / most) * (height - 2)) : 1;
      context.fillRect(i * wide, height - tall, Math.max(1, wide - 1), tall);
    });
  }
}

customElements.define("tempo-range", TempoRange);

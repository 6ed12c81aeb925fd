// @ts-check
/** How high a track's row is, on this browser: dragged at its lower edge, or folded. */

import { gesture } from "../ui/gesture.js";

const [FOLDED, USUAL, HIGHEST] = [28, 66, 260]; // pixels

export class RowHeight {
  /** @param {HTMLElement} lane @param {string} keptAs */
  constructor(lane, keptAs) {
    this.lane = lane;
    this.keptAs = keptAs;
    this.height = Number(localStorage.getItem(keptAs)) || USUAL;
    this.show();
  }

  show() {
    this.lane.style.setProperty("--row", `${this.height}px`);
    this.lane.classList.toggle("folded", this.height < USUAL);
  }

  /** @param {number} height */
  set(height) {
    this.height = Math.max(FOLDED, Math.min(HIGHEST, Math.round(height)));
    localStorage.setItem(this.keptAs, String(this.height));
    this.show();
  }

  /** @param {PointerEvent} event */
  drag(event) {
    if (event.button !== 0) return;
    event.stopPropagation();
    const before = this.height;
    gesture(event, {
      moved: ({ dy }) => this.set(before + dy),
      done: () => undefined,
      ended: (isDone) => { if (!isDone) this.set(before); },
    });
  }

  fold() {
    this.set(this.height > FOLDED ? FOLDED : USUAL);
  }
}

// @ts-check
/** Carry something from a list to a place on the page, with its name under the pointer. */

import { gesture } from "./gesture.js";

const BEGIN_PIXELS = 6;

/**
 * @param {PointerEvent} event @param {string} name
 * @param {(x: number, y: number) => string | null} over what a point would mean, null for nothing
 * @param {(x: number, y: number) => void} dropped
 */
export function startDrag(event, name, over, dropped) {
  if (event.button !== 0) return;
  const ghost = document.createElement("div");
  ghost.className = "ghost";
  gesture(event, {
    pixels: BEGIN_PIXELS,
    begun: () => {
      document.body.append(ghost);
      document.body.classList.add("carrying");
    },
    moved: ({ x, y }) => {
      const means = over(x, y);
      ghost.textContent = means ? `${name} → ${means}` : name;
      ghost.classList.toggle("lands", means !== null);
      ghost.style.transform = `translate(${x + 12}px, ${y + 12}px)`;
    },
    done: ({ x, y }) => dropped(x, y),
    ended: () => {
      ghost.remove();
      document.body.classList.remove("carrying");
    },
  });
}

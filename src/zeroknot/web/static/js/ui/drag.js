// @ts-check
/** Carry something from a list to a place on the page, with its name under the pointer. */

const BEGIN_PIXELS = 6;

/**
 * @param {PointerEvent} event @param {string} name
 * @param {(x: number, y: number) => string | null} over what a point would mean, null for nothing
 * @param {(x: number, y: number) => void} dropped
 */
export function startDrag(event, name, over, dropped) {
  if (event.button !== 0) return;
  const start = { x: event.clientX, y: event.clientY };
  /** @type {HTMLElement | null} */
  let ghost = null;
  const controller = new AbortController();
  const { signal } = controller;
  const end = () => {
    controller.abort();
    ghost?.remove();
    document.body.classList.remove("carrying");
  };
  /** @param {PointerEvent} move */
  const moved = (move) => {
    if (!ghost) {
      if (Math.hypot(move.clientX - start.x, move.clientY - start.y) < BEGIN_PIXELS) return;
      ghost = document.createElement("div");
      ghost.className = "ghost";
      document.body.append(ghost);
      document.body.classList.add("carrying");
    }
    const means = over(move.clientX, move.clientY);
    ghost.textContent = means ? `${name} → ${means}` : name;
    ghost.classList.toggle("lands", means !== null);
    ghost.style.transform = `translate(${move.clientX + 12}px, ${move.clientY + 12}px)`;
  };
  window.addEventListener("pointermove", moved, { signal });
  window.addEventListener("pointerup", (up) => {
    const carried = ghost !== null;
    end();
    if (carried) dropped(up.clientX, up.clientY);
  }, { signal });
  window.addEventListener("pointercancel", end, { signal });
  window.addEventListener("keydown", (key) => key.key === "Escape" && end(), { signal });
}

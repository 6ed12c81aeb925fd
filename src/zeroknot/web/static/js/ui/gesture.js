// @ts-check
/**
 * One gesture of the pointer from press to release: it begins past a few pixels, Escape gives it up,
 * and it ends once, done or not.
 */

const BEGIN_PIXELS = 4;

/**
 * x, y: where the pointer is; dx, dy: how far from where it was pressed
 * @typedef {{x: number, y: number, dx: number, dy: number, alt: boolean, shift: boolean, ctrl: boolean}} Move
 * @typedef {{
 *   begun?: (move: Move) => void,
 *   moved: (move: Move) => void,
 *   done: (move: Move) => void,
 *   tapped?: (move: Move) => void,
 *   ended?: (isDone: boolean) => void,
 *   pixels?: number,
 * }} Gesture
 *   tapped: released without having moved; ended: after any of it, also when it was given up
 */

/** @param {PointerEvent} event the press @param {Gesture} gesture @returns {() => void} gives it up */
export function gesture(event, { begun, moved, done, tapped, ended, pixels = BEGIN_PIXELS }) {
  const { pointerId, clientX, clientY } = event;
  const target = /** @type {Element} */ (event.currentTarget ?? event.target);
  const listening = new AbortController();
  const { signal } = listening;
  let isBegun = pixels === 0;
  let isOver = false;
  /** @param {PointerEvent} e @returns {Move} */
  const moveOf = (e) => ({
    x: e.clientX, y: e.clientY, dx: e.clientX - clientX, dy: e.clientY - clientY,
    alt: e.altKey, shift: e.shiftKey, ctrl: e.ctrlKey || e.metaKey,
  });
  /** @param {boolean} isDone */
  const end = (isDone) => {
    if (isOver) return;
    isOver = true;
    listening.abort();
    if (target.hasPointerCapture?.(pointerId)) target.releasePointerCapture(pointerId);
    ended?.(isDone);
  };
  /** @param {(e: PointerEvent) => void} act */
  const ours = (act) => (/** @type {PointerEvent} */ e) => e.pointerId === pointerId && act(e);
  // Not before it has begun: a click belongs to what was pressed, not to what would be dragged.
  const capture = () => {
    try {
      target.setPointerCapture?.(pointerId);
    } catch {
      // A pointer that is gone already, or one that a script made up, cannot be captured.
    }
  };
  if (isBegun) capture();
  window.addEventListener("pointermove", ours((e) => {
    const move = moveOf(e);
    if (!isBegun) {
      if (Math.hypot(move.dx, move.dy) < pixels) return;
      isBegun = true;
      capture();
      begun?.(move);
    }
    moved(move);
  }), { signal });
  window.addEventListener("pointerup", ours((e) => {
    const move = moveOf(e);
    if (isBegun) done(move);
    else tapped?.(move);
    end(true);
  }), { signal });
  window.addEventListener("pointercancel", ours(() => end(false)), { signal });
  window.addEventListener("keydown", (key) => {
    if (key.key !== "Escape") return;
    // Nobody else's Escape: only what is being dragged is let go.
    key.preventDefault();
    key.stopImmediatePropagation();
    end(false);
  }, { signal, capture: true });
  return () => end(false);
}

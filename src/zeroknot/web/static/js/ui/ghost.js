// @ts-check

/** What is dragged says where it would land, beside the pointer; null: no more. @param {{x: number, y: number} | null} at @param {string} text */
export function sayAt(at, text) {
  const label = document.getElementById("dragged");
  if (!label) return;
  label.hidden = !at;
  label.textContent = text;
  if (at) label.style.transform = `translate(${at.x + 12}px, ${at.y - 30}px)`;
}

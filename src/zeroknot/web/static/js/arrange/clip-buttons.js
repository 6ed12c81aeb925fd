// @ts-check
/**
 * The buttons that clips are held by and read by: made by hand, and only where they can be seen, so that a
 * song of thousands scrolls like one of ten. They are empty to the eye: what clips look like is drawn under
 * them (`draw.js`).
 */

import { clipLabel } from "./model.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("../types.js").Strand} Strand */
/** @typedef {{element: HTMLButtonElement, clip: Clip | null, strand: Strand | undefined, placed: string, isChosen: boolean | null}} Button */
/** @typedef {{grab: (event: PointerEvent, id: string) => void, hover: (event: PointerEvent) => void, choose: (id: string) => void, twice: (event: MouseEvent, id: string) => void}} Doing */
/**
 * lanes: where rows lie in the scrolled field; stays: ids that are kept wherever they lie
 * @typedef {{clips: readonly Clip[], lanes: readonly {id: string, top: number, height: number}[], perBeat: number, left: number, top: number, width: number, height: number, stays: Set<string>, chosen: (id: string) => boolean}} Seen
 */

const AROUND = 160; // pixels around what is seen in which there are buttons, too
const LEAST_WIDTH = 8;

export class ClipButtons {
  /** @param {HTMLElement} box the lanes @param {() => import("../types.js").ProjectState} state @param {Doing} doing */
  constructor(box, state, doing) {
    this.box = box;
    this.state = state;
    this.doing = doing;
    /** @type {Map<string, Button>} */
    this.buttons = new Map();
  }

  /** @param {Seen} seen */
  show({ clips, lanes, perBeat, left, top, width, height, stays, chosen }) {
    const rows = new Map(lanes.filter((lane) => lane.top + lane.height > top - AROUND && lane.top < top + height + AROUND).map((lane) => [lane.id, lane]));
    const [from, to] = [(left - AROUND) / perBeat, (left + width + AROUND) / perBeat];
    const strands = new Map(this.state().strands.map((s) => [s.id, s]));
    const meant = clips.filter((c) => stays.has(c.id) || (rows.has(c.track) && c.beat < to && c.beat + c.beats > from));
    const kept = new Set(meant.map((c) => c.id));
    /** @type {Map<string, Element | null>} */
    const shelves = new Map([...this.box.querySelectorAll("[data-lane]")].map((lane) => [lane.getAttribute("data-lane") ?? "", lane.querySelector(".clips")]));
    /** The button of a row that the next one belongs behind: they are gone through in their order. @type {Map<Element, Element>} */
    const last = new Map();
    for (const clip of [...meant].sort((a, b) => a.beat - b.beat)) {
      const strand = strands.get(clip.strand);
      const element = this.place(clip, strand, perBeat, chosen(clip.id));
      this.put(element, shelves.get(clip.track) ?? null, last);
    }
    for (const [id, { element }] of this.buttons) {
      if (kept.has(id)) continue;
      element.remove();
      this.buttons.delete(id);
    }
  }

  /** Which are chosen. @param {(id: string) => boolean} chosen */
  press(chosen) {
    for (const [id, button] of this.buttons) {
      button.isChosen = chosen(id);
      button.element.setAttribute("aria-pressed", String(button.isChosen));
    }
  }

  /** @param {string} id */
  focus(id) {
    this.buttons.get(id)?.element.focus();
  }

  /** @param {Clip} clip @param {Strand | undefined} strand @param {number} perBeat @param {boolean} isChosen @returns {HTMLElement} */
  place(clip, strand, perBeat, isChosen) {
    const button = this.buttons.get(clip.id) ?? this.made(clip);
    const { element } = button;
    const wide = Math.max(LEAST_WIDTH, clip.beats * perBeat - 2);
    const placed = `${clip.beat * perBeat} ${wide}`;
    if (placed !== button.placed) {
      button.placed = placed;
      element.style.left = `${clip.beat * perBeat}px`;
      element.style.width = `${wide}px`;
    }
    if (button.isChosen !== isChosen) {
      button.isChosen = isChosen;
      element.setAttribute("aria-pressed", String(isChosen));
    }
    if (button.clip === clip && button.strand === strand) return element;
    [button.clip, button.strand] = [clip, strand];
    element.textContent = clip.name ?? strand?.name ?? "";
    element.classList.toggle("muted", clip.muted);
    element.setAttribute("aria-label", clipLabel(clip, strand, this.state()));
    return element;
  }

  /** Into its row, behind those that begin earlier. @param {HTMLElement} element @param {Element | null} row @param {Map<Element, Element>} last */
  put(element, row, last) {
    if (!row) return;
    const before = last.get(row);
    last.set(row, element);
    // What follows now may have its place in another row: only what was put is sure to be in this.
    const at = before ? before.nextElementSibling : row.firstElementChild;
    const isFocused = document.activeElement === element;
    if (element === at || (element.parentElement === row && isFocused)) return;
    row.insertBefore(element, at);
    if (isFocused) element.focus(); // it went to another row
  }

  /** @param {Clip} clip @returns {Button} */
  made({ id }) {
    const element = document.createElement("button");
    element.className = "clip";
    element.dataset.keys = "";
    element.dataset.clip = id;
    element.addEventListener("pointerdown", (event) => this.doing.grab(event, id));
    element.addEventListener("pointermove", (event) => this.doing.hover(event));
    element.addEventListener("focus", () => this.doing.choose(id));
    element.addEventListener("dblclick", (event) => this.doing.twice(event, id));
    /** @type {Button} */
    const button = { element, clip: null, strand: undefined, placed: "", isChosen: null };
    this.buttons.set(id, button);
    return button;
  }
}

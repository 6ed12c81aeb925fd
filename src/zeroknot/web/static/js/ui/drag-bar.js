// @ts-check
/**
 * A value as a bar that drags, with the number beside it that can be typed.
 *
 * <drag-bar label min max step value default unit="db|st|percent|ms|hz|…" scale="octaves">; "input" while
 * dragging, "change" when let go. By octaves a step is that many semitones. Arrow keys nudge, Shift ten times; double click goes back to the default.
 */

import { gesture } from "./gesture.js";
import { isTyped, watchTyping } from "./fields.js";
import { db, round, semitones, typedNumber } from "../format.js";

/** @type {Record<string, (value: number) => string>} */
const SHOWN = {
  db, st: semitones, percent: (v) => `${round(v, 0)} %`, ms: (v) => `${round(v, 0)} ms`, ms1: (v) => `${round(v, v < 10 ? 1 : 0)} ms`, number: (v) => String(round(v, 2)),
  level: (v) => `${v < 0 ? "−" : ""}${Math.abs(v).toFixed(1)} dB`, ratio: (v) => `${round(v, 1)} : 1`, q: (v) => `Q ${round(v, 2)}`,
  hz: (v) => (v < 1000 ? `${round(v, 0)} Hz` : `${round(v / 1000, 2)} kHz`),
  share: (v) => `${round(v * 100, 0)} %`,
  pan: (v) => (Math.abs(v) < 0.005 ? "middle" : `${v < 0 ? "L" : "R"} ${round(Math.abs(v) * 100, 0)}`),
};
/** @param {string} unit @param {number} value */
export const shownAs = (unit, value) => (unit === "switch" ? (value >= 0.5 ? "on" : "off") : (SHOWN[unit] ?? SHOWN.number)(value));

const SIDED = ["st", "number", "pan"]; // drawn from 0 on where they go to both sides

export class DragBar extends HTMLElement {
  static observedAttributes = ["value", "label"];

  constructor() {
    super();
    this.current = 0;
    this.dragging = false;
  }

  connectedCallback() {
    if (this.firstChild) return;
    this.bar = document.createElement("div");
    this.bar.className = "drag-bar";
    this.bar.tabIndex = 0;
    this.bar.setAttribute("role", "slider");
    this.fill = document.createElement("i");
    this.bar.append(this.fill);
    this.field = document.createElement("input");
    this.field.className = "number";
    this.append(this.bar, this.field);
    this.bar.addEventListener("pointerdown", (e) => this.down(e));
    this.bar.addEventListener("dblclick", () => this.to(this.number("default", 0), "change"));
    this.bar.addEventListener("keydown", (e) => this.key(e));
    watchTyping(this.field, () => this.show());
    this.field.addEventListener("change", (e) => {
      e.stopPropagation();
      const text = this.field?.value ?? "";
      const typed = typedNumber(text);
      if (typed === null || !this.holds(typed)) this.refuse(text);
      else this.to(typed, "change");
      this.show();
    });
    this.field.addEventListener("input", (e) => e.stopPropagation());
    this.field.addEventListener("focus", () => this.field?.select());
    this.attributeChangedCallback();
  }

  /** Set by bindings. */
  get value() {
    return this.current;
  }

  /** @param {number | string} value */
  set value(value) {
    this.setAttribute("value", String(value));
  }

  get label() {
    return this.getAttribute("label") ?? "value";
  }

  /** @param {string} name @param {number} otherwise */
  number(name, otherwise) {
    const text = this.getAttribute(name);
    return text === null || text === "" ? otherwise : Number(text);
  }

  attributeChangedCallback() {
    this.bar?.setAttribute("aria-label", this.label);
    this.field?.setAttribute("aria-label", `${this.label}, typed`);
    if (this.dragging) return;
    this.current = this.number("value", 0);
    this.show();
  }

  show() {
    if (!this.bar || !this.fill || !this.field) return;
    const [min, max] = [this.number("min", 0), this.number("max", 1)];
    const origin = min < 0 && SIDED.includes(this.getAttribute("unit") ?? "number") ? this.share(0) : 0;
    const at = this.share(this.current);
    this.fill.style.left = `${Math.min(origin, at) * 100}%`;
    this.fill.style.width = `${Math.abs(at - origin) * 100}%`;
    const text = (SHOWN[this.getAttribute("unit") ?? "number"] ?? SHOWN.number)(this.current);
    if (!isTyped(this.field)) this.field.value = text;
    this.bar.setAttribute("aria-valuemin", String(min));
    this.bar.setAttribute("aria-valuemax", String(max));
    this.bar.setAttribute("aria-valuenow", String(this.current));
    this.bar.setAttribute("aria-valuetext", text);
  }

  get isInOctaves() {
    return this.getAttribute("scale") === "octaves";
  }

  /** How far along the bar a value is. @param {number} value */
  share(value) {
    const [min, max] = [this.number("min", 0), this.number("max", 1)];
    const share = this.isInOctaves ? Math.log(value / min) / Math.log(max / min) : (value - min) / (max - min);
    return Math.max(0, Math.min(1, share));
  }

  /** @param {number} value */
  holds(value) {
    return value >= this.number("min", 0) - 1e-9 && value <= this.number("max", 1) + 1e-9;
  }

  /** Say what holds; the value stays. @param {string} text */
  refuse(text) {
    const shown = SHOWN[this.getAttribute("unit") ?? "number"] ?? SHOWN.number;
    const range = `${shown(this.number("min", 0))} to ${shown(this.number("max", 1))}`;
    this.dispatchEvent(new CustomEvent("refused", { detail: `${this.label} goes from ${range}; “${text}” is not in it.`, bubbles: true }));
  }

  /** @param {number} x @param {boolean} isFree not on the steps */
  at(x, isFree) {
    const box = /** @type {HTMLElement} */ (this.bar).getBoundingClientRect();
    const share = Math.max(0, Math.min(1, (x - box.left) / box.width));
    const [min, max] = [this.number("min", 0), this.number("max", 1)];
    const step = isFree ? 0 : this.number("step", 0);
    if (this.isInOctaves) return min * (max / min) ** share;
    const value = min + share * (max - min);
    return step ? Math.round(value / step) * step : value;
  }

  /** Held and dragged; Escape puts it back where it was. @param {PointerEvent} event */
  down(event) {
    if (event.button !== 0) return;
    const before = this.current;
    this.dragging = true;
    this.to(this.at(event.clientX, event.altKey), "input");
    gesture(event, {
      pixels: 0,
      moved: ({ x, alt }) => this.to(this.at(x, alt), "input"),
      done: () => undefined,
      ended: (isDone) => {
        this.dragging = false;
        if (isDone) this.to(this.current, "change");
        else this.to(before, "input");
      },
    });
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    const directions = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 };
    const direction = directions[/** @type {keyof typeof directions} */ (event.key)];
    if (!direction) return;
    event.preventDefault();
    event.stopPropagation();
    const step = this.number("step", 0.1) * (event.shiftKey ? 10 : 1);
    this.to(this.isInOctaves ? this.current * 2 ** ((direction * step) / 12) : this.current + direction * step, "change");
  }

  /** @param {number} value @param {"input" | "change"} kind */
  to(value, kind) {
    const [min, max] = [this.number("min", 0), this.number("max", 1)];
    this.current = round(Math.max(min, Math.min(max, value)), 3);
    this.show();
    this.dispatchEvent(new CustomEvent(kind, { detail: this.current, bubbles: false }));
  }
}

customElements.define("drag-bar", DragBar);

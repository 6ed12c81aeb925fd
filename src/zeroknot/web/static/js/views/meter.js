// @ts-check
/** <level-meter track="id">: peak and held peak of a track, or of the master without one. */

import { picture } from "../ui/frames.js";

const FLOOR_DB = -60;

/** @param {import("../session.js").Session} session */
export function defineMeter(session) {
  class LevelMeter extends HTMLElement {
    connectedCallback() {
      if (!this.canvas) {
        this.canvas = document.createElement("canvas");
        this.append(this.canvas);
        this.setAttribute("role", "meter");
        this.setAttribute("aria-valuemin", String(FLOOR_DB));
        this.setAttribute("aria-valuemax", "6");
        this.setAttribute("aria-valuenow", String(FLOOR_DB));
        this.addEventListener("click", () => this.meter()?.clearOver());
      }
      // Silence is drawn once.
      this.ending ??= picture(this.canvas, () => {
        this.read();
        return [this.peaks.map(share), this.held.map(share), this.isOver];
      }, (c, sheet) => this.draw(c, sheet));
    }

    disconnectedCallback() {
      this.ending?.();
      this.ending = null;
    }

    meter() {
      const mixer = session.engine_?.mixer;
      const track = this.getAttribute("track");
      return track ? mixer?.tracks.get(track)?.meter : mixer?.masterMeter;
    }

    /** What sounds now; in words, twice a second. */
    read() {
      const now = performance.now() / 1000;
      const read = this.meter()?.read() ?? { peaks: [0, 0], held: [0, 0], isOver: false };
      [this.peaks, this.held, this.isOver] = [read.peaks, read.held, read.isOver];
      if (now - this.told <= 0.5) return;
      this.told = now;
      const top = 20 * Math.log10(Math.max(1e-6, ...read.held));
      this.setAttribute("aria-valuenow", Math.max(FLOOR_DB, top).toFixed(1));
      this.title = top > FLOOR_DB ? `peak ${top.toFixed(1)} dBFS${read.isOver ? ", over 0: click to clear" : ""}` : "silent";
    }

    /** @type {import("../ui/frames.js").Layer["draw"]} */
    draw(c, { width, height, colours }) {
      const isTall = height > width;
      const side = (isTall ? width : height) / 2 - 1;
      this.peaks.forEach((peak, i) => {
        const at = i * (side + 2);
        const [level, held] = [share(peak), share(this.held[i])];
        c.fillStyle = colours.line;
        if (isTall) c.fillRect(at, 0, side, height);
        else c.fillRect(0, at, width, side);
        c.fillStyle = this.isOver ? colours.madder : colours.verdigris;
        if (isTall) c.fillRect(at, height * (1 - level), side, height * level);
        else c.fillRect(0, at, width * level, side);
        if (held <= 0) return;
        c.fillStyle = colours.ink;
        if (isTall) c.fillRect(at, height * (1 - held), side, 1.5);
        else c.fillRect(width * held - 1.5, at, 1.5, side);
      });
    }

    /** @type {HTMLCanvasElement | null} */
    canvas = null;

    peaks = [0, 0];

    held = [0, 0];

    isOver = false;

    told = 0;

    /** @type {(() => void) | null} */
    ending = null;
  }
  customElements.define("level-meter", LevelMeter);
}

/** @param {number} peak */
function share(peak) {
  const db = 20 * Math.log10(Math.max(1e-9, peak));
  return Math.max(0, Math.min(1, (db - FLOOR_DB) / (6 - FLOOR_DB)));
}

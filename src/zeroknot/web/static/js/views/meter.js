// @ts-check
/** <level-meter track="id">: peak and held peak of a track, or of the master without one. */

import { fitted, palette, paletteName } from "../ui/colours.js";
import { eachFrame } from "../ui/frames.js";

const FLOOR_DB = -60;

/** @param {import("../session.js").Session} session */
export function defineMeter(session) {
  class LevelMeter extends HTMLElement {
    connectedCallback() {
      this.ending ??= eachFrame(() => this.draw());
      if (this.firstChild) return;
      this.canvas = document.createElement("canvas");
      this.append(this.canvas);
      this.setAttribute("role", "meter");
      this.setAttribute("aria-valuemin", String(FLOOR_DB));
      this.setAttribute("aria-valuemax", "6");
      this.setAttribute("aria-valuenow", String(FLOOR_DB));
      this.told = 0;
      this.addEventListener("click", () => this.meter()?.clearOver());
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

    draw() {
      if (!this.canvas) return;
      const now = performance.now() / 1000;
      const read = this.meter()?.read(now) ?? { peaks: [0, 0], held: [0, 0], isOver: false };
      // Silence is drawn once.
      const looks = JSON.stringify([read.peaks.map(share), read.held.map(share), read.isOver, paletteName(), devicePixelRatio]);
      if (looks === this.drawn) return;
      this.drawn = looks;
      const context = fitted(this.canvas);
      const { clientWidth: width, clientHeight: height } = this.canvas;
      const colours = palette();
      const isTall = height > width;
      const side = (isTall ? width : height) / 2 - 1;
      read.peaks.forEach((peak, i) => {
        const at = i * (side + 2);
        const [level, held] = [share(peak), share(read.held[i])];
        context.fillStyle = colours.line;
        if (isTall) context.fillRect(at, 0, side, height);
        else context.fillRect(0, at, width, side);
        context.fillStyle = read.isOver ? colours.madder : colours.verdigris;
        if (isTall) context.fillRect(at, height * (1 - level), side, height * level);
        else context.fillRect(0, at, width * level, side);
        if (held <= 0) return;
        context.fillStyle = colours.ink;
        if (isTall) context.fillRect(at, height * (1 - held), side, 1.5);
        else context.fillRect(width * held - 1.5, at, 1.5, side);
      });
      if (now - this.told > 0.5) {
        this.told = now;
        const top = 20 * Math.log10(Math.max(1e-6, ...read.held));
        this.setAttribute("aria-valuenow", Math.max(FLOOR_DB, top).toFixed(1));
        this.title = top > FLOOR_DB ? `peak ${top.toFixed(1)} dBFS${read.isOver ? ", over 0: click to clear" : ""}` : "silent";
      }
    }

    told = 0;

    /** @type {(() => void) | null} */
    ending = null;

    drawn = "";
  }
  customElements.define("level-meter", LevelMeter);
}

/** @param {number} peak */
function share(peak) {
  const db = 20 * Math.log10(Math.max(1e-9, peak));
  return Math.max(0, Math.min(1, (db - FLOOR_DB) / (6 - FLOOR_DB)));
}

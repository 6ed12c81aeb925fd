// @ts-check
/** <wave-thumb sha seconds rate yarn>: a loop's little waveform, drawn when it comes into sight. */

import { fitted, yarnColour } from "./colours.js";
import { drawWave, loudest, sourcePeaks } from "./waves.js";

export class WaveThumb extends HTMLElement {
  connectedCallback() {
    if (this.firstChild) return;
    this.canvas = document.createElement("canvas");
    this.canvas.setAttribute("aria-hidden", "true");
    this.append(this.canvas);
    this.seen = new IntersectionObserver((entries) => {
      if (entries.some((e) => e.isIntersecting)) this.draw();
    });
    this.seen.observe(this);
  }

  disconnectedCallback() {
    this.seen?.disconnect();
  }

  async draw() {
    this.seen?.disconnect();
    const sha = this.getAttribute("sha");
    if (!sha || !this.canvas) return;
    try {
      const frames = Number(this.getAttribute("seconds")) * Number(this.getAttribute("rate"));
      const peaks = await sourcePeaks(sha, frames > 200_000 ? 4096 : 512);
      const context = fitted(this.canvas);
      const box = { x: 0, y: 0, width: this.canvas.clientWidth, height: this.canvas.clientHeight };
      const colour = yarnColour(Number(this.getAttribute("yarn")));
      drawWave(context, peaks, box, (x) => (x / box.width) * frames, colour, loudest(peaks));
    } catch {
      this.dataset.failed = "true";
    }
  }
}

customElements.define("wave-thumb", WaveThumb);

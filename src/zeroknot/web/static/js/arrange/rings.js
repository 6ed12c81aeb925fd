// @ts-check
/** Small pictures of loops, and names cut to fit, as they are drawn on clips: each worked out once. */

/** @typedef {import("../types.js").Strand} Strand */

const MOST_NAMES = 4000;

export class Rings {
  constructor() {
    /** @type {Map<string, HTMLImageElement>} */
    this.images = new Map();
    /** @type {Map<string, string>} */
    this.names = new Map();
    /** How many are there by now: what shows them looks different with each. */
    this.count = 0;
  }

  /** The ring of what a strand plays; null until it is there. @param {Strand} strand */
  of({ loop, yarn, zero_s: start, end_s: end }) {
    const path = `/api/loops/${loop}/ring.png?yarn=${yarn}&start=${start}&end=${end}`;
    let image = this.images.get(path);
    if (!image) {
      image = new Image();
      image.onload = () => { this.count += 1; };
      image.src = path;
      this.images.set(path, image);
    }
    return image.complete && image.naturalWidth ? image : null;
  }

  /** A name, or as much of it as there is room for. @param {CanvasRenderingContext2D} c with the font that it is drawn in @param {string} name @param {number} room pixels */
  fitted(c, name, room) {
    const key = `${Math.floor(room / 4)} ${name}`;
    const known = this.names.get(key);
    if (known !== undefined) return known;
    let found = name;
    const least = Math.floor(room / 4) * 4;
    if (c.measureText(name).width > least) {
      let [low, high] = [0, name.length];
      while (low < high) {
        const middle = (low + high + 1) >> 1;
        if (c.measureText(`${name.slice(0, middle).trimEnd()}…`).width <= least) low = middle;
        else high = middle - 1;
      }
      found = low ? `${name.slice(0, low).trimEnd()}…` : "";
    }
    if (this.names.size >= MOST_NAMES) this.names.clear();
    this.names.set(key, found);
    return found;
  }
}

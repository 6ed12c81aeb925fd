// @ts-check
/**
 * A picture of something that is scrolled: what stays in sight is moved over, and only what comes into
 * sight is drawn.
 */

import { cleared, colours, eachFrame, sheetOf, stir } from "./frames.js";

/** In CSS pixels of the canvas. @typedef {{left: number, top: number, right: number, bottom: number}} Region */
/** @typedef {import("./frames.js").Sheet} Sheet */
/**
 * looks: what it shows, its place aside, as anything that JSON can tell apart; place: how far it is scrolled;
 * body: the part that is scrolled; still: what is drawn anew each time, outside the body
 * @typedef {{looks: () => unknown, place: () => {x: number, y: number}, body: (sheet: Sheet) => Region, draw: (c: CanvasRenderingContext2D, sheet: Sheet, region: Region) => void,
 *   still: (c: CanvasRenderingContext2D, sheet: Sheet) => void}} Scrolled
 */

/** @param {HTMLCanvasElement} canvas @param {Scrolled} scrolled @returns {() => void} ends it */
export function scrolledPicture(canvas, { looks, place, body, draw, still }) {
  let drawn = "";
  let at = { x: NaN, y: NaN };
  return eachFrame(() => {
    const sheet = sheetOf(canvas);
    if (!sheet) return;
    const to = place();
    const now = sheet.name + JSON.stringify(looks());
    const [dx, dy] = [to.x - at.x, to.y - at.y];
    if (now === drawn && !dx && !dy) return;
    const shown = { ...sheet, colours: colours() };
    const region = body(shown);
    const [wide, high] = [region.right - region.left, region.bottom - region.top];
    // Only what lies on the same pixels can be moved over.
    const isExact = Number.isInteger(dx * sheet.ratio) && Number.isInteger(dy * sheet.ratio);
    if (now !== drawn || !isExact || Math.abs(dx) >= wide || Math.abs(dy) >= high) {
      const c = cleared(canvas, sheet);
      inside(c, region, () => draw(c, shown, region));
      still(c, shown);
    } else {
      const c = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
      inside(c, region, () => {
        c.globalCompositeOperation = "copy";
        c.drawImage(canvas, -dx, -dy, sheet.width, sheet.height);
      });
      for (const fresh of uncovered(region, dx, dy)) {
        c.clearRect(fresh.left, fresh.top, fresh.right - fresh.left, fresh.bottom - fresh.top);
        inside(c, fresh, () => draw(c, shown, fresh));
      }
      c.clearRect(0, 0, sheet.width, region.top);
      still(c, shown);
    }
    [drawn, at] = [now, to];
    stir();
  });
}

/** @param {CanvasRenderingContext2D} c @param {Region} region @param {() => void} draw */
function inside(c, { left, top, right, bottom }, draw) {
  c.save();
  c.beginPath();
  c.rect(left, top, right - left, bottom - top);
  c.clip();
  draw();
  c.restore();
}

/** What comes into sight when all is moved by so much. @param {Region} region @param {number} dx @param {number} dy @returns {Region[]} */
function uncovered({ left, top, right, bottom }, dx, dy) {
  const found = [];
  if (dx > 0) found.push({ left: right - dx, top, right, bottom });
  if (dx < 0) found.push({ left, top, right: left - dx, bottom });
  const [from, to] = [dx < 0 ? left - dx : left, dx > 0 ? right - dx : right];
  if (dy > 0) found.push({ left: from, top: bottom - dy, right: to, bottom });
  if (dy < 0) found.push({ left: from, top, right: to, bottom: top - dy });
  return found;
}

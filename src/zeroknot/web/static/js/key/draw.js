// @ts-check
/** The Key view's strokes: notes as rings, shares as bars, clashes as a table of bars. */

/** @typedef {import("../ui/frames.js").Palette} Palette */
/** @typedef {import("./model.js").Note} Note */

const MONO = "11px 'Spline Sans Mono Variable', monospace";
const SANS = "12px 'Spline Sans Variable', sans-serif";
const BOLD = "600 13px 'Spline Sans Variable', sans-serif";

/**
 * A loop's notes round a circle, C on top: how much each sounds, and whether it is inside the key.
 * @param {CanvasRenderingContext2D} c @param {number} x @param {number} y @param {number} radius @param {Note[]} notes @param {string} label @param {boolean} hasKey @param {Palette} colours
 */
export function drawNotes(c, x, y, radius, notes, label, hasKey, colours) {
  const inner = radius * 0.36;
  const half = Math.PI / 12 - 0.03;
  c.textAlign = "center";
  c.textBaseline = "middle";
  notes.forEach(({ name, share, weight }, i) => {
    const at = (i / 12) * 2 * Math.PI - Math.PI / 2;
    const isInside = weight > 0 || !hasKey;
    // The ground: where the key has a note.
    if (isInside) {
      c.fillStyle = colours.line;
      c.globalAlpha = weight === 0.5 ? 0.25 : 0.45;
      wedge(c, x, y, inner, radius, at, half);
      c.fill();
      c.globalAlpha = 1;
    }
    const size = inner + (radius - inner) * Math.sqrt(share);
    if (share > 0.002) {
      c.fillStyle = isInside ? colours.verdigris : colours.madder;
      c.globalAlpha = isInside ? 0.9 : 0.25;
      wedge(c, x, y, inner, size, at, half);
      c.fill();
      c.globalAlpha = 1;
      if (!isInside) {
        // Outside the key by more than colour: hatched, with an edge.
        c.save();
        wedge(c, x, y, inner, size, at, half);
        c.clip();
        c.strokeStyle = colours.madder;
        c.lineWidth = 1.4;
        c.beginPath();
        for (let k = -radius * 2; k < radius * 2; k += 5) {
          c.moveTo(x + k, y - radius);
          c.lineTo(x + k + radius * 2, y + radius);
        }
        c.stroke();
        c.restore();
        wedge(c, x, y, inner, size, at, half);
        c.strokeStyle = colours.madder;
        c.stroke();
      }
    }
    c.font = isInside ? BOLD : SANS;
    c.fillStyle = isInside ? colours.ink : colours.quiet;
    c.fillText(name, x + Math.cos(at) * (radius + 15), y + Math.sin(at) * (radius + 15));
  });
  c.font = BOLD;
  c.fillStyle = colours.ink;
  c.fillText(label, x, y);
  c.textAlign = "left";
  c.textBaseline = "alphabetic";
}

/** @param {CanvasRenderingContext2D} c @param {number} x @param {number} y @param {number} from @param {number} to @param {number} at @param {number} half */
function wedge(c, x, y, from, to, at, half) {
  c.beginPath();
  c.arc(x, y, to, at - half, at + half);
  c.arc(x, y, from, at + half, at - half, true);
  c.closePath();
}

/**
 * Clashes bar by bar: the rougher, the larger and darker the mark in its cell.
 * @param {CanvasRenderingContext2D} c @param {import("./model.js").Grid} grid @param {import("../types.js").HandClash} clash
 * @param {{keys: import("../types.js").ProjectState["keys"], pointed: {row: number, column: number} | null, playing: number | null}} around playing: the bar that sounds
 * @param {Palette} colours
 */
export function drawClash(c, grid, clash, around, colours) {
  const [w, h] = [grid.width / grid.count, grid.height / Math.max(1, grid.rows)];
  c.font = SANS;
  c.textBaseline = "middle";
  clash.rows.forEach(({ name, bars }, row) => {
    const y = grid.top + row * h;
    c.fillStyle = colours.ink;
    c.fillText(cut(c, name, grid.left - 20), 8, y + h / 2);
    c.strokeStyle = colours.line;
    c.beginPath();
    c.moveTo(grid.left, Math.round(y + h) + 0.5);
    c.lineTo(grid.left + grid.width, Math.round(y + h) + 0.5);
    c.stroke();
    bars.forEach((bar, column) => {
      if (!bar) return;
      const x = grid.left + column * w;
      const share = Math.min(1, bar.clash / (2 * clash.heard));
      const isHeard = bar.clash >= clash.heard;
      c.fillStyle = colours.madder;
      c.globalAlpha = 0.12 + 0.75 * share;
      // A mark that grows from the middle: what clashes fills its cell.
      const [mw, mh] = [Math.max(2, (w - 3) * (0.35 + 0.65 * share)), Math.max(3, (h - 5) * (0.2 + 0.8 * share))];
      c.beginPath();
      c.roundRect(x + (w - mw) / 2, y + (h - mh) / 2, mw, mh, 3);
      c.fill();
      c.globalAlpha = 1;
      if (isHeard && w > 9) {
        c.strokeStyle = colours.ink;
        c.lineWidth = 1.2;
        c.stroke();
      }
      if (around.pointed?.row === row && around.pointed.column === column) {
        c.strokeStyle = colours.indigo;
        c.lineWidth = 2;
        c.strokeRect(x + 0.5, y + 1.5, w - 1, h - 3);
      }
    });
  });
  c.textBaseline = "alphabetic";
  drawBars(c, grid, clash, around, colours, w);
}

/** Bar numbers below; where the key changes, a thread through all rows with its name. @param {CanvasRenderingContext2D} c @param {import("./model.js").Grid} grid @param {import("../types.js").HandClash} clash @param {{keys: import("../types.js").ProjectState["keys"], playing: number | null}} around @param {Palette} colours @param {number} w */
function drawBars(c, grid, clash, { keys, playing }, colours, w) {
  const bottom = grid.top + grid.height;
  const every = [1, 2, 4, 8, 16, 32].find((n) => n * w >= 26) ?? 64;
  c.font = MONO;
  c.fillStyle = colours.quiet;
  for (let i = 0; i < clash.count; i += 1) {
    const bar = clash.first_bar + i;
    if ((bar - 1) % every === 0) c.fillText(String(bar), grid.left + i * w + 2, bottom + 13);
  }
  for (const { bar, key } of keys) {
    const i = bar - clash.first_bar;
    if (i < 0 || i >= clash.count) continue;
    const x = Math.round(grid.left + i * w) + 0.5;
    c.strokeStyle = colours.indigo;
    c.lineWidth = 1.5;
    c.beginPath();
    c.moveTo(x, grid.top - 14);
    c.lineTo(x, bottom);
    c.stroke();
    c.fillStyle = colours.ink;
    c.fillText(key, x + 4, grid.top - 5);
  }
  if (playing === null) return;
  const x = grid.left + (playing - clash.first_bar) * w;
  if (x < grid.left || x > grid.left + grid.width) return;
  c.strokeStyle = colours.ink;
  c.beginPath();
  c.moveTo(x, grid.top);
  c.lineTo(x, bottom);
  c.stroke();
}

/** @param {CanvasRenderingContext2D} c @param {string} text @param {number} width */
function cut(c, text, width) {
  if (c.measureText(text).width <= width) return text;
  let kept = text;
  while (kept.length > 1 && c.measureText(`${kept}…`).width > width) kept = kept.slice(0, -1);
  return `${kept}…`;
}

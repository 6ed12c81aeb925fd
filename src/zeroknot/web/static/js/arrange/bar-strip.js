// @ts-check
/** Levels of tracks bar by bar, darker where there is more, and where two of them fight. */

/** @typedef {{rows: {id: string, name: string, levels: number[]}[], fights: {tracks: string[], bars: [number, number][]}[], yarnOf: (id: string) => number}} Scene */

const [NAMES, TOP, GAP] = [110, 16, 2];
const [QUIET_DB, LOUD_DB] = [-54, -12];
const MOST_ROW = 26;

/** @param {CanvasRenderingContext2D} c @param {import("../ui/frames.js").Sheet} sheet @param {Scene} scene */
export function barStrip(c, { width, height, colours }, { rows, fights, yarnOf }) {
  const bars = Math.max(1, ...rows.map((r) => r.levels.length));
  const wide = (width - NAMES) / bars;
  const tall = Math.min(MOST_ROW, (height - TOP) / Math.max(1, rows.length));
  const every = [1, 2, 4, 8, 16, 32, 64].find((n) => n * wide >= 22) ?? 128;
  c.font = "11px 'Spline Sans Mono Variable', monospace";
  c.fillStyle = colours.quiet;
  for (let bar = 0; bar < bars; bar += every) c.fillText(String(bar + 1), NAMES + bar * wide + 1, 11);
  c.font = "12px 'Spline Sans Variable', sans-serif";
  rows.forEach((row, i) => {
    const y = TOP + i * tall;
    c.fillStyle = colours.ink;
    c.save();
    c.beginPath();
    c.rect(0, y, NAMES - 6, tall);
    c.clip();
    c.fillText(row.name, 0, y + tall / 2 + 4);
    c.restore();
    row.levels.forEach((db, bar) => {
      const share = Math.max(0, Math.min(1, (db - QUIET_DB) / (LOUD_DB - QUIET_DB)));
      c.globalAlpha = 1;
      c.fillStyle = colours.line;
      c.fillRect(NAMES + bar * wide, y + GAP, Math.max(1, wide - 1), tall - 2 * GAP);
      c.globalAlpha = share;
      c.fillStyle = colours.yarn(yarnOf(row.id));
      c.fillRect(NAMES + bar * wide, y + GAP, Math.max(1, wide - 1), tall - 2 * GAP);
    });
    c.globalAlpha = 1;
  });
  c.strokeStyle = colours.madder;
  c.lineWidth = 2;
  for (const { tracks, bars: where } of fights) {
    for (const id of tracks) {
      const i = rows.findIndex((r) => r.id === id);
      for (const [first, last] of where) c.strokeRect(NAMES + (first - 1) * wide + 1, TOP + i * tall + GAP, (last - first + 1) * wide - 2, tall - 2 * GAP);
    }
  }
}

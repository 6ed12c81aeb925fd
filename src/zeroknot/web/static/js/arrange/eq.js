// @ts-check
/** The filters of a track as a picture: what they let through, over what sounds; a handle for each. */

import { NEUTRAL, passed, Strip } from "../engine/desk/strip.js";

/** @typedef {import("../types.js").Sound} Sound */
/** @typedef {"low_cut" | "low" | "bell1" | "bell2" | "high" | "high_cut"} Band */
/** @typedef {{sound: Sound, band: Band, rate: number, spectrum: Float32Array | null}} Scene */

export const [LOWEST_HZ, HIGHEST_HZ, MOST_DB] = [20, 20_000, 24];
const [QUIETEST_DB, LOUDEST_DB] = [-100, -10]; // of the spectrum
const [LEFT, RIGHT, TOP, BOTTOM] = [26, 8, 6, 16];
const REACH = 12; // pixels from a handle at which it is held
const LINES_HZ = [50, 100, 200, 500, 1000, 2000, 5000, 10_000];
const LINES_DB = [-18, -12, -6, 0, 6, 12, 18];

/** In the order they are run. @type {readonly {id: Band, name: string, isCut: boolean, hasQ: boolean}[]} */
export const BANDS = [
  { id: "low_cut", name: "Low cut", isCut: true, hasQ: false },
  { id: "low", name: "Low shelf", isCut: false, hasQ: false },
  { id: "bell1", name: "Bell 1", isCut: false, hasQ: true },
  { id: "bell2", name: "Bell 2", isCut: false, hasQ: true },
  { id: "high", name: "High shelf", isCut: false, hasQ: false },
  { id: "high_cut", name: "High cut", isCut: true, hasQ: false },
];

/** Is a band other than neutral? @param {Sound} sound @param {Band} band */
export const isOn = (sound, band) => {
  const name = band.endsWith("cut") ? `${band}_hz` : `${band}_db`;
  return valueOf(sound, name) !== NEUTRAL[name];
};

/** @param {Sound} sound @param {string} name @returns {number} */
export const valueOf = (sound, name) => Number(sound[/** @type {keyof Sound} */ (name)]);

export class Paper {
  /** @param {number} width @param {number} height */
  constructor(width, height) {
    this.width = width - LEFT - RIGHT;
    this.height = height - TOP - BOTTOM;
  }

  /** @param {number} hertz */
  x(hertz) {
    const share = Math.log(hertz / LOWEST_HZ) / Math.log(HIGHEST_HZ / LOWEST_HZ);
    return LEFT + Math.min(1, Math.max(0, share)) * this.width;
  }

  /** @param {number} x */
  hertz(x) {
    return LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** Math.min(1, Math.max(0, (x - LEFT) / this.width));
  }

  /** @param {number} db */
  y(db) {
    return TOP + ((MOST_DB - Math.min(MOST_DB, Math.max(-MOST_DB, db))) / (2 * MOST_DB)) * this.height;
  }

  /** @param {number} y */
  db(y) {
    return MOST_DB - (Math.min(1, Math.max(0, (y - TOP) / this.height)) * 2 * MOST_DB);
  }

  /** Where a band's handle is. @param {Sound} sound @param {Band} band */
  handle(sound, band) {
    const isCut = band.endsWith("cut");
    return { x: this.x(valueOf(sound, `${band}_hz`)), y: this.y(isCut ? -3 : valueOf(sound, `${band}_db`)) };
  }

  /** The band whose handle is nearest to a point, where one is near. @param {Sound} sound @param {number} x @param {number} y @returns {Band | null} */
  bandAt(sound, x, y) {
    let [found, nearest] = [/** @type {Band | null} */ (null), REACH];
    for (const { id } of BANDS) {
      const at = this.handle(sound, id);
      const far = Math.hypot(at.x - x, at.y - y);
      if (far <= nearest) [found, nearest] = [id, far];
    }
    return found;
  }
}

/** dB that all filters together let through at frequencies. @param {Sound} sound @param {number} rate @param {readonly number[]} hertz */
export function responseOf(sound, rate, hertz) {
  const strip = new Strip("", rate);
  const values = Object.keys(NEUTRAL).filter((name) => name in sound).map((name) => /** @type {[string, number]} */ ([name, valueOf(sound, name)]));
  strip.tell({ values, lanes: [], key: null });
  strip.step(0, true);
  return hertz.map((h) => 20 * Math.log10(Math.max(1e-9, strip.running.reduce((all, section) => all * passed(section.c, h, rate), 1))));
}

/** @param {CanvasRenderingContext2D} c @param {import("../ui/frames.js").Sheet} sheet @param {Scene} scene */
export function drawEq(c, { width, height, colours }, scene) {
  const paper = new Paper(width, height);
  c.font = "10px 'Spline Sans Mono Variable', monospace";
  drawLines(c, paper, width, height, colours);
  if (scene.spectrum) drawSpectrum(c, paper, scene.spectrum, scene.rate, height, colours);
  const xs = Array.from({ length: Math.max(2, Math.ceil(paper.width / 2)) }, (_, i) => LEFT + 2 * i);
  const response = responseOf(scene.sound, scene.rate, xs.map((x) => paper.hertz(x)));
  c.beginPath();
  xs.forEach((x, i) => c.lineTo(x, paper.y(response[i])));
  c.strokeStyle = colours.indigo;
  c.lineWidth = 2;
  c.stroke();
  c.textAlign = "center";
  c.textBaseline = "middle";
  BANDS.forEach(({ id }, i) => {
    const { x, y } = paper.handle(scene.sound, id);
    const [chosen, on] = [id === scene.band, isOn(scene.sound, id)];
    c.beginPath();
    c.rect(x - 7, y - 7, 14, 14);
    c.fillStyle = chosen ? colours.indigo : colours.panel;
    c.fill();
    c.strokeStyle = on || chosen ? colours.indigo : colours.quiet;
    c.lineWidth = on ? 2 : 1;
    c.stroke();
    c.fillStyle = chosen ? colours.panel : on ? colours.ink : colours.quiet;
    c.fillText(String(i + 1), x, y + 0.5);
  });
}

/** @param {CanvasRenderingContext2D} c @param {Paper} paper @param {number} width @param {number} height @param {import("../ui/frames.js").Palette} colours */
function drawLines(c, paper, width, height, colours) {
  c.strokeStyle = colours.line;
  c.fillStyle = colours.quiet;
  c.lineWidth = 1;
  c.textBaseline = "alphabetic";
  c.textAlign = "center";
  for (const hertz of LINES_HZ) {
    const x = Math.round(paper.x(hertz)) + 0.5;
    c.globalAlpha = 0.6;
    c.beginPath();
    c.moveTo(x, TOP);
    c.lineTo(x, height - BOTTOM);
    c.stroke();
    c.globalAlpha = 1;
    c.fillText(hertz < 1000 ? String(hertz) : `${hertz / 1000}k`, x, height - 4);
  }
  c.textAlign = "right";
  for (const db of LINES_DB) {
    const y = Math.round(paper.y(db)) + 0.5;
    c.globalAlpha = db === 0 ? 1 : 0.5;
    c.beginPath();
    c.moveTo(LEFT, y);
    c.lineTo(width - RIGHT, y);
    c.stroke();
    c.globalAlpha = 1;
    if (db % 12 === 0) c.fillText(db > 0 ? `+${db}` : String(db).replace("-", "−"), LEFT - 4, y + 3);
  }
}

/** @param {CanvasRenderingContext2D} c @param {Paper} paper @param {Float32Array} spectrum dB by equal steps of frequency @param {number} rate @param {number} height @param {import("../ui/frames.js").Palette} colours */
function drawSpectrum(c, paper, spectrum, rate, height, colours) {
  const perBin = rate / 2 / spectrum.length;
  const floor = height - BOTTOM;
  c.beginPath();
  c.moveTo(LEFT, floor);
  for (let x = LEFT; x <= LEFT + paper.width; x += 2) {
    const [low, high] = [paper.hertz(x) / perBin, paper.hertz(x + 2) / perBin];
    let db = -Infinity;
    for (let k = Math.floor(low); k <= Math.max(Math.floor(low), Math.floor(high)); k += 1) db = Math.max(db, spectrum[k] ?? -Infinity);
    const share = Math.max(0, Math.min(1, (db - QUIETEST_DB) / (LOUDEST_DB - QUIETEST_DB)));
    c.lineTo(x, floor - share * paper.height);
  }
  c.lineTo(LEFT + paper.width, floor);
  c.fillStyle = colours.verdigris;
  c.globalAlpha = 0.25;
  c.fill();
  c.globalAlpha = 1;
}

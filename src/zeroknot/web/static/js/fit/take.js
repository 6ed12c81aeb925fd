// @ts-check
/** A stretch of a take: its facts, its edges in close-up, its seam; and the loops that a take holds. */

import { ApiError, getJson } from "../net/api.js";
import { bars, bpm, percent, round, seconds, typedNumber } from "../format.js";
import { drawWaves } from "../loom/lod.js";
import { MadeHere } from "../made-here.js";
import { section } from "../sections.js";

/** @typedef {{start_s: number, end_s: number, pulses: number, bars: number, beats_per_bar: number, tempo_bpm: number,
 *   overhang_s: number | null, mended_s: number, crossing_s: [number, number], seam: number}} RangeFacts */

const SHORTEST = 0.01; // seconds of a stretch
const CLOSE_SECONDS = 0.03; // on each side of an edge
const SETTLE_MS = 160;
const LONG_SECONDS = 20; // from here on a recording may hold loops
const LEAST_OVERHANG = 0.0005;

/** @param {import("./shared.js").Shared} shared */
export const taking = (shared) => {
  const { session, app, held, view } = shared;
  const here = new MadeHere(view);
  /** @type {RangeFacts | null} */
  let facts = null;
  let asked = "";
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let timer;

  return section(shared.whole, {
    isLong: false,
    looking: false,
    /** @type {any[]} */
    found: [],
    wasLooked: false,
    /** The proposal that is the chosen stretch, by its key. @type {number | null} */
    takenFound: null,
    rangeFacts: "", overhangText: "", hasOverhang: false, rangeBars: "", cropping: false, cropped: "", croppedSha: "",

    showTake() {
      const { hand } = held;
      this.isLong = hand.seconds >= LONG_SECONDS && hand.file_kind !== "midi";
    },

    /** Ask for the loops that the take holds. */
    async findLoops() {
      this.looking = true;
      const found = await view.ask("loops", (signal) => getJson(`${held.path}/loops`, signal));
      this.looking = false;
      if (!found) return;
      this.found = found.map((/** @type {any} */ f, /** @type {number} */ i) => ({
        ...f, key: i, name: `${bars(f.bars)}, bar ${f.bar}`, tempo: bpm(f.tempo_bpm), sure: percent(f.grade),
        about: `seam ${percent(f.seam)}, comes again ${percent(f.again)}, even ${percent(f.even)}`,
        label: `${bars(f.bars)} from bar ${f.bar} at ${bpm(f.tempo_bpm)} BPM, grade ${percent(f.grade)}`,
      }));
      this.wasLooked = true;
    },

    /** @param {{key: number, start_s: number, end_s: number, bars: number}} loop */
    takeFound(loop) {
      const { stage } = shared;
      if (!stage) return;
      this.takenFound = loop.key;
      this.rangeBars = String(loop.bars);
      stage.select([loop.start_s, loop.end_s]);
      stage.port.show(loop.start_s, loop.end_s);
      void this.hearRange("seam");
    },

    /** The chosen stretch changed: ask what it comes to, once it rests. */
    rangeChanged() {
      const range = shared.stage?.range ?? null;
      const key = JSON.stringify(range);
      if (key === asked) return;
      asked = key;
      const taken = this.found.find((f) => f.key === this.takenFound);
      if (!range || !taken || Math.abs(taken.start_s - range[0]) > 1e-6) this.takenFound = null;
      clearTimeout(timer);
      if (!range || held.hand.file_kind === "midi") {
        facts = null;
        this.rangeFacts = this.overhangText = "";
        this.hasOverhang = false;
        return;
      }
      timer = setTimeout(() => this.askRange(), SETTLE_MS);
    },

    /** @returns {Promise<RangeFacts | null>} */
    async askRange() {
      clearTimeout(timer);
      const range = shared.stage?.range;
      if (!range) return null;
      const said = Number(this.rangeBars);
      const count = said >= 1 && Number.isInteger(said) ? `&bars=${said}` : "";
      const found = await view.ask("range", async (signal) => {
        try {
          return await getJson(`${held.path}/range?start_s=${Math.max(0, range[0])}&end_s=${range[1]}${count}`, signal);
        } catch (error) {
          if (!(error instanceof ApiError)) throw error;
          this.rangeFacts = error.message;
          return null;
        }
      });
      if (!found) return null;
      facts = found;
      const f = /** @type {RangeFacts} */ (found);
      this.rangeFacts = `${seconds(f.end_s - f.start_s, 3)}, ${round(f.pulses, 2)} beats heard: ${bars(f.bars)} at ${bpm(f.tempo_bpm)} BPM. Seam ${percent(f.seam)}.`;
      this.hasOverhang = f.overhang_s !== null && Math.abs(f.overhang_s) > LEAST_OVERHANG;
      const ms = Math.abs(1000 * (f.overhang_s ?? 0)).toFixed(1);
      this.overhangText = f.overhang_s === null ? "No hits tell whether it overhangs."
        : !this.hasOverhang ? "It does not overhang its seam."
          : `It ${f.overhang_s > 0 ? `overhangs its seam by ${ms} ms` : `is ${ms} ms too short`}.`;
      return f;
    },

    /** What is known of the stretch as it is now; asked for where that is not there yet. */
    async factsNow() {
      return this.isCurrent() ? facts : this.askRange();
    },

    /** Both edges side by side, so near that a click is seen. */
    startEdges() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("edges"));
      view.picture(canvas, () => [shared.stage?.range, shared.stage?.stamp], (c, { width, height, colours }) => {
        const [range, { source, hand }] = [shared.stage?.range, held];
        if (!range || !source) return;
        const half = (width - 8) / 2;
        range.forEach((edge, i) => {
          const x = i * (half + 8);
          c.fillStyle = colours.panel;
          c.strokeStyle = colours.line;
          c.fillRect(x, 0, half, height);
          c.strokeRect(x + 0.5, 0.5, half - 1, height - 1);
          const box = { x, y: 3, width: half, height: height - 6 };
          const from = edge - CLOSE_SECONDS;
          // What lies outside the stretch is paler.
          drawWaves(c, source, box, (p) => (from + (p / half) * 2 * CLOSE_SECONDS) * hand.source_rate, colours.yarn(hand.yarn), source.loudest || 1);
          c.fillStyle = colours.paper;
          c.globalAlpha = 0.62;
          c.fillRect(i === 0 ? x + 1 : x + half / 2, 1, half / 2 - 1, height - 2);
          c.globalAlpha = 1;
          line(c, colours.indigo, x + half / 2, 0, x + half / 2, height);
          c.globalAlpha = 0.5;
          line(c, colours.quiet, x, height / 2, x + half, height / 2);
          c.globalAlpha = 1;
        });
      });
    },

    /** @param {string} text */
    setRangeBars(text) {
      const value = typedNumber(text);
      this.rangeBars = value !== null && value >= 1 && Number.isInteger(value) ? String(value) : "";
      if (text && !this.rangeBars) session.say(`“${text}” is not a whole number of bars.`, "error");
      void this.askRange();
    },

    /** One edge of the stretch; the other goes along where it would be passed. @param {0 | 1} edge @param {number} at */
    setEdge(edge, at) {
      const { hand } = held;
      const [start, end] = shared.stage?.range ?? [hand.zero_s, hand.end_s];
      const second = Math.max(0, Math.min(hand.seconds, at));
      const length = end - start;
      if (edge === 0) this.moveRange([second, second < end - SHORTEST ? end : Math.min(hand.seconds, second + length)]);
      else this.moveRange([second > start + SHORTEST ? start : Math.max(0, second - length), second]);
    },

    /** @param {0 | 1} edge @param {string} text */
    typeEdge(edge, text) {
      const value = typedNumber(text);
      if (value !== null) this.setEdge(edge, value);
      else held.refuse(`“${text}” cannot be read as seconds.`);
    },

    /** @param {[number, number]} range */
    moveRange(range) {
      shared.stage?.select(range);
      this.rangeChanged();
    },

    /** The end where the beginning comes again. */
    async mendOverhang() {
      const now = await this.factsNow();
      if (now && this.isCurrent()) this.moveRange([now.start_s, now.mended_s]);
    },

    /** Both edges to the nearest rise through zero. */
    async snapToZero() {
      const now = await this.factsNow();
      if (now && this.isCurrent()) this.moveRange(now.crossing_s);
    },

    /** Are the facts those of the stretch as it is now? */
    isCurrent() {
      const range = shared.stage?.range;
      return !!range && !!facts && Math.abs(range[0] - facts.start_s) < 1e-6 && Math.abs(range[1] - facts.end_s) < 1e-6;
    },

    /** @param {"recorded" | "seam"} way */
    async hearRange(way) {
      const range = shared.stage?.range;
      if (!range) return;
      await app.hearHand(held.name, way, false, { range: [range[0], range[1]] });
    },

    async crop() {
      const range = shared.stage?.range;
      if (!range || this.cropping) return;
      this.cropping = true;
      const made = await session.make(`${held.path}/crop`, {
        start_s: Math.max(0, range[0]), end_s: range[1], bars: Number(this.rangeBars) || facts?.bars || null,
      });
      this.cropping = false;
      if (!made) return;
      here.tell(made.sha, `${made.name}: ${made.frames} samples, on the shelf.`, (text) => { this.cropped = text; });
      this.croppedSha = made.sha;
    },

    takeCropped() {
      if (this.croppedSha) app.go(`/p/${session.state.id}/fit/${this.croppedSha}`);
    },

    /** The stretch as it is now, and as how many bars; null where none is chosen or counted yet. */
    counted() {
      const range = shared.stage?.range;
      const count = Number(this.rangeBars) || facts?.bars;
      return range && count ? { start_s: Math.max(0, range[0]), end_s: range[1], bars: count } : null;
    },

    /** The chosen stretch is the loop: laid on the project's bars. */
    fitRange() {
      const intent = this.rangeReading();
      if (intent) void held.change(intent).then((done) => done && shared.stage?.reset());
    },

    /** The project's tempo, so that the stretch is so many bars of it. */
    tempoFromRange() {
      const counted = this.counted();
      if (counted) void session.submit({ kind: "take_tempo_of_range", hand: held.name, ...counted });
    },

    /** What the stretch as a reading would be; null where none is chosen. @returns {import("../types.js").FitIntent | null} */
    rangeReading() {
      const counted = this.counted();
      return counted && { kind: "state_reading", downbeat_s: counted.start_s, end_s: counted.end_s, bars: counted.bars };
    },
  });
};

/** @param {CanvasRenderingContext2D} c @param {string} colour @param {number} x @param {number} y @param {number} toX @param {number} toY */
function line(c, colour, x, y, toX, toY) {
  c.strokeStyle = colour;
  c.beginPath();
  c.moveTo(x, y);
  c.lineTo(toX, toY);
  c.stroke();
}

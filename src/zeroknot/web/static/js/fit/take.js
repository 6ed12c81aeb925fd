// @ts-check
/** A stretch of a take: its facts, its edges in close-up, its seam; and the loops that a take holds. */

import { ApiError, getJson, post } from "../net/api.js";
import { showAgain } from "../ui/fields.js";
import { bars, bpm, percent, round, seconds, typedNumber } from "../format.js";
import { fitted, palette, paletteName } from "../ui/colours.js";
import { drawWaves } from "../loom/lod.js";

/** @typedef {import("../loom/stage.js").LoomStage} LoomStage */
/** @typedef {{start_s: number, end_s: number, pulses: number, bars: number, beats_per_bar: number, tempo_bpm: number,
 *   overhang_s: number | null, mended_s: number, crossing_s: [number, number], seam: number}} RangeFacts */

const SHORTEST = 0.01; // seconds of a stretch
const CLOSE_SECONDS = 0.03; // on each side of an edge
const SETTLE_MS = 160;
const LONG_SECONDS = 20; // from here on a recording may hold loops
const LEAST_OVERHANG = 0.0005;

/**
 * @param {import("../session.js").Session} session
 * @param {import("../main.js").App} app
 * @param {{held: () => string, hand: () => import("../types.js").Hand, stage: () => LoomStage | null,
 *   source: () => import("../loom/lod.js").Waves | null}} what
 */
export const takeControls = (session, app, what) => {
  /** @type {RangeFacts | null} */
  let facts = null;
  let asked = "";
  let turn = 0;
  let drawn = "";
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let timer;

  return {
    isLong: false,
    looking: false,
    /** @type {any[]} */
    found: [],
    wasLooked: false,
    /** The proposal that is the chosen stretch, by its key. @type {number | null} */
    takenFound: null,
    rangeFacts: "", overhangText: "", hasOverhang: false, rangeBars: "", cropping: false, cropped: "", croppedSha: "",

    showTake() {
      const hand = what.hand();
      this.isLong = hand.seconds >= LONG_SECONDS && hand.file_kind !== "midi";
    },

    /** Ask for the loops that the take holds. */
    async findLoops() {
      this.looking = true;
      try {
        const found = await getJson(`${session.path}/hand/${what.held()}/loops`);
        this.found = found.map((/** @type {any} */ f, /** @type {number} */ i) => ({
          ...f, key: i, name: `${bars(f.bars)}, bar ${f.bar}`, tempo: bpm(f.tempo_bpm), sure: percent(f.grade),
          about: `seam ${percent(f.seam)}, comes again ${percent(f.again)}, even ${percent(f.even)}`,
          label: `${bars(f.bars)} from bar ${f.bar} at ${bpm(f.tempo_bpm)} BPM, grade ${percent(f.grade)}`,
        }));
        this.wasLooked = true;
      } catch (error) {
        if (error instanceof ApiError) session.say(error.message, "error");
      } finally {
        this.looking = false;
      }
    },

    /** @param {{key: number, start_s: number, end_s: number, bars: number}} loop */
    takeFound(loop) {
      const stage = what.stage();
      if (!stage) return;
      this.takenFound = loop.key;
      this.rangeBars = String(loop.bars);
      stage.select([loop.start_s, loop.end_s]);
      stage.show(loop.start_s, loop.end_s);
      void this.hearRange("seam");
    },

    /** The chosen stretch changed: ask what it comes to, once it rests. */
    rangeChanged() {
      const range = what.stage()?.range ?? null;
      const key = JSON.stringify(range);
      if (key === asked) return;
      asked = key;
      const taken = this.found.find((f) => f.key === this.takenFound);
      if (!range || !taken || Math.abs(taken.start_s - range[0]) > 1e-6) this.takenFound = null;
      clearTimeout(timer);
      if (!range || what.hand().file_kind === "midi") {
        facts = null;
        this.rangeFacts = this.overhangText = "";
        this.hasOverhang = false;
        return;
      }
      timer = setTimeout(() => this.askRange(), SETTLE_MS);
    },

    async askRange() {
      const range = what.stage()?.range;
      if (!range) return;
      turn += 1;
      const mine = turn;
      try {
        const said = Number(this.rangeBars);
        const count = said >= 1 && Number.isInteger(said) ? `&bars=${said}` : "";
        const found = await getJson(`${session.path}/hand/${what.held()}/range?start_s=${Math.max(0, range[0])}&end_s=${range[1]}${count}`);
        if (mine !== turn) return;
        facts = found;
        const f = /** @type {RangeFacts} */ (found);
        this.rangeFacts = `${seconds(f.end_s - f.start_s, 3)}, ${round(f.pulses, 2)} beats heard: ${bars(f.bars)} at ${bpm(f.tempo_bpm)} BPM. Seam ${percent(f.seam)}.`;
        this.hasOverhang = f.overhang_s !== null && Math.abs(f.overhang_s) > LEAST_OVERHANG;
        const ms = Math.abs(1000 * (f.overhang_s ?? 0)).toFixed(1);
        this.overhangText = f.overhang_s === null ? "No hits tell whether it overhangs."
          : !this.hasOverhang ? "It does not overhang its seam."
            : `It ${f.overhang_s > 0 ? `overhangs its seam by ${ms} ms` : `is ${ms} ms too short`}.`;
      } catch (error) {
        if (error instanceof ApiError && mine === turn) this.rangeFacts = error.message;
      }
    },

    /** Both edges side by side, so near that a click is seen; drawn anew where they changed. */
    drawEdges() {
      const [range, source] = [what.stage()?.range, what.source()];
      const canvas = /** @type {HTMLCanvasElement | null} */ (document.getElementById("edges"));
      if (!range || !source || !canvas?.clientWidth) return;
      const look = JSON.stringify([range, what.stage()?.stamp, canvas.clientWidth, paletteName()]);
      if (look === drawn) return;
      drawn = look;
      const c = fitted(canvas);
      const colours = palette();
      const rate = what.hand().source_rate;
      const half = (canvas.clientWidth - 8) / 2;
      const height = canvas.clientHeight;
      range.forEach((edge, i) => {
        const x = i * (half + 8);
        c.fillStyle = colours.panel;
        c.strokeStyle = colours.line;
        c.fillRect(x, 0, half, height);
        c.strokeRect(x + 0.5, 0.5, half - 1, height - 1);
        const box = { x, y: 3, width: half, height: height - 6 };
        const from = edge - CLOSE_SECONDS;
        // What lies outside the stretch is paler.
        drawWaves(c, source, box, (p) => (from + (p / half) * 2 * CLOSE_SECONDS) * rate, colours.yarn(what.hand().yarn), source.loudest || 1);
        c.fillStyle = colours.paper;
        c.globalAlpha = 0.62;
        c.fillRect(i === 0 ? x + 1 : x + half / 2, 1, half / 2 - 1, height - 2);
        c.globalAlpha = 1;
        c.strokeStyle = colours.indigo;
        c.beginPath();
        c.moveTo(x + half / 2, 0);
        c.lineTo(x + half / 2, height);
        c.stroke();
        c.strokeStyle = colours.quiet;
        c.globalAlpha = 0.5;
        c.beginPath();
        c.moveTo(x, height / 2);
        c.lineTo(x + half, height / 2);
        c.stroke();
        c.globalAlpha = 1;
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
      const hand = what.hand();
      const [start, end] = what.stage()?.range ?? [hand.zero_s, hand.end_s];
      const second = Math.max(0, Math.min(hand.seconds, at));
      const length = end - start;
      if (edge === 0) this.moveRange([second, second < end - SHORTEST ? end : Math.min(hand.seconds, second + length)]);
      else this.moveRange([second > start + SHORTEST ? start : Math.max(0, second - length), second]);
    },

    /** @param {0 | 1} edge @param {string} text */
    typeEdge(edge, text) {
      const value = typedNumber(text);
      if (value !== null) this.setEdge(edge, value);
      else {
        session.say(`“${text}” cannot be read as seconds.`, "error");
        showAgain(".fit", this);
      }
    },

    /** @param {[number, number]} range */
    moveRange(range) {
      what.stage()?.select(range);
      this.rangeChanged();
    },

    /** The end where the beginning comes again. */
    mendOverhang() {
      if (facts && this.isCurrent()) this.moveRange([facts.start_s, facts.mended_s]);
    },

    /** Both edges to the nearest rise through zero. */
    snapToZero() {
      if (facts && this.isCurrent()) this.moveRange([...facts.crossing_s]);
    },

    /** Are the facts those of the stretch as it is now? */
    isCurrent() {
      const range = what.stage()?.range;
      return !!range && !!facts && Math.abs(range[0] - facts.start_s) < 1e-6 && Math.abs(range[1] - facts.end_s) < 1e-6;
    },

    /** @param {"recorded" | "seam"} way */
    async hearRange(way) {
      const range = what.stage()?.range;
      if (!range) return;
      await app.hearHand(what.held(), way, false, { range: [range[0], range[1]] });
    },

    async crop() {
      const range = what.stage()?.range;
      if (!range || this.cropping) return;
      this.cropping = true;
      try {
        const made = await post(`${session.path}/hand/${what.held()}/crop`, {
          start_s: Math.max(0, range[0]), end_s: range[1], bars: Number(this.rangeBars) || facts?.bars || null,
        });
        this.cropped = `${made.name}: ${made.frames} samples, on the shelf.`;
        this.croppedSha = made.sha;
      } catch (error) {
        if (error instanceof ApiError) session.say(error.message, "error");
      } finally {
        this.cropping = false;
      }
    },

    takeCropped() {
      if (this.croppedSha) app.go(`/p/${session.state.id}/fit/${this.croppedSha}`);
    },

    /** The stretch as it is now, and as how many bars; null where none is chosen or counted yet. */
    counted() {
      const range = what.stage()?.range;
      const count = Number(this.rangeBars) || facts?.bars;
      return range && count ? { start_s: Math.max(0, range[0]), end_s: range[1], bars: count } : null;
    },

    /** The project's tempo, so that the stretch is so many bars of it. */
    tempoFromRange() {
      const counted = this.counted();
      if (counted) void session.submit({ kind: "take_tempo_of_range", hand: what.held(), ...counted });
    },

    /** What the stretch as a reading would be; null where none is chosen. @returns {Record<string, unknown> | null} */
    rangeReading() {
      const counted = this.counted();
      return counted && { kind: "state_reading", downbeat_s: counted.start_s, end_s: counted.end_s, bars: counted.bars };
    },
  };
};

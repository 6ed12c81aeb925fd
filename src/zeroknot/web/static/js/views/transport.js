// @ts-check
/** The top bar: play, position, cycle, click, tempo, metre, key, undo, redo, saved, meter. */

import { bpm, gainOfDb, position, typedNumber } from "../format.js";
import { barLine, metreAt } from "../metre.js";
import { showAgain } from "../ui/fields.js";
import { bindKeys } from "../ui/keys.js";

const TAPS_FORGOTTEN_MS = 2000;
const CLICK_KEY = "zeroknot.click";

/** @param {import("../session.js").Session} session */
export const transport = (session) => () => ({
  playing: false,
  waiting: false,
  place: "1.1.1",
  cycleText: "Cycle",
  cycleOn: false,
  clickOn: false,
  clickDb: -12,
  tempo: "",
  metre: "",
  key: "",
  name: "",
  undo: "",
  redo: "",
  saved: "All saved",
  master: 0,
  offerName: "",
  offerBpm: "",
  /** @type {number[]} */
  taps: [],
  /** @type {import("../scope.js").Scope | null} */
  scope: null,

  init() {
    const kept = JSON.parse(localStorage.getItem(CLICK_KEY) ?? "{}");
    this.clickOn = kept.on ?? false;
    this.clickDb = kept.db ?? -12;
    this.show();
    session.watch(() => {
      this.show();
      this.setClick();
    });
    const step = () => {
      this.frame();
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
    bindKeys("Everywhere", [
      { key: "Space", does: "play or stop", run: () => this.toggle() },
      { key: "Home", does: "back to the start", run: () => this.toStart() },
      { key: "O", does: "cycle on or off", run: () => this.toggleCycle() },
      { key: "C", does: "click on or off", run: () => this.toggleClick() },
      { key: "T", does: "tap the tempo", run: () => this.tap() },
      { key: "Ctrl+Z", does: "undo", run: () => session.history.undo() },
      { key: "Ctrl+Shift+Z or Ctrl+Y", does: "redo", run: () => session.history.redo() },
    ]);
  },

  show() {
    const { state } = session;
    this.tempo = bpm(state.bpm);
    this.metre = state.metre;
    this.key = state.key ?? "";
    this.name = state.name;
    this.undo = session.history.undoLabel;
    this.redo = session.history.redoLabel;
    this.master = state.master_db;
    this.offerName = state.offer?.name ?? "";
    this.offerBpm = bpm(state.offer?.bpm);
    this.saved = session.saved;
    this.showCycle();
  },

  showCycle() {
    const cycle = cycleOf(session);
    this.cycleOn = cycle.on;
    this.cycleText = cycle.to > cycle.from ? cycleText(session, cycle) : "Cycle";
  },

  frame() {
    const song = session.engine_?.song;
    this.playing = song?.isPlaying ?? false;
    this.waiting = song?.isWaiting ?? false;
    this.showHere();
    const text = session.sheet ? position(session.sheet.pulses, session.beat()) : "1.1.1";
    if (text !== this.place) this.place = text;
  },

  /** A tempo or metre that changes is shown as it is at the playhead. */
  showHere() {
    const { state } = session;
    if (state.tempos.length > 1 && document.activeElement?.id !== "tempo-field") {
      const now = bpm(Math.round(10 * bpmAt(state.tempo_line, session.beat())) / 10);
      if (now !== this.tempo) this.tempo = now;
    }
    if (state.metres.length > 1 && document.activeElement?.id !== "metre-field") {
      const { metre } = metreAt(state.metres, session.beat());
      if (metre !== this.metre) this.metre = metre;
    }
  },

  toggle() {
    const { song } = session.engine();
    if (song.isPlaying || song.isWaiting) song.stop();
    else song.play();
  },

  toStart() {
    session.engine().song.go(song0(session));
  },

  toggleCycle() {
    const cycle = cycleOf(session);
    if (!(cycle.to > cycle.from)) {
      cycle.from = 0;
      cycle.to = Math.max(session.state.metres[0].beats_per_bar, session.state.end_beat);
    }
    setCycle(session, { ...cycle, on: !cycle.on });
    this.showCycle();
  },

  toggleClick() {
    this.clickOn = !this.clickOn;
    session.engine();
    this.setClick();
  },

  /** @param {number} db */
  setClickLevel(db) {
    this.clickDb = db;
    this.setClick();
  },

  setClick() {
    localStorage.setItem(CLICK_KEY, JSON.stringify({ on: this.clickOn, db: this.clickDb }));
    session.engine_?.click.setLevel(this.clickOn ? gainOfDb(this.clickDb) : 0);
  },

  tap() {
    const now = performance.now();
    if (now - (this.taps.at(-1) ?? 0) > TAPS_FORGOTTEN_MS) this.taps = [];
    this.taps = [...this.taps, now].slice(-9);
    if (this.taps.length < 4) return;
    const gap = (now - this.taps[0]) / (this.taps.length - 1);
    const pulses = 60_000 / gap;
    const { beats_per_pulse: perPulse } = metreAt(session.state.metres, session.beat());
    this.tempo = bpm(Math.round(pulses * perPulse * 10) / 10);
    clearTimeout(this.tapTimer);
    this.tapTimer = setTimeout(() => this.setTempo(this.tempo), 900);
  },
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  tapTimer: undefined,

  /** @param {string} text */
  setTempo(text) {
    const value = typedNumber(text);
    if (value === null) {
      session.say(`“${text}” is not a tempo; type a number like 96 or 92.5.`, "error");
      showAgain(".top", this);
      return;
    }
    const { tempos } = session.state;
    const here = tempos.findLast((t) => t.beat <= session.beat() + 1e-6) ?? tempos[0];
    if (value === here.bpm) return;
    const { place: _, ...point } = here;
    const intent = tempos.length > 1
      ? { kind: "set_tempo_point", ...point, bpm: value, was: here.beat }
      : { kind: "set_steady_tempo", bpm: value };
    session.submit(intent).then((done) => done || showAgain(".top", this));
  },

  /** The first loop's tempo becomes the project's. */
  takeOffer() {
    if (session.state.offer) session.submit({ kind: "take_tempo", hand: session.state.offer.strand });
  },

  keepTempo() {
    session.submit({ kind: "keep_tempo" });
  },

  /** @param {string} text */
  setMetre(text) {
    const { metres } = session.state;
    const here = metreAt(metres, session.beat());
    if (text.trim() === here.metre) return;
    const intent = metres.length > 1 ? { kind: "set_metre_at", bar: here.bar, metre: text } : { kind: "set_metre", metre: text };
    session.submit(intent).then((done) => done || showAgain(".top", this));
  },

  /** @param {string} text */
  setKey(text) {
    if (text.trim() === (session.state.key ?? "")) return;
    const changes = text.trim() ? [{ bar: 1, key: text.trim() }] : [];
    session.submit({ kind: "set_keys", changes }).then((done) => done || showAgain(".top", this));
  },

  /** @param {string} text */
  rename(text) {
    if (text.trim() && text !== session.state.name) session.submit({ kind: "rename_project", name: text });
    else showAgain(".top", this);
  },

  doUndo() {
    session.history.undo();
  },

  doRedo() {
    session.history.redo();
  },
});

/** The tempo at a beat. @param {[number, number][]} line @param {number} beat */
export function bpmAt(line, beat) {
  const i = line.findLastIndex(([b]) => b <= beat + 1e-9);
  if (i < 0) return line[0][1];
  const [a, b] = [line[i], line[i + 1]];
  return b && b[0] > a[0] ? a[1] + ((beat - a[0]) * (b[1] - a[1])) / (b[0] - a[0]) : a[1];
}

/** The earliest place to play from. @param {import("../session.js").Session} session */
const song0 = (session) => {
  const cycle = cycleOf(session);
  return cycle.on ? cycle.from : 0;
};

/** @typedef {{from: number, to: number, on: boolean}} Cycle in beats */

/** Kept per project on this machine: a cycle is how one listens, not what was made. @param {import("../session.js").Session} session @returns {Cycle} */
export function cycleOf(session) {
  const text = localStorage.getItem(`zeroknot.cycle.${session.state.id}`);
  return text ? JSON.parse(text) : { from: 0, to: 0, on: false };
}

/** @param {import("../session.js").Session} session @param {Cycle} cycle */
export function setCycle(session, cycle) {
  localStorage.setItem(`zeroknot.cycle.${session.state.id}`, JSON.stringify(cycle));
  session.engine_?.song.setCycle(cycle.on ? cycle : null);
  session.changed();
}

/** "Cycle bars 1–8" @param {import("../session.js").Session} session @param {Cycle} cycle */
function cycleText(session, cycle) {
  const { metres } = session.state;
  const first = barLine(metres, cycle.from).bar;
  const last = Math.max(first, barLine(metres, cycle.to - 1e-4).bar);
  return first === last ? `Cycle bar ${first}` : `Cycle bars ${first}–${last}`;
}

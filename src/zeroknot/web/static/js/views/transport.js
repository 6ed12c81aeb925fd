// @ts-check
/** The top bar: play, position, cycle, click, tempo, metre, key, undo, redo, saved, meter. */

import { ApiError, post } from "../net/api.js";
import { bpm, gainOfDb, position, typedNumber } from "../format.js";
import { beginsAgain, cycleOf, cycleText, setBeginsAgain, setCycle } from "../cycle.js";
import { bpmAt, metreAt } from "../metre.js";
import { showAgain } from "../ui/fields.js";
import { eachFrame, stir } from "../ui/frames.js";
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
  again: false,
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
    eachFrame(() => this.frame());
    bindKeys("Everywhere", [
      { key: "Space", does: "play or stop", run: () => this.toggle() },
      { key: "Home", does: "back to the start", run: () => this.toStart() },
      { key: "O", does: "cycle on or off", run: () => this.toggleCycle() },
      { key: "Shift+O", does: "at the song's end stop, or begin again", run: () => this.toggleAgain() },
      { key: "C", does: "click on or off", run: () => this.toggleClick() },
      { key: "T", does: "tap the tempo", run: (event) => this.tap(event.timeStamp) },
      { key: "Ctrl+Z", does: "undo", repeats: true, run: () => session.history.undo() },
      { key: "Ctrl+Shift+Z or Ctrl+Y", does: "redo", repeats: true, run: () => session.history.redo() },
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
    this.again = beginsAgain(session);
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
    if (this.playing || this.waiting || session.engine_?.hand.isPlaying) stir();
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

  toggleAgain() {
    setBeginsAgain(session, !beginsAgain(session));
    session.say(this.again ? "At its end the song begins again." : "At its end the song stops.");
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

  /** @param {number} stamp ms of the page's clock: when it was tapped, however late a busy page comes to it */
  tap(stamp) {
    if (stamp - (this.taps.at(-1) ?? 0) > TAPS_FORGOTTEN_MS) this.taps = [];
    this.taps = [...this.taps, stamp].slice(-9);
    if (this.taps.length < 4) return;
    void this.countTaps(this.taps.map((ms) => ms / 1000));
  },

  /** The server says what taps come to; a moment after the last it is the tempo. @param {number[]} taps seconds */
  async countTaps(taps) {
    clearTimeout(this.tapTimer);
    try {
      const { bpm: counted } = await post(`${session.path}/taps`, { taps, beat: Math.max(0, session.beat()) });
      if (taps.length !== this.taps.length) return; // another came meanwhile
      this.tempo = bpm(counted);
      this.tapTimer = setTimeout(() => this.setTempo(this.tempo), 900);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      session.say(error.message, "error");
    }
  },
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  tapTimer: undefined,

  /** @param {string} text */
  setTempo(text) {
    const value = typedNumber(text);
    if (value === null) {
      session.say(`“${text}” is not a tempo; type a number like 96 or 92.5.`, "error");
      showAgain(".top");
      return;
    }
    const { tempos } = session.state;
    const here = tempos.findLast((t) => t.beat <= session.beat() + 1e-6) ?? tempos[0];
    if (value === here.bpm) return;
    const { place: _, ...point } = here;
    /** @type {import("../types.js").Intent} */
    const intent = tempos.length > 1
      ? { kind: "set_tempo_point", ...point, bpm: value, was: here.beat }
      : { kind: "set_steady_tempo", bpm: value };
    void session.submit(intent).then((done) => done || showAgain(".top"));
  },

  /** The first loop's tempo becomes the project's. */
  takeOffer() {
    if (session.state.offer) void session.submit({ kind: "take_tempo", hand: session.state.offer.strand });
  },

  keepTempo() {
    void session.submit({ kind: "keep_tempo" });
  },

  /** @param {string} text */
  setMetre(text) {
    const { metres } = session.state;
    const here = metreAt(metres, session.beat());
    if (text.trim() === here.metre) return;
    /** @type {import("../types.js").Intent} */
    const intent = metres.length > 1 ? { kind: "set_metre_at", bar: here.bar, metre: text } : { kind: "set_metre", metre: text };
    void session.submit(intent).then((done) => done || showAgain(".top"));
  },

  /** @param {string} text */
  setKey(text) {
    if (text.trim() === (session.state.key ?? "")) return;
    const intent = /** @type {import("../types.js").Intent} */ (
      text.trim() ? { kind: "set_key_at", bar: 1, key: text.trim() } : { kind: "remove_key_at", bar: 1 }
    );
    void session.submit(intent).then((done) => done || showAgain(".top"));
  },

  /** @param {string} text */
  rename(text) {
    if (text.trim() && text !== session.state.name) void session.submit({ kind: "rename_project", name: text });
    else showAgain(".top");
  },

  doUndo() {
    void session.history.undo();
  },

  doRedo() {
    void session.history.redo();
  },
});

/** The earliest place to play from. @param {import("../session.js").Session} session */
const song0 = (session) => {
  const cycle = cycleOf(session);
  return cycle.on ? cycle.from : 0;
};

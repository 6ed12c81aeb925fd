// @ts-check
/**
 * How the chosen track sounds, the master, and the room and the echo that tracks are sent to: a board
 * under the tracks. What is dragged is heard at once and kept when it is let go.
 */

import { NEUTRAL } from "../engine/desk/strip.js";
import { keyOf } from "../ui/chords.js";
import { kept } from "../ui/kept.js";
import { gesture } from "../ui/gesture.js";
import { round } from "../format.js";
import { View } from "../view.js";
import { BANDS, drawEq, Paper, valueOf } from "./eq.js";
import { Loudness } from "./loudness.js";

/** @typedef {import("../types.js").Sound} Sound */
/** @typedef {import("./eq.js").Band} Band */
/** @typedef {"track" | "master" | "space" | "low"} Whose */

const OPEN_KEPT = "zeroknot.sound.open";
const MASTER = "master";
const LOOK_MS = 100;
const OCTAVE_STEPS = 12;
const [NARROWEST, WIDEST] = [18, 0.1];
const PLAIN = /** @type {any} */ ({ ...NEUTRAL, listens_to: null });

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const sound = (session, app) => () => {
  const view = new View(session, "Sound");
  const [loudness, ofTrack] = [new Loudness(), new Loudness()];
  /** What is dragged, before it is kept. @type {Partial<Record<string, number>>} */
  let tried = {};
  let lookedAt = 0;
  /** @type {Float32Array<ArrayBuffer> | null} */
  let spectrum = null;
  let spectra = 0;

  return {
    isWriting: false, isTrackOrMaster: true,
    isSoundOpen: localStorage.getItem(OPEN_KEPT) === "true",
    whose: /** @type {Whose} */ ("track"), trackOf: "", soundId: "", ofName: "",
    sound: /** @type {Sound} */ (PLAIN), band: /** @type {Band} */ ("bell1"), bandName: "Bell 1", isCut: false, hasQ: true, leastHz: 40, mostHz: 16_000,
    others: /** @type {{id: string, name: string}[]} */ ([]), reduction: "", reductionShare: 0,
    room: { size: "medium", level_db: 0 }, echo: { beats: 0.75, feedback: 0.4, low_cut_hz: 150, high_cut_hz: 6000, crossed: true, level_db: 0 },
    feedbackShown: 40, ceiling: /** @type {number | null} */ (null), ceilingShown: -1, lowered: "", sentText: "",
    momentary: "–", shortTerm: "–", integrated: "–", range: "–", truePeak: "–",

    init() {
      view.watch(() => this.showSound());
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("eq"));
      view.picture(canvas, () => [this.sound, tried, this.band, this.isSoundOpen, spectra], (c, sheet) => drawEq(c, sheet, {
        sound: this.shown(), band: this.band, rate: session.state.rate, spectrum,
      }));
      view.scope.on(canvas, "wheel", (/** @type {WheelEvent} */ e) => this.wheel(e), { passive: false });
      view.keys([
        { key: "E", does: "how the chosen track sounds: open or close", run: () => this.toggleSound() },
        { key: "W", does: "what is held while the song plays is written as a line", run: () => this.toggleWriting() },
      ]);
      view.eachFrame(() => this.look());
      view.eachFrame(() => app.writing.note());
      this.isWriting = app.writing.isOn;
    },

    destroy() {
      session.engine_?.mixer.look("");
      view.end();
    },

    toggleSound() {
      this.isSoundOpen = !this.isSoundOpen;
      localStorage.setItem(OPEN_KEPT, String(this.isSoundOpen));
      this.lookAt();
    },

    toggleWriting() {
      app.writing.isOn = !app.writing.isOn;
      this.isWriting = app.writing.isOn;
    },

    /** @param {Whose} whose */
    setWhose(whose) {
      this.whose = whose;
      if (!this.isSoundOpen) this.toggleSound();
      this.showSound();
    },

    /** The chosen track of the view. @param {string} id */
    followTrack(id) {
      if (id === this.trackOf) return;
      this.trackOf = id;
      tried = {};
      this.showSound();
    },

    showSound() {
      const { state } = session;
      this.isTrackOrMaster = this.whose === "track" || this.whose === "master";
      this.soundId = this.whose === "master" ? MASTER : this.trackOf;
      const track = state.tracks.find((t) => t.id === this.trackOf);
      this.sound = { ...PLAIN, ...(this.whose === "master" ? state.master_sound : track?.sound) };
      this.ofName = this.whose === "master" ? "the master" : this.whose === "space" ? "room and echo" : track?.name ?? "no track";
      this.others = kept(this.others, state.tracks.filter((t) => t.id !== this.trackOf).map(({ id, name }) => ({ id, name })));
      [this.room, this.ceiling] = [{ ...this.room, ...state.room }, state.ceiling_db];
      this.echo = { ...this.echo, ...state.echo };
      this.feedbackShown = round(100 * this.echo.feedback, 1);
      this.ceilingShown = state.ceiling_db ?? -1;
      const sent = state.tracks.filter(({ sound: own }) => (own.room_db ?? -60) > -60 || (own.echo_db ?? -60) > -60).map((t) => t.name);
      this.sentText = sent.length ? `Sent there: ${sent.join(", ")}.` : "No track is sent there yet: raise its sends.";
      this.lookAt();
    },

    /** With what is dragged. @returns {Sound} */
    shown() {
      return { ...this.sound, ...tried };
    },

    lookAt() {
      session.engine_?.mixer.look(this.isSoundOpen && this.isTrackOrMaster ? this.soundId : "");
    },

    /** What sounds, ten times a second. */
    look() {
      const now = performance.now();
      const mixer = session.engine_?.mixer;
      if (!mixer || !this.isSoundOpen || now - lookedAt < LOOK_MS) return;
      lookedAt = now;
      const isPlaying = session.engine_?.song.isPlaying ?? false;
      loudness.listen(mixer, isPlaying);
      if (this.whose === "track" && this.trackOf) ofTrack.listen(mixer, isPlaying, this.trackOf);
      const down = mixer.down.get(this.soundId) ?? 0;
      this.reduction = down > 0.05 ? `−${down.toFixed(1)} dB` : "";
      this.reductionShare = Math.min(1, down / 24);
      const bar = document.getElementById("turned-down");
      if (bar) bar.style.width = `${100 * this.reductionShare}%`;
      this.lowered = mixer.lowered > 0.05 ? `lowers by ${mixer.lowered.toFixed(1)} dB` : "";
      if (this.isTrackOrMaster) {
        this.lookAt();
        spectrum ??= new Float32Array(mixer.looked.frequencyBinCount);
        mixer.looked.getFloatFrequencyData(spectrum);
        spectra += 1;
      } else if (spectrum) {
        spectrum = null;
        spectra += 1;
      }
      if (this.isTrackOrMaster) this.readLoudness();
    },

    readLoudness() {
      const read = (this.whose === "track" ? ofTrack : loudness).read();
      [this.momentary, this.shortTerm, this.integrated] = [read.momentary, read.shortTerm, read.integrated].map(lufsSaid);
      this.range = read.range > 0 ? `${read.range.toFixed(1)} LU` : "–";
      this.truePeak = Number.isFinite(read.truePeak) ? `${signed(read.truePeak)} dBTP` : "–";
    },

    beginLoudness() {
      (this.whose === "track" ? ofTrack : loudness).begin();
      this.readLoudness();
    },

    nearly: (/** @type {number} */ a, /** @type {number} */ b) => Math.abs(a - b) < 1e-6,

    // ---- values

    /** While it is dragged: heard, not yet kept. @param {string} name @param {number} value */
    hearSound(name, value) {
      tried = { ...tried, [name]: value };
      if (this.whose === "master") session.engine_?.mixer.hearMaster(name, value);
      else session.engine_?.mixer.hear(this.trackOf, name, value);
      app.writing.hold(this.soundId, name, value);
    },

    /** @param {string} name @param {number} value */
    setSound(name, value) {
      return this.setMany({ [name]: value });
    },

    /** @param {Record<string, number>} values */
    async setMany(values) {
      if (!this.soundId) return;
      await view.intent(app.writing.take() ?? { kind: "change_sound", track: this.soundId, values });
      tried = {};
    },

    /** @param {string} track "" for its own */
    setListensTo(track) {
      if (this.soundId) void view.intent({ kind: "change_sound", track: this.soundId, values: {}, listens_to: track });
    },

    /** All as it is by itself. */
    plainSound() {
      const values = Object.fromEntries(Object.entries(NEUTRAL).filter(([name]) => name in this.sound && !["level_db", "muted"].includes(name)));
      void this.setMany(values);
    },

    // ---- filters

    /** @param {Band} band */
    setBand(band) {
      const found = BANDS.find((b) => b.id === band) ?? BANDS[2];
      [this.band, this.bandName, this.isCut, this.hasQ] = [found.id, found.name, found.isCut, found.hasQ];
      [this.leastHz, this.mostHz] = RANGES_HZ[band];
    },

    /** @param {string} part "hz", "db", "q" or "slope" */
    of(part) {
      return this.sound[/** @type {keyof Sound} */ (`${this.band}_${part}`)];
    },

    /** @param {string} part @param {number} value */
    hearBand(part, value) {
      this.hearSound(`${this.band}_${part}`, value);
    },

    /** @param {string} part @param {number} value */
    setBandPart(part, value) {
      void this.setSound(`${this.band}_${part}`, value);
    },

    /** A band as it is by itself. */
    plainBand() {
      void this.setMany(Object.fromEntries(Object.keys(NEUTRAL).filter((name) => name.startsWith(`${this.band}_`)).map((name) => [name, NEUTRAL[name]])));
    },

    /** @param {PointerEvent} event */
    eqDown(event) {
      const canvas = /** @type {HTMLCanvasElement} */ (event.currentTarget);
      if (event.button !== 0 || !this.soundId) return;
      const box = canvas.getBoundingClientRect();
      const paper = new Paper(box.width, box.height);
      const held = paper.bandAt(this.sound, event.clientX - box.left, event.clientY - box.top);
      if (held) this.setBand(held);
      const { band } = this;
      gesture(event, {
        moved: ({ x, y }) => {
          for (const [name, value] of Object.entries(this.placed(paper, x - box.left, y - box.top))) this.hearSound(name, value);
        },
        done: () => {
          const own = Object.fromEntries(Object.entries(tried).filter(([name]) => name.startsWith(`${band}_`)));
          void this.setMany(/** @type {Record<string, number>} */ (own));
        },
        ended: (isDone) => {
          if (isDone) return;
          app.writing.giveUp();
          for (const name of Object.keys(tried)) this.hearSound(name, valueOf(this.sound, name));
          session.engine_?.mixer.letGo(this.soundId);
          tried = {};
        },
      });
    },

    /** Where the chosen band is put. @param {Paper} paper @param {number} x @param {number} y @returns {Record<string, number>} */
    placed(paper, x, y) {
      const [least, most] = RANGES_HZ[this.band];
      const hertz = Math.min(most, Math.max(least, paper.hertz(x)));
      // At the very edge a cut is off.
      const isOff = this.isCut && (this.band === "low_cut" ? paper.x(hertz) <= paper.x(20) : paper.x(hertz) >= paper.x(20_000));
      const at = { [`${this.band}_hz`]: isOff ? NEUTRAL[`${this.band}_hz`] : round(hertz, 1) };
      return this.isCut ? at : { ...at, [`${this.band}_db`]: round(paper.db(y), 1) };
    },

    /** Wider and narrower. @param {WheelEvent} event */
    wheel(event) {
      event.preventDefault();
      if (this.hasQ) this.setQ(Math.exp(-event.deltaY / 400));
    },

    /** @param {number} times */
    setQ(times) {
      const now = valueOf(this.shown(), `${this.band}_q`);
      void this.setSound(`${this.band}_q`, round(Math.max(WIDEST, Math.min(NARROWEST, now * times)), 2));
    },

    /** Keys of the picture: 1 to 6 choose, arrows move, wider and narrower by brackets. @param {KeyboardEvent} event */
    eqKey(event) {
      const key = keyOf(event);
      const number = Number(key);
      const step = event.shiftKey ? 10 : 1;
      const { band } = this;
      const hertz = valueOf(this.sound, `${band}_hz`);
      const [least, most] = RANGES_HZ[band];
      const to = (/** @type {number} */ by) => this.setSound(`${band}_hz`, round(Math.min(most, Math.max(least, hertz * 2 ** ((by * step) / OCTAVE_STEPS))), 1));
      const louder = (/** @type {number} */ by) => this.isCut || this.setSound(`${band}_db`, Math.min(24, Math.max(-24, valueOf(this.sound, `${band}_db`) + by * step * 0.5)));
      const doing = /** @type {Record<string, () => unknown>} */ ({
        ArrowRight: () => to(1), ArrowLeft: () => to(-1), ArrowUp: () => louder(1), ArrowDown: () => louder(-1),
        "]": () => this.hasQ && this.setQ(1.15), "[": () => this.hasQ && this.setQ(1 / 1.15), Delete: () => this.plainBand(), Backspace: () => this.plainBand(),
      });
      if (number >= 1 && number <= BANDS.length) this.setBand(BANDS[number - 1].id);
      else if (doing[key] && !event.ctrlKey && !(event.altKey && key.length > 1)) doing[key]();
      else return;
      event.preventDefault();
      event.stopPropagation();
    },

    // ---- room, echo, ceiling

    /** @param {string} size */
    setRoomSize(size) {
      void view.intent({ kind: "set_room", room: { ...this.room, size } });
    },

    /** @param {number} level */
    setRoomLevel(level) {
      void view.intent({ kind: "set_room", room: { ...this.room, level_db: level } });
    },

    /** @param {string} name @param {number | boolean} value */
    setEcho(name, value) {
      void view.intent({ kind: "set_echo", echo: { ...this.echo, [name]: value } });
    },

    /** @param {string} beats */
    setEchoTime(beats) {
      this.setEcho("beats", Number(beats));
    },

    /** @param {number} percent */
    setFeedback(percent) {
      this.setEcho("feedback", percent / 100);
    },

    toggleCrossed() {
      this.setEcho("crossed", !this.echo.crossed);
    },

    toggleCeiling() {
      void view.intent({ kind: "set_ceiling", ceiling_db: this.ceiling === null ? -1 : null });
    },

    /** @param {number} db */
    setCeiling(db) {
      void view.intent({ kind: "set_ceiling", ceiling_db: db });
    },
  };
};

/** @type {Record<Band, [number, number]>} */
const RANGES_HZ = {
  low_cut: [10, 2000], low: [30, 500], bell1: [40, 16_000], bell2: [40, 16_000], high: [1000, 16_000], high_cut: [100, 20_000],
};

/** @param {number} value */
const signed = (value) => `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.abs(value).toFixed(1)}`;

/** @param {number} value */
const lufsSaid = (value) => (Number.isFinite(value) && value > -70 ? `${signed(value)} LUFS` : "–");

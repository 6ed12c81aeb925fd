// @ts-check
/** Fit: the loom, and beside it what the loop is, what it is laid on, and how it is stretched. */

import { ApiError, getJson, post } from "../api.js";
import { asLong, bars, bpm, percent, round, seconds, semitones, signedPercent, typedNumber } from "../format.js";
import { drawLoom, drawPlayheads } from "../loom/draw.js";
import {
  beatAt, dragged, knotAt, scrolled, secondAt, snappedToAttack, snappedToGrid, wholeView, zoomed,
} from "../loom/model.js";
import { Scope } from "../scope.js";
import { fitted, palette, paletteName } from "../ui/colours.js";
import { showAgain } from "../ui/fields.js";
import { bindKeys } from "../ui/keys.js";
import { loudest, renderPeaks, sourcePeaks } from "../ui/waves.js";
import { downloadWav } from "./shelf.js";

/** @typedef {import("../types.js").Hand} Hand */
/** @typedef {import("../types.js").HandSheet} HandSheet */

const SNAP_PIXELS = 9;
const LONGEST_PICTURED = 120;

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const fit = (session, app) => () => {
  // What draws and sounds stays here, outside the reactive data.
  /** @type {Hand} */
  let hand = app.viewData();
  /** @type {HandSheet | null} */
  let sheet = null;
  /** @type {import("../ui/waves.js").Peaks | null} */
  let source = null;
  /** @type {import("../ui/waves.js").Peaks | null} */
  let render = null;
  let [sourceScale, renderScale] = [1, 1];
  /** @type {import("../loom/model.js").View | null} */
  let view = null;
  /** @type {{which: "zero" | "end", rail: "recorded" | "fitted", to: number, isDone?: boolean} | null} */
  let drag = null;
  let hover = "";
  /** Those that hold at the sensitivity that was chosen. @type {import("../types.js").Attack[]} */
  let attacks = [];
  let turn = 0;
  let asked = 0;
  let still = { key: "", parts: /** @type {unknown[]} */ ([]), canvas: document.createElement("canvas"), colours: palette() };
  const scope = new Scope();
  /** The name that answers now: a strand that was undone a moment ago is a loop again. */
  const held = () => (hand.is_new || session.state.strands.some((s) => s.id === hand.hand) ? hand.hand : hand.loop);

  return {
    empty: !hand.hand,
    name: "", about: "", ring: "", barsChip: "", tempoChip: "", fromBpm: "", toBpm: "", downbeatChip: "",
    /** @type {any[]} */
    readings: [],
    /** @type {any[]} */
    methods: [],
    /** @type {{key: string, name: string}[]} */
    voices: [],
    voice: "",
    method: "", bars: "", tempo: "", downbeat: "", end: "", span: "", spanShare: 0,
    semitones: 0, formants: 0, uses: /** @type {Record<string, boolean>} */ ({}), chosenText: "", strainText: "", against: "", againstName: "", fittedName: "",
    grains: { ms: 0, density: 0, jitter: 0, spread: 0, direction: "", frozen: 0, isFrozen: false, seed: 0 }, gain: 0, lead: true, stated: false, claims: "", warnings: "",
    summary: "", spoolText: "", hearing: false, way: "fitted", withRest: false, seamMode: false,
    print: "wrap", printLead: false, printing: false, printed: "", printedSha: "", placeText: "Place",
    sensitivity: 0, attacksText: "", reasonText: "", keyChip: "", keyTitle: "", steadyText: "", curve: { line: "", mean: 0, spread: 0, top: "", bottom: "" },
    others: /** @type {{key: string, name: string}[]} */ ([]),
    rendering: false, spans: /** @type {any[]} */ ([]), isNew: false, dragText: "",

    init() {
      if (this.empty) return;
      scope.add(bindKeys("Fit", [
        { key: "Enter", does: "hear what is in hand", run: () => this.toggleHear() },
        { key: "R", does: "as recorded / as fitted", run: () => this.setWay(this.way === "recorded" ? "fitted" : "recorded") },
        { key: "M", does: "as fitted / by the method compared", run: () => this.against && this.setWay(this.way === "against" ? "fitted" : "against") },
        { key: "S", does: "hear the seam", run: () => this.hearSeam() },
        { key: "A", does: "alone / with the rest", run: () => this.toggleRest() },
        { key: "P", does: "place at the playhead's bar", run: () => this.place() },
        { key: "Escape", does: "let go", run: () => this.letGo() },
        { key: "+ or =", does: "closer", run: () => this.zoom(1.5) },
        { key: "-", does: "wider", run: () => this.zoom(1 / 1.5) },
        { key: "ArrowLeft", does: "scroll back", run: () => this.scroll(-80) },
        { key: "ArrowRight", does: "scroll on", run: () => this.scroll(80) },
      ]));
      this.show();
      session.setHand(hand.hand);
      this.startLoom();
      let seen = session.state.revision;
      scope.add(session.watch(() => {
        if (session.state.revision === seen) return;
        seen = session.state.revision;
        this.refresh();
      }));
      this.fetch();
    },

    destroy() {
      scope.end();
      app.stopHand();
      session.setHand(null);
    },

    /** Ask anew what is in hand: something about it was changed. */
    async refresh() {
      asked += 1;
      const mine = asked;
      try {
        // A loop that became a strand answers under either name; one whose strand was undone is a loop.
        const fresh = await getJson(`${session.path}/hand/${held()}`);
        // What was asked for since is on its way: showing this would show a step back.
        if (mine !== asked || session.saving > 0) return;
        hand = fresh;
        this.show();
        session.setHand(hand.hand);
        await this.fetch();
        if (this.hearing) app.hearHand(held(), this.seamMode ? "seam" : this.way, this.withRest, { against: this.against });
      } catch (error) {
        if (error instanceof ApiError && error.status === 404) app.go(`/p/${session.state.id}/fit/${hand.loop}`);
        else if (error instanceof ApiError) session.say(error.message, "error");
      }
    },

    /** Peaks of the recording and of the render. */
    async fetch() {
      turn += 1;
      const mine = turn;
      try {
        source ??= await sourcePeaks(hand.loop, this.binFor());
        sourceScale = loudest(source);
        this.rendering = true;
        const fresh = await getJson(`${session.path}/hand/${held()}/sheet?beat=${this.beat()}`);
        // A long take is not rendered whole for its picture: its recording is drawn along the knots.
        const peaks = hand.seconds > LONGEST_PICTURED ? null : await renderPeaks(fresh.digest, this.binFor());
        if (mine !== turn) return;
        [sheet, render] = [fresh, peaks];
        if (peaks) renderScale = loudest(peaks);
      } catch (error) {
        if (error instanceof ApiError && mine === turn) {
          render = null;
          session.say(error.message, "error");
        }
      } finally {
        if (mine === turn) this.rendering = false;
      }
    },

    binFor() {
      return hand.seconds > 120 ? 4096 : hand.seconds > 20 ? 512 : 64;
    },

    /** The bar whose tempo counts: the playhead's. */
    beat() {
      const bar = session.state.beats_per_bar;
      return Math.max(0, Math.floor(session.beat() / bar + 1e-6) * bar);
    },

    show() {
      const h = hand;
      this.isNew = h.is_new;
      this.name = h.name;
      this.about = [h.sound.kind ?? "audio", h.channels === 1 ? "mono" : "stereo", seconds(h.seconds)].join(" · ");
      this.keyChip = keyText(h);
      this.keyTitle = h.key.key ? `${this.keyChip} as heard, ${percent(h.key.confidence)} sure; or ${h.key.runner_up}, ${percent(h.key.runner_up_confidence)}` : "key as heard";
      this.steadyText = steadyText(h);
      this.curve = curveLines(h);
      this.setSensitivity(Number(sessionStorage.getItem(sensitivityKey(h)) ?? Math.round(100 * h.sensitivity)));
      this.ring = `/api/loops/${h.loop}/ring.png?yarn=${h.yarn}&v=${session.state.revision}`;
      this.barsChip = h.bars === null ? "length unknown" : bars(h.bars);
      this.fromBpm = bpm(h.tempo_bpm ?? h.recorded_bpm);
      this.toBpm = bpm(session.state.bpm);
      this.downbeatChip = seconds(h.zero_s, 3);
      this.stated = h.is_stated;
      this.readings = h.readings.map((r) => ({
        index: r.index,
        label: `${bars(r.bars)}${r.beats_per_bar === 4 ? "" : ` of ${r.beats_per_bar}`}`,
        bpm: bpm(r.tempo_bpm),
        sure: r.source === "heard" ? percent(r.confidence) : r.source === "stated" ? "own" : "claimed",
        share: r.confidence,
        isHeard: r.source === "heard",
        reason: `${r.reason[0].toUpperCase()}${r.reason.slice(1)}. Here: ${asLong(r.duration_ratio)}.`,
        adopted: r.adopted,
      }));
      this.explain(-1);
      this.methods = h.methods;
      this.method = h.method;
      this.bars = String(h.bars ?? "");
      this.tempo = bpm(h.tempo_bpm);
      this.downbeat = h.zero_s.toFixed(3);
      this.end = h.end_s.toFixed(3);
      this.span = String(round(h.span / session.state.beats_per_bar, 3));
      this.spanShare = round(h.span / h.once_beats, 4);
      this.spans = [["half", 0.5], ["once", 1], ["double", 2]].map(([label, share]) => ({
        label, share, pressed: String(this.spanShare === share),
      }));
      const s = h.settings;
      this.semitones = s.semitones;
      this.formants = round(100 * s.formants, 1);
      this.grains = {
        ms: round(1000 * s.grain_seconds, 1), density: s.density, jitter: round(1000 * s.jitter_seconds, 1),
        spread: round(100 * s.spread, 1), direction: s.direction, isFrozen: s.frozen_at !== null,
        frozen: round(100 * (s.frozen_at ?? 0), 1), seed: s.seed,
      };
      const used = new Set(h.methods.find((m) => m.key === h.method)?.uses ?? []);
      this.uses = { shift: used.has("semitones"), formants: used.has("formants") && s.semitones !== 0, grains: used.has("grain_seconds"), voice: used.has("voice") };
      this.voices = h.voices;
      this.voice = h.voice ?? "";
      this.chosenText = h.method === "auto" && h.methods.length > 1 ? `Auto chose ${h.chosen.name}: ${h.chosen.why}.` : "";
      const heardBy = h.method === "auto" ? h.chosen.method : h.method;
      this.fittedName = h.methods.find((m) => m.key === heardBy)?.name ?? "";
      if (this.against === heardBy) this.against = "";
      this.others = h.methods.filter((m) => m.key !== "auto" && m.key !== heardBy).map((m) => ({ key: m.key, name: m.name }));
      this.againstName = this.others.find((m) => m.key === this.against)?.name ?? "";
      if (!this.against && this.way === "against") this.way = "fitted";
      this.gain = h.gain_db;
      this.lead = h.lead;
      this.warnings = h.warnings.join("; ");
      this.claims = claimsText(h.claims);
      this.summary = `Tempo ${signedPercent(h.tempo_change_percent)}, ${asLong(h.duration_ratio)}.`;
      this.strainText = h.strain ? `Strain ${h.strain.mean.toFixed(2)}: ${h.strain.words}.` : "";
      this.spoolText = `its speed shifts it ${semitones(round(h.spool_semitones, 2))}`;
      if (!drag) view = null;
      this.showBar();
    },

    showBar() {
      this.placeText = `Place at bar ${Math.floor(session.beat() / session.state.beats_per_bar + 1e-6) + 1}`;
    },

    // ---- the loom

    startLoom() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("loom"));
      scope.on(canvas, "pointerdown", (e) => this.down(e, canvas));
      scope.on(canvas, "pointermove", (e) => this.moved(e, canvas));
      scope.on(canvas, "pointerup", () => this.released());
      scope.on(canvas, "pointercancel", () => this.letGo());
      scope.on(canvas, "wheel", (/** @type {WheelEvent} */ e) => {
        e.preventDefault();
        const x = e.clientX - canvas.getBoundingClientRect().left;
        if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) this.scroll(e.deltaX || e.deltaY);
        else this.zoom(Math.exp(-e.deltaY / 400), x);
      }, { passive: false });
      scope.everyFrame(() => this.draw(canvas));
      let last = "";
      scope.everyFrame(() => {
        const at = `${Math.floor(session.beat() / session.state.beats_per_bar + 1e-6)}`;
        if (at !== last) this.showBar();
        last = at;
        const song = session.engine_?.song;
        const isHearing = !!session.engine_?.hand.isPlaying || (!!song?.withHand && (song.isPlaying || song.isWaiting));
        if (this.hearing && !isHearing && !session.engine_?.hand.isWaiting && !app.starting) this.hearing = false;
      });
    },

    /** @param {HTMLCanvasElement} canvas */
    whole(canvas) {
      return wholeView(hand, 16, Math.max(100, canvas.clientWidth - 32));
    },

    /** @param {HTMLCanvasElement} canvas */
    rails(canvas) {
      const height = canvas.clientHeight;
      const rail = Math.max(60, (height - 44) * 0.32);
      return { top: 20, recorded: 20 + rail, fitted: height - 22 - rail, bottom: height - 22 };
    },

    /** @param {HTMLCanvasElement} canvas */
    draw(canvas) {
      if (!canvas.clientWidth) return;
      const whole = this.whole(canvas);
      if (!view || view.width !== whole.width) view = whole;
      const knots = drag ? dragged(hand.knots, drag.which, drag.rail, drag.to) : hand.knots;
      const rails = this.rails(canvas);
      const scene = {
        hand, attacks, knots, view, rails, source, sourceScale,
        render: drag ? null : render, renderScale, sheet, hover,
        beatsPerBar: session.state.beats_per_bar, beatsPerPulse: session.state.beats_per_pulse,
        playhead: this.playhead(), projectBpm: session.state.bpm,
      };
      // What stands still is drawn once and kept; only the playheads move.
      const { playhead, hand: h, attacks: a, knots: _, source: s, render: r, sheet: f, ...rest } = scene;
      const key = JSON.stringify([rest, drag, canvas.clientWidth, canvas.clientHeight, devicePixelRatio, paletteName()]);
      const [parts, before] = [[h, a, s, r, f], still.parts];
      if (key !== still.key || parts.some((part, i) => part !== before[i])) {
        still = { key, parts, canvas: still.canvas, colours: palette() };
        drawLoom(fitted(still.canvas, canvas), scene, still.colours);
      }
      const c = fitted(canvas);
      c.drawImage(still.canvas, 0, 0, canvas.clientWidth, canvas.clientHeight);
      drawPlayheads(c, scene, still.colours);
    },

    /** The second of the recording that sounds now. */
    playhead() {
      const engine = session.engine_;
      if (!engine) return null;
      const alone = engine.hand.second();
      if (alone !== null) return alone;
      if (!engine.song.isPlaying || !sheet) return null;
      const strand = session.state.clips.find((c) => c.strand === hand.id
        && session.beat() >= c.beat && session.beat() < c.beat + c.beats);
      if (!engine.song.withHand && !strand) return null;
      const inside = strand && !engine.song.withHand ? session.beat() - strand.beat + strand.slip : session.beat();
      const beat = ((inside % hand.span) + hand.span) % hand.span;
      const [zero, end] = [hand.knots[0], hand.knots[hand.knots.length - 1]];
      return zero[0] + (beat / hand.span) * (end[0] - zero[0]);
    },

    /** @param {PointerEvent} event @param {HTMLCanvasElement} canvas */
    point(event, canvas) {
      const box = canvas.getBoundingClientRect();
      return { x: event.clientX - box.left, y: event.clientY - box.top };
    },

    /** @param {PointerEvent} event @param {HTMLCanvasElement} canvas */
    down(event, canvas) {
      if (event.button !== 0 || !view) return;
      const { x, y } = this.point(event, canvas);
      const found = knotAt(hand.knots, view, x, y, this.rails(canvas));
      if (!found) return;
      canvas.setPointerCapture(event.pointerId);
      const [zero, end] = [hand.knots[0], hand.knots[hand.knots.length - 1]];
      const knot = found.which === "zero" ? zero : end;
      drag = { ...found, to: found.rail === "recorded" ? knot[0] : knot[1] };
    },

    /** @param {PointerEvent} event @param {HTMLCanvasElement} canvas */
    moved(event, canvas) {
      if (!view) return;
      const { x, y } = this.point(event, canvas);
      if (!drag || drag.isDone) {
        const found = knotAt(hand.knots, view, x, y, this.rails(canvas));
        hover = found ? `${found.which}/${found.rail}` : "";
        canvas.style.cursor = found ? "ew-resize" : "default";
        return;
      }
      if (drag.rail === "recorded") {
        const second = secondAt(view, x);
        drag.to = event.altKey ? second : snappedToAttack(
          [...attacks, [0, 1], [hand.seconds, 1]], view, second, SNAP_PIXELS);
        this.dragText = seconds(drag.to, 3);
      } else {
        const beat = beatAt(view, x);
        drag.to = event.altKey ? beat : snappedToGrid(beat, session.state.beats_per_pulse);
        this.dragText = `${round(drag.to, 3)} beats`;
      }
    },

    released() {
      if (!drag || drag.isDone) return;
      const own = drag;
      const { which, rail, to } = own;
      const [zero, end] = [hand.knots[0], hand.knots[hand.knots.length - 1]];
      const before = rail === "recorded" ? (which === "zero" ? zero[0] : end[0]) : (which === "zero" ? 0 : end[1]);
      // The knots stay where they were dragged to until the answer is there; by then another drag may have begun.
      const settle = () => {
        if (drag !== own) return;
        drag = null;
        this.dragText = "";
      };
      own.isDone = true;
      if (Math.abs(to - before) < 1e-6) return settle();
      /** @type {Record<string, unknown>} */
      let intent = {};
      if (rail === "recorded") intent = which === "zero" ? { kind: "state_reading", downbeat_s: to } : { kind: "state_reading", end_s: to };
      else if (which === "end") intent = { kind: "lay_on", beats: Math.max(0.25, to) };
      else intent = { kind: "shift_grid", beats: to };
      this.change(intent).finally(settle);
    },

    letGo() {
      if (drag) drag = null;
      else if (this.hearing) this.stopHearing();
      this.dragText = "";
    },

    /** @param {number} times @param {number} [x] */
    zoom(times, x) {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("loom"));
      const whole = this.whole(canvas);
      view = zoomed(view ?? whole, x ?? canvas.clientWidth / 2, times, whole);
    },

    /** @param {number} pixels */
    scroll(pixels) {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("loom"));
      if (view) view = scrolled(view, pixels, this.whole(canvas));
    },

    /** Say why a reading stands in the list; the adopted one's reason holds where none is pointed at. @param {number} index */
    explain(index) {
      const shown = this.readings.find((r) => r.index === index) ?? this.readings.find((r) => r.adopted) ?? this.readings[0];
      this.reasonText = shown?.reason ?? "";
    },

    /** How readily a rise counts as an attack: more only ever adds. @param {number} value percent */
    setSensitivity(value) {
      this.sensitivity = value;
      attacks = hand.attacks.filter(([, , sure]) => sure >= 1 - value / 100);
      this.attacksText = `${attacks.length} attack${attacks.length === 1 ? "" : "s"} heard`;
      if (value === Math.round(100 * hand.sensitivity)) sessionStorage.removeItem(sensitivityKey(hand));
      else sessionStorage.setItem(sensitivityKey(hand), String(value));
    },

    // ---- what a person asks for

    /** @param {Record<string, unknown>} intent */
    async change(intent) {
      const done = await session.submit({ ...intent, hand: held() });
      await this.refresh();
      if (!done) showAgain(".fit", this);
      return done;
    },

    /** @param {number} index */
    adopt(index) {
      if (index < 0) return;
      this.change({ kind: "adopt_reading", index });
    },

    withdraw() {
      this.change({ kind: "withdraw_reading" });
    },

    /** @param {string} field @param {string} text */
    correct(field, text) {
      const value = typedNumber(text);
      if (value === null || (field === "bars" && (value < 1 || !Number.isInteger(value)))) {
        session.say(`“${text}” cannot be read as ${field === "bars" ? "a number of bars" : "a number"}.`, "error");
        showAgain(".fit", this);
        return;
      }
      this.change({ kind: "state_reading", [field]: value });
    },

    /** @param {number} share of what it is */
    layOnShare(share) {
      this.change({ kind: "lay_on", beats: hand.once_beats * share });
    },

    /** @param {string} text bars */
    layOnBars(text) {
      const value = typedNumber(text);
      if (value === null || value <= 0) {
        session.say(`“${text}” is not a number of bars.`, "error");
        showAgain(".fit", this);
        return;
      }
      this.change({ kind: "lay_on", beats: value * session.state.beats_per_bar });
    },

    /** @param {string} key */
    setMethod(key) {
      if (key !== hand.method) this.change({ kind: "set_method", method: key });
    },

    /** @param {number} value */
    setShift(value) {
      this.setStretch("semitones", value);
    },

    /** A setting of the stretch. @param {string} name @param {number | string | null} value */
    setStretch(name, value) {
      const before = /** @type {Record<string, unknown>} */ (hand.settings)[name];
      if (value !== before) this.change({ kind: "set_stretch", [name]: value });
    },

    /** @param {boolean} isFrozen */
    freeze(isFrozen) {
      this.setStretch("frozen_at", isFrozen ? 0 : null);
    },

    /** What plays a MIDI loop's notes. @param {string} key */
    setVoice(key) {
      this.setStretch("voice", key || null);
    },

    /** Another throw of everything that chance decides. */
    throwAgain() {
      this.setStretch("seed", hand.settings.seed + 1);
    },

    /** @param {string} key a method to hear against the chosen one; none compares nothing */
    compareWith(key) {
      this.against = key;
      this.againstName = this.others.find((m) => m.key === key)?.name ?? "";
      this.setWay(key ? "against" : "fitted");
    },

    /** @param {number} value */
    setGain(value) {
      if (value !== hand.gain_db) this.change({ kind: "set_strand_level", gain_db: value });
    },

    toggleLead() {
      this.change({ kind: "set_lead", lead: !hand.lead });
    },

    takeTempo() {
      session.submit({ kind: "take_tempo", hand: held() });
    },

    async place() {
      const beat = this.beat();
      const track = session.state.tracks.find((t) => session.state.clips.some(
        (c) => c.track === t.id && c.strand === hand.id));
      const done = await session.submit({ kind: "place", hand: held(), beat, track: track?.id ?? null });
      if (done) session.say(`${hand.name} placed at bar ${Math.round(beat / session.state.beats_per_bar) + 1}.`);
    },

    /** @param {string} seam */
    setPrint(seam) {
      this.print = seam;
    },

    async doPrint() {
      if (this.printing) return;
      this.printing = true;
      try {
        const made = await post(`${session.path}/prints`, {
          hand: held(), seam: this.print, with_lead: this.printLead, beat: this.beat(),
        });
        this.printed = `${made.name}: ${made.frames} samples, on the shelf.`;
        this.printedSha = made.sha;
      } catch (error) {
        if (error instanceof ApiError) session.say(error.message, "error");
      } finally {
        this.printing = false;
      }
    },

    downloadPrint() {
      downloadWav(session, this.printedSha);
    },

    // ---- hearing

    toggleHear() {
      if (this.hearing) this.stopHearing();
      else this.startHearing(this.way);
    },

    /** @param {string} way */
    async startHearing(way) {
      this.hearing = true;
      this.seamMode = way === "seam";
      await app.hearHand(held(), way, this.withRest && way !== "seam" && way !== "against", { against: this.against });
    },

    stopHearing() {
      this.hearing = false;
      this.seamMode = false;
      app.stopHand();
    },

    /** @param {string} way */
    setWay(way) {
      this.way = way;
      if (this.hearing) this.startHearing(way);
    },

    toggleRest() {
      this.withRest = !this.withRest;
      if (this.hearing) this.startHearing(this.way);
    },

    hearSeam() {
      if (this.seamMode) this.stopHearing();
      else this.startHearing("seam");
    },
  };
};

/** @param {Hand} hand */
const sensitivityKey = (hand) => `zeroknot.sensitivity.${hand.loop}`;

/** @param {Hand} hand */
function keyText(hand) {
  const { kind } = hand.sound;
  if (kind === "drums" || kind === "percussion") return "unpitched";
  if (!hand.key.key) return "key unknown";
  const tuned = hand.key.cents === null || Math.abs(hand.key.cents) < 4 ? "" : `, ${hand.key.cents > 0 ? "+" : "−"}${Math.abs(hand.key.cents).toFixed(0)} ct`;
  return `${hand.key.key}${tuned}`;
}

/** @param {Hand} hand */
function steadyText(hand) {
  const s = hand.steadiness;
  if (!s || s.highest_bpm - s.lowest_bpm < 0.004 * s.highest_bpm) return "";
  const drift = Math.abs(s.drift_percent) < 0.5 ? "" : ` It ends ${Math.abs(s.drift_percent).toFixed(1)} % ${s.drift_percent > 0 ? "faster" : "slower"} than it starts.`;
  return `Its tempo moves between ${bpm(s.lowest_bpm)} and ${bpm(s.highest_bpm)} BPM, deviation ${s.deviation_bpm.toFixed(2)}.${drift}`;
}

/** The tempo over the beats as a line in a box of 266 by 46, and the band of its deviation. @param {Hand} hand */
function curveLines(hand) {
  const s = hand.steadiness;
  if (!s || !steadyText(hand)) return { line: "", mean: 0, spread: 0, top: "", bottom: "" };
  const [from, to] = [s.curve[0][0], s.curve[s.curve.length - 1][0]];
  const room = s.highest_bpm - s.lowest_bpm;
  /** @param {number} tempo */
  const y = (tempo) => 43 - (40 * (tempo - s.lowest_bpm)) / room;
  return {
    line: s.curve.map(([second, tempo]) => `${round((266 * (second - from)) / (to - from), 1)},${round(y(tempo), 1)}`).join(" "),
    mean: round(y(s.mean_bpm), 1),
    spread: round((40 * s.deviation_bpm) / room, 1),
    top: bpm(s.highest_bpm),
    bottom: bpm(s.lowest_bpm),
  };
}

/** @param {Record<string, unknown>} claims */
function claimsText(claims) {
  const said = [];
  if (claims.tempo_bpm) said.push(`${bpm(Number(claims.tempo_bpm))} BPM`);
  if (claims.bars) said.push(bars(Number(claims.bars)));
  if (claims.key) said.push(String(claims.key));
  if (claims.loop_end_s) said.push(`a loop from ${seconds(Number(claims.loop_start_s), 3)} to ${seconds(Number(claims.loop_end_s), 3)}`);
  if (!said.length) return "";
  const sources = Array.isArray(claims.sources) ? claims.sources.join(", ") : "";
  return `Its ${sources || "file"} say${sources.endsWith("s") ? "" : "s"} ${said.join(", ")}.`;
}

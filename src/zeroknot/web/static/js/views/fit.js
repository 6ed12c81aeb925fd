// @ts-check
/** Fit: the loom, and beside it what the loop is, what it is laid on, and how it is stretched. */

import { ApiError, getJson, post } from "../net/api.js";
import { countControls } from "../fit/count.js";
import { takeControls } from "../fit/take.js";
import { claimsText, curveLines, keyText, ownTimeText, sensitivityKey, steadyText, strainText } from "../fit/texts.js";
import { asLong, bars, bpm, percent, round, seconds, semitones, signedPercent, typedNumber } from "../format.js";
import { Waves } from "../loom/lod.js";
import { secondOfBeat } from "../loom/model.js";
import { LoomStage } from "../loom/stage.js";
import { barLine, placeText } from "../metre.js";
import { Scope } from "../scope.js";
import { showAgain } from "../ui/fields.js";
import { bindKeys } from "../ui/keys.js";
import { downloadWav } from "../shelf/download.js";

/** @typedef {import("../types.js").Hand} Hand */
/** @typedef {import("../types.js").HandSheet} HandSheet */

const LONGEST_PICTURED = 120;
/** Fields that take whole numbers only. @type {Record<string, string>} */
const WHOLE = { bars: "a number of bars", beats_per_bar: "a number of beats" };
const EVERY = [1, 2, 4, 8, 16, 32];
const GRIDS = [["bar", 0], ["beat", 1], ["1/2", 1 / 2], ["1/3", 1 / 3], ["1/4", 1 / 4]];

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const fit = (session, app) => () => {
  // What draws and sounds stays here, outside the reactive data.
  /** @type {Hand} */
  let hand = app.viewData();
  /** @type {HandSheet | null} */
  let sheet = null;
  /** @type {Waves | null} */
  let source = null;
  /** @type {Waves | null} */
  let render = null;
  /** @type {[number, number, number][]} */
  let notes = [];
  /** @type {LoomStage | null} */
  let stage = null;
  /** What is tried while it is dragged. */
  const trial = { wanted: /** @type {({kind: string} & Record<string, unknown>) | null} */ (null), isRunning: false, isHeard: false, took: /** @type {number[]} */ ([]) };
  /** Those that hold at the sensitivity that was chosen. @type {import("../types.js").Attack[]} */
  let attacks = [];
  let turn = 0;
  let asked = 0;
  const scope = new Scope();
  /** The name that answers now: a strand that was undone a moment ago is a loop again. */
  const held = () => (hand.is_new || session.state.strands.some((s) => s.id === hand.hand) ? hand.hand : hand.loop);

  const what = { held, hand: () => hand, stage: () => stage, source: () => source };

  return {
    ...countControls(session, what),
    ...takeControls(session, app, what),
    empty: !hand.hand,
    name: "", about: "", ring: "", barsChip: "", tempoChip: "", fromBpm: "", toBpm: "", downbeatChip: "",
    /** @type {any[]} */
    readings: [],
    /** @type {any[]} */
    methods: [],
    /** @type {{key: string, name: string}[]} */
    voices: [],
    voice: "",
    method: "", bars: "", perBar: "", tempo: "", downbeat: "", end: "", span: "", spanShare: 0,
    semitones: 0, formants: 0, uses: /** @type {Record<string, boolean>} */ ({}), chosenText: "", strainText: "", against: "", againstName: "", fittedName: "",
    grains: { ms: 0, density: 0, jitter: 0, spread: 0, direction: "", frozen: 0, isFrozen: false, seed: 0 }, gain: 0, lead: true, stated: false, claims: "", warnings: "",
    summary: "", spoolText: "", hearing: false, way: "fitted", withRest: false, seamMode: false,
    print: "wrap", printLead: false, printing: false, printed: "", printedSha: "", placeText: "Place",
    sensitivity: 0, attacksText: "", reasonText: "", keyChip: "", keyTitle: "", hasKey: true, steadyText: "", curve: { line: "", mean: 0, spread: 0, top: "", bottom: "" },
    others: /** @type {{key: string, name: string}[]} */ ([]),
    rendering: false, spans: /** @type {any[]} */ ([]), isNew: false, dragText: "",
    together: true, following: true, gridShare: 1, grids: GRIDS.map(([name, share]) => ({ name, share })),
    chosenCount: 0, hasRange: false, rangeStart: "", rangeEnd: "", knotSecond: "", knotBeat: "", knotIsEnd: false, knotText: "", isFastened: false,
    every: 1, unit: "beats", everies: EVERY, straightenText: "", amount: 100, isStraight: false, follows: true, ownText: "",

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
        { key: "+ or =", does: "closer", repeats: true, run: () => this.zoom(1.5) },
        { key: "-", does: "wider", repeats: true, run: () => this.zoom(1 / 1.5) },
        { key: "W", does: "the whole", run: () => this.showAll() },
        { key: "E", does: "what is chosen fills the loom", run: () => this.showRange() },
        { key: "L", does: "rails together / apart", run: () => this.toggleTogether() },
        { key: "Y", does: "follow the playhead", run: () => this.toggleFollow() },
        { key: "K", does: "tie a knot at the playhead or the cursor", run: () => this.tieHere() },
        { key: "[", does: "the knot before", repeats: true, run: () => this.stepKnot(-1) },
        { key: "]", does: "the next knot", repeats: true, run: () => this.stepKnot(1) },
        { key: "Delete or Backspace", does: "remove what is chosen", run: () => this.removeChosen() },
        { key: "T", does: "tap along with what is heard", run: () => this.tapAlong(this.hearing ? this.playhead() : null) },
        { key: "1 or 2 or 3 or 4 or 5 or 6 or 7 or 8 or 9", does: "it is so many bars, while it is heard", run: (e) => this.countBars(Number(e.key)) },
        { key: ",", does: "the chosen stretch begins at the playhead or the cursor", run: () => this.markEdge(0) },
        { key: ".", does: "the chosen stretch ends there", run: () => this.markEdge(1) },
        { key: "X", does: "the chosen stretch to zero crossings", run: () => this.snapToZero() },
        { key: "F", does: "fasten what is chosen, or loosen it", run: () => this.toggleFasten() },
        { key: "G", does: "straighten", run: () => this.straighten() },
        { key: "ArrowLeft or Alt+ArrowLeft", does: "chosen knots to the grid line before (Alt: a hundredth of a beat); scroll back", repeats: true, run: (e) => this.arrow(-1, e) },
        { key: "ArrowRight or Alt+ArrowRight", does: "chosen knots to the next grid line; scroll on", repeats: true, run: (e) => this.arrow(1, e) },
        { key: "Shift+ArrowLeft or Alt+Shift+ArrowLeft", does: "ten times as far", repeats: true, run: (e) => this.arrow(-1, e) },
        { key: "Shift+ArrowRight or Alt+Shift+ArrowRight", does: "ten times as far", repeats: true, run: (e) => this.arrow(1, e) },
      ]));
      this.show();
      void session.setHand(hand.hand);
      keepSections(scope);
      this.startLoom();
      let seen = session.state.revision;
      scope.add(session.watch(() => {
        if (session.state.revision === seen) return;
        seen = session.state.revision;
        void this.refresh();
      }));
      void this.fetch();
    },

    destroy() {
      scope.end();
      source?.close();
      render?.close();
      app.stopHand();
      void session.setHand(null);
    },

    /** Ask anew what is in hand: something about it was changed. */
    async refresh() {
      asked += 1;
      const mine = asked;
      try {
        // A loop that became a strand answers under either name; one whose strand was undone is a loop.
        const fresh = await getJson(`${session.path}/hand/${held()}?beat=${this.beat()}`);
        // What was asked for since is on its way: showing this would show a step back.
        if (mine !== asked || session.saving > 0) return;
        hand = fresh;
        this.show();
        void session.setHand(hand.hand);
        await this.fetch();
        if (this.hearing) void app.hearHand(held(), this.seamMode ? "seam" : this.way, this.withRest, { against: this.against });
      } catch (error) {
        if (error instanceof ApiError && error.status === 404) app.go(`/p/${session.state.id}/fit/${hand.loop}`);
        else if (error instanceof ApiError) session.say(error.message, "error");
      }
    },

    /** What is drawn: the recording, and the render as it comes. */
    async fetch() {
      turn += 1;
      const mine = turn;
      try {
        if (hand.file_kind === "midi") notes = notes.length ? notes : await getJson(`/api/loops/${hand.loop}/notes`);
        else if (!source) {
          const [rate, frames] = [hand.source_rate, Math.round(hand.seconds * hand.source_rate)];
          source = new Waves({
            peaks: `/api/loops/${hand.loop}/peaks`, blocks: `/api/sources/${hand.loop}/${session.state.rate}`,
            channels: hand.channels, frames, blockRate: session.state.rate / rate,
          }, () => stage?.changed());
          void source.whole();
        }
        this.rendering = true;
        const fresh = await getJson(`${session.path}/hand/${held()}/sheet?beat=${this.beat()}`);
        if (mine !== turn) return;
        if (fresh.digest !== sheet?.digest) {
          render?.close();
          render = null;
          if (hand.file_kind !== "midi") {
            // Of a long take only what is looked at closely is rendered for its picture.
            const coarsest = hand.seconds > LONGEST_PICTURED ? 64 : 4096;
            const next = new Waves({
              peaks: `/api/renders/${fresh.digest}/peaks`, blocks: `/api/renders/${fresh.digest}`,
              channels: fresh.channels, frames: fresh.frames, blockRate: 1,
            }, () => stage?.changed(), coarsest);
            if (coarsest === 4096) await next.whole();
            if (mine !== turn) return next.close();
            render = next;
          }
        }
        sheet = fresh;
        stage?.changed();
      } catch (error) {
        if (error instanceof ApiError && mine === turn) {
          render = null;
          session.say(error.message, "error");
        }
      } finally {
        if (mine === turn) this.rendering = false;
      }
    },

    /** The bar whose tempo counts: the playhead's. */
    beat() {
      return barLine(session.state.metres, Math.max(0, session.beat())).beat;
    },

    show() {
      const h = hand;
      this.isNew = h.is_new;
      this.name = h.name;
      this.about = [h.sound.kind ?? "audio", h.channels === 1 ? "mono" : "stereo", seconds(h.seconds)].join(" · ");
      this.keyChip = keyText(h);
      this.hasKey = h.has_key;
      this.keyTitle = h.key.key ? `${this.keyChip} as heard, ${percent(h.key.confidence)} sure; or ${h.key.runner_up}, ${percent(h.key.runner_up_confidence)}` : "key as heard";
      this.steadyText = steadyText(h);
      this.curve = curveLines(h);
      this.setSensitivity(Number(sessionStorage.getItem(sensitivityKey(h)) ?? Math.round(100 * h.sensitivity)));
      this.ring = `/api/loops/${h.loop}/ring.png?yarn=${h.yarn}&v=${session.state.revision}`;
      this.barsChip = `${h.bars === null ? "bars unknown" : bars(h.bars)}${h.is_by_hand ? ", tied by hand" : ""}`;
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
      this.perBar = String(h.beats_per_bar);
      this.showProposals();
      this.showTake();
      this.explain(-1);
      this.methods = h.methods.map((m) => ({ ...m, strainText: m.strain === null ? "" : m.strain.toFixed(2) }));
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
      if (h.straighten) this.others.push({ key: "unstraightened", name: "not straightened" });
      if (h.knots.length > 2) this.others.push({ key: "ends", name: "the ends tied only" });
      if (!h.is_new && session.state.undo) this.others.push({ key: "before", name: "as before the last change" });
      this.againstName = this.others.find((m) => m.key === this.against)?.name ?? "";
      if (!this.against && this.way === "against") this.way = "fitted";
      this.gain = h.gain_db;
      this.lead = h.lead;
      this.warnings = h.warnings.join("; ");
      this.claims = claimsText(h.claims);
      this.summary = `Tempo ${signedPercent(h.tempo_change_percent)}, ${asLong(h.duration_ratio)}.`;
      this.strainText = strainText(h);
      this.follows = h.follows;
      this.ownText = ownTimeText(h);
      this.isStraight = !!h.straighten;
      this.amount = h.straighten ? round(100 * h.straighten.amount, 1) : 100;
      this.straightenText = h.straighten ? `${h.straighten.ties} knots tied from the beats that were heard.` : "";
      this.spoolText = `its speed shifts it ${semitones(round(h.spool_semitones, 2))}`;
      stage?.changed();
      this.showChosen();
      this.showBar();
    },

    showBar() {
      this.placeText = `Place at bar ${barLine(session.state.metres, Math.max(0, session.beat())).bar}`;
    },

    // ---- the loom

    startLoom() {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("loom"));
      stage = new LoomStage(canvas, {
        hand: () => hand, sheet: () => sheet, strain: () => hand.strained, attacks: () => attacks,
        source: () => source, render: () => render, notes: () => notes,
        metres: () => session.state.metres, startBeat: () => this.beat(), playhead: () => this.playhead(),
        say: (text) => { this.dragText = text; }, chose: () => this.showChosen(),
        tryOut: (intent) => this.tryOut(intent), ask: (intent) => this.change(intent),
        went: (second) => this.goTo(second), isFollowed: () => session.engine_?.hand.way !== "seam", names: () => hand.hand,
      }, scope);
      // For tests that look at what is drawn.
      Object.assign(app, { stage });
      let last = "";
      scope.everyFrame(() => {
        const at = `${this.beat()}`;
        if (at !== last) this.showBar();
        last = at;
        this.drawEdges();
        const song = session.engine_?.song;
        const isHearing = !!session.engine_?.hand.isPlaying || (!!song?.withHand && (song.isPlaying || song.isWaiting));
        if (this.hearing && !isHearing && !session.engine_?.hand.isWaiting && !app.starting && !trial.isRunning) this.hearing = false;
      });
    },

    /** The second of the recording that sounds now. */
    playhead() {
      const engine = session.engine_;
      if (!engine) return null;
      const alone = engine.hand.second();
      if (alone !== null) return alone;
      if (!engine.song.isPlaying) return null;
      const clip = session.state.clips.find((c) => c.strand === hand.id
        && session.beat() >= c.beat && session.beat() < c.beat + c.beats);
      if (!engine.song.withHand && !clip) return null;
      const span = hand.span * hand.beat_share;
      const inside = clip && !engine.song.withHand ? session.beat() - clip.beat + clip.slip : session.beat();
      return secondOfBeat(hand.knots, ((inside % span) + span) % span);
    },

    letGo() {
      if (stage?.letGo()) return;
      if (this.hearing) this.stopHearing();
    },

    /** @param {number} times */
    zoom(times) {
      stage?.zoom(times);
    },

    /** Nudge what is chosen, or scroll where nothing is. @param {number} by @param {KeyboardEvent} event */
    arrow(by, event) {
      const steps = by * (event.shiftKey ? 10 : 1);
      if (this.chosenCount) stage?.nudge(steps, event.altKey);
      else stage?.scroll(80 * steps);
    },

    showAll() {
      stage?.showAll();
    },

    /** What is chosen fills the loom. */
    showRange() {
      if (stage?.range) stage.show(...stage.range);
      else stage?.showAll();
    },

    toggleTogether() {
      if (!stage) return;
      stage.together = !stage.together;
      this.together = stage.together;
    },

    toggleFollow() {
      if (!stage) return;
      stage.follow = !stage.follow;
      this.following = stage.follow;
    },

    /** @param {number} share of a pulse; 0 is a bar */
    setGrid(share) {
      if (stage) stage.gridShare = share;
      this.gridShare = share;
    },

    // ---- knots

    showChosen() {
      this.rangeChanged();
      const chosen = [...(stage?.chosen ?? [])].sort((a, b) => a - b);
      const range = stage?.range ?? null;
      // What is being done comes into view by itself.
      if (chosen.length && !this.chosenCount) reveal("knots");
      if (range && !this.hasRange) document.querySelector(".side")?.scrollTo({ top: 0 });
      this.chosenCount = chosen.length;
      this.hasRange = !!range;
      [this.rangeStart, this.rangeEnd] = range ? range.map((edge) => edge.toFixed(4)) : ["", ""];
      const knot = chosen.length === 1 ? hand.knots.find((k) => k[0] === chosen[0]) : undefined;
      this.knotSecond = knot ? knot[0].toFixed(4) : "";
      this.knotBeat = knot ? String(round(knot[1], 4)) : "";
      this.knotIsEnd = !!knot && (knot[1] === 0 || knot === hand.knots[hand.knots.length - 1]);
      const start = this.beat();
      const first = barLine(session.state.metres, start).bar - 1;
      const place = knot ? placeText(session.state.metres, start + knot[1]).split(".") : [];
      const where = knot ? `${Number(place[0]) - first}.${place.slice(1).join(".")}` : "";
      this.knotText = knot ? `${knot[1] === 0 ? "The zero knot" : this.knotIsEnd ? "The end knot" : `Knot ${hand.knots.indexOf(knot)}`} at ${where}${knot[2] ? ", of the straightening" : ""}`
        : chosen.length ? `${chosen.length} knots chosen; drag one and all move` : "";
      const at = range ? (range[0] + range[1]) / 2 : knot ? knot[0] : null;
      this.isFastened = at !== null && hand.fastened.some(([a, b]) => at >= a && at <= b);
    },

    /** Tie a knot at the playhead, or where the cursor waits. */
    tieHere() {
      const at = this.playhead() ?? stage?.cursor ?? null;
      if (at === null) this.dragText = "Click on a rail first: K ties a knot there.";
      else stage?.tie(at);
    },

    /** The chosen stretch begins (0) or ends (1) at the playhead, or where the cursor waits. @param {0 | 1} edge */
    markEdge(edge) {
      const at = this.playhead() ?? stage?.cursor ?? null;
      if (at === null) this.dragText = "Hear it, or click on a rail first: , and . mark a stretch there.";
      else this.setEdge(edge, stage?.atAttack(at, false) ?? at);
    },

    removeChosen() {
      if (stage?.chosen.size) stage.remove(stage.chosen);
    },

    /** @param {number} by */
    stepKnot(by) {
      stage?.step(by);
    },

    /** A knot's value, typed. @param {"second" | "beat"} side @param {string} text */
    setKnot(side, text) {
      const value = typedNumber(text);
      const knot = hand.knots.find((k) => stage?.chosen.has(k[0]));
      if (value === null || !knot) {
        session.say(`“${text}” cannot be read as a number.`, "error");
        showAgain(".fit", this);
        return;
      }
      const place = side === "second" ? { at: knot[0], second: value } : { at: knot[0], second: knot[0], beat: value / hand.beat_share };
      void this.change({ kind: "tie_knots", knots: [place] }).then(() => stage?.choose([place.second]));
    },

    /** Hold what is chosen, or let it go again. */
    toggleFasten() {
      const range = stage?.range ?? null;
      if (this.isFastened) {
        const second = range ? (range[0] + range[1]) / 2 : Number(this.knotSecond);
        void this.change({ kind: "loosen", second });
      } else if (range) void this.change({ kind: "fasten", start_s: range[0], end_s: range[1] });
      else this.dragText = "Drag along a rail to choose what is to be fastened.";
    },

    // ---- straighten

    /** @param {number} every */
    setEvery(every) {
      this.every = every;
    },

    /** @param {string} unit */
    setUnit(unit) {
      this.unit = unit;
    },

    straighten() {
      const over = stage?.range ?? null;
      void this.change({ kind: "straighten", every: this.every, unit: this.unit, over });
    },

    /** @param {number} value percent */
    setAmount(value) {
      if (hand.straighten && value !== round(100 * hand.straighten.amount, 1)) void this.change({ kind: "set_straightening", amount: value / 100 });
      else this.tryOut(null);
    },

    /** While the bar is dragged: heard, not yet kept. @param {number} value percent */
    hearAmount(value) {
      this.tryOut({ kind: "set_straightening", amount: value / 100 });
    },

    unstraighten() {
      void this.change({ kind: "unstraighten" });
    },

    // ---- what is heard before it is done

    /** @param {{kind: string} & Record<string, unknown> | null} intent */
    tryOut(intent) {
      trial.wanted = intent;
      if (!intent) return this.endTrial();
      if (trial.isRunning || !this.hearing || this.way !== "fitted" || this.seamMode) return;
      void this.runTrial();
    },

    /** Nothing is tried any more: what holds is heard again, unless that is what was tried. */
    endTrial() {
      if (!trial.isHeard || trial.isRunning) return;
      trial.isHeard = false;
      if (!this.hearing) return;
      if (this.withRest) void session.reloadSheet();
      else if (session.engine_?.hand.sheet?.digest !== sheet?.digest) void this.startHearing(this.way);
    },

    async runTrial() {
      trial.isRunning = true;
      try {
        while (trial.wanted) {
          const intent = trial.wanted;
          trial.wanted = null;
          const asked_ = performance.now();
          const withRest = this.withRest;
          const tried = await post(`${session.path}/hand/${held()}/trial`, {
            intent: { ...intent, hand: held() }, beat: this.beat(), with_rest: withRest,
            heard: withRest ? null : session.engine().hand.expect(),
          });
          if (!this.hearing || scope.ended) break;
          const engine = session.engine();
          trial.isHeard = true;
          if (withRest) engine.song.adopt(tried.song);
          else engine.hand.hear(tried.sheet, "fitted", true);
          trial.took.push(performance.now() - asked_);
        }
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        this.dragText = error.message;
      } finally {
        trial.isRunning = false;
        session.engine().hand.expectNothing();
        if (!stage?.drag && !scope.ended) this.endTrial();
      }
    },

    /** Hear on from a moment. @param {number} second */
    goTo(second) {
      if (this.hearing && !this.withRest && !this.seamMode) session.engine_?.hand.go(second);
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
      stage?.changed();
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
      void this.change({ kind: "adopt_reading", index });
    },

    /** A number key while it is heard: so many bars. @param {number} count */
    countBars(count) {
      if (!this.hearing) return false;
      if (count !== hand.bars) void this.change({ kind: "state_reading", bars: count });
      return true;
    },

    /** @param {Record<string, unknown>} intent what was proposed */
    takeProposal(intent) {
      void this.change(intent);
    },

    /** The chosen stretch is the loop: laid on the project's bars. */
    fitRange() {
      const intent = this.rangeReading();
      if (intent) void this.change(intent).then((done) => done && stage?.reset());
    },

    takeKey() {
      void session.submit({ kind: "take_key", hand: held() });
    },

    takeMetre() {
      void session.submit({ kind: "take_metre", hand: held() });
    },

    withdraw() {
      void this.change({ kind: "withdraw_reading" });
    },

    /** @param {string} field @param {string} text */
    correct(field, text) {
      const value = typedNumber(text);
      if (value === null || (WHOLE[field] && (value < 1 || !Number.isInteger(value)))) {
        session.say(`“${text}” cannot be read as ${WHOLE[field] ?? "a number"}.`, "error");
        showAgain(".fit", this);
        return;
      }
      void this.change({ kind: "state_reading", [field]: value });
    },

    /** @param {number} share of what it is */
    layOnShare(share) {
      void this.change({ kind: "lay_on", beats: hand.once_beats * share });
    },

    /** @param {string} text bars */
    layOnBars(text) {
      const value = typedNumber(text);
      if (value === null || value <= 0) {
        session.say(`“${text}” is not a number of bars.`, "error");
        showAgain(".fit", this);
        return;
      }
      void this.change({ kind: "lay_on", beats: value * session.state.beats_per_bar });
    },

    /** @param {string} key */
    setMethod(key) {
      if (key !== hand.method) void this.change({ kind: "set_method", method: key });
    },

    /** @param {number} value */
    setShift(value) {
      this.setStretch("semitones", value);
    },

    /** A setting of the stretch. @param {string} name @param {number | string | null} value */
    setStretch(name, value) {
      const before = /** @type {Record<string, unknown>} */ (hand.settings)[name];
      if (value !== before) void this.change({ kind: "set_stretch", [name]: value });
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
      if (value !== hand.gain_db) void this.change({ kind: "set_strand_level", gain_db: value });
    },

    toggleFollows() {
      void this.change({ kind: "follow_tempo", follows: !hand.follows });
    },

    toggleLead() {
      void this.change({ kind: "set_lead", lead: !hand.lead });
    },

    takeTempo() {
      void session.submit({ kind: "take_tempo", hand: held() });
    },

    async place() {
      const beat = this.beat();
      const track = session.state.tracks.find((t) => session.state.clips.some(
        (c) => c.track === t.id && c.strand === hand.id));
      const done = await session.submit({ kind: "place", hand: held(), beat, track: track?.id ?? null });
      if (done) session.say(`${hand.name} placed at bar ${barLine(session.state.metres, beat).bar}.`);
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
      void downloadWav(session, this.printedSha);
    },

    // ---- hearing

    toggleHear() {
      if (this.hearing) this.stopHearing();
      else void this.startHearing(this.way);
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
      if (this.hearing) void this.startHearing(way);
    },

    toggleRest() {
      this.withRest = !this.withRest;
      if (this.hearing) void this.startHearing(this.way);
    },

    /** @param {string} name of a section of the side */
    jump(name) {
      reveal(name, true);
    },

    hearSeam() {
      if (this.seamMode) this.stopHearing();
      else void this.startHearing("seam");
    },
  };
};

/** A section of the side comes into view, opened. @param {string} name @param {boolean} [isAsked] by a person: it gets the keys, too */
function reveal(name, isAsked = false) {
  const section = document.querySelector(`details[data-section="${name}"]`);
  if (!section) return;
  section.setAttribute("open", "");
  section.scrollIntoView({ block: isAsked ? "start" : "nearest" });
  if (isAsked) section.querySelector("summary")?.focus({ preventScroll: true });
}

/** Sections of the side that were closed stay so, in this and other sessions. @param {Scope} scope */
function keepSections(scope) {
  for (const section of document.querySelectorAll("details.section")) {
    const key = `zeroknot.section.${section.getAttribute("data-section")}`;
    if (localStorage.getItem(key) === "closed") section.removeAttribute("open");
    scope.on(section, "toggle", () => localStorage.setItem(key, section.hasAttribute("open") ? "open" : "closed"));
  }
}

// @ts-check
/** What is played on the pads: where in the round each stroke fell, rounds kept, one of them the new order. */

import { along } from "../engine/schedule.js";
import { countIn } from "../engine/count-in.js";
import { Stamps, tappedAfter } from "../engine/stamps.js";
import { bpmAt } from "../metre.js";
import { section } from "../sections.js";
import { Inputs } from "./inputs.js";

/** @typedef {{round: number, beat: number, piece: number, velocity: number, semitones: number, pad: number, stamp: number, beats: number | null, isKept: boolean}} Stroke beats: for which it was held, null where that had no say */

const CAUGHT_BARS = 16;
const MOST_STROKES = 1024;
const [TAPPED_TICKS, FIRST_TAPPED] = [12, 2]; // those counted to find the beat, and from which on taps tell
const LEAST_HELD = 1 / 64; // beats
const PAUSE_BEATS = 8; // without anything heard: what comes after so long is another round

/** @param {import("./shared.js").Shared} shared */
export const played = (shared) => {
  const { session, held, view } = shared;
  /** @type {Stroke[]} */
  let log = [];
  let recordedFrom = 0;
  let isBegun = false;
  /** What was begun when, and how many rounds had been heard by then. @type {{at: number, rounds: number}[]} */
  let begun = [];
  let lastRound = 0;
  /** The first stroke of those played to nothing. @type {{stamp: number, round: number} | null} */
  let free = null;
  let lastStamp = 0;
  /** When somebody tapped along, as events tell it. @type {number[]} */
  let taps = [];
  const inputs = new Inputs();
  const stamps = new Stamps();

  return section(shared.whole, {
    isTapping: false, latencyText: "Latency is told once something sounds.",
    isRecording: false, recordText: "Record", overdubs: false, countsIn: true, playedText: "",
    roundsKept: /** @type {{number: number, name: string, pressed: string, title: string}[]} */ ([]),
    roundStep: "0.25", roundStrength: 100, roundFeels: true, usedRound: -1,
    inputs: /** @type {{key: string, name: string}[]} */ ([]), input: "",

    startPlayed() {
      this.inputs = inputs.known;
      inputs.onStroke = (note, velocity, stamp) => {
        this.strikePad(this.padsTuned ? note : this.bank * 16 + note, velocity, stamp);
      };
      inputs.onLetGo = (note, stamp) => this.letPadGo(this.padsTuned ? note : this.bank * 16 + note, stamp);
      inputs.onPedal = (isDown, stamp) => this.setSustain(isDown, stamp);
      view.scope.add(() => {
        inputs.close();
        if (this.isRecording) this.endRecording(); // who leaves the view keeps what was played
      });
      view.eachFrame(() => this.watchRounds());
      this.showLatency();
    },

    showLatency() {
      const engine = session.engine_;
      if (!engine) return;
      this.latencyText = `Latency ${Math.round(1000 * engine.latency)} ms, ${engine.latencyGiven === null ? "as the browser tells it" : "as you tapped it"}`;
    },

    /** Ticks to tap along to: how long after each a tap comes is what the device takes there and back. */
    async tapAlong() {
      if (this.isTapping) return;
      const engine = session.engine();
      const seconds = 60 / Math.max(80, Math.min(140, bpmAt(session.state.tempo_line, 0)));
      /** @type {number[]} */
      const ticks = [];
      taps = [];
      this.isTapping = true;
      this.latencyText = "Tap any pad with each tick…";
      this.focusPads();
      await countIn(engine, TAPPED_TICKS, seconds, (start) => {
        for (let i = FIRST_TAPPED; i < TAPPED_TICKS; i += 1) ticks.push(start + i * seconds);
      });
      this.isTapping = false;
      if (view.isOver) return;
      const found = tappedAfter(taps.map((stamp) => stamps.secondAt(stamp)), ticks);
      if (found === null) session.say("Those taps were too few or too loose to tell; try again.");
      else this.setLatency(found);
      this.showLatency();
    },

    /** @param {number | null} found seconds; null: as the browser says */
    setLatency(found) {
      session.engine().keepLatency(found);
      this.showLatency();
    },

    /** While somebody taps along a stroke is a tap. @param {number} stamp @returns {boolean} */
    isTap(stamp) {
      if (this.isTapping) taps.push(stamp);
      return this.isTapping;
    },

    showPlayed() {
      const { rounds } = shared.facts;
      if (this.usedRound >= rounds.length) this.usedRound = -1;
      this.roundsKept = rounds.map((r, number) => ({
        number, name: String(number + 1), pressed: String(number === this.usedRound), title: `${r.strokes} strokes over ${r.beats} beats`,
      }));
      if (!this.isRecording && !this.playedText) this.playedText = "Every round that is recorded is kept here.";
    },

    // ---- where a stroke fell

    /** Round and beat of a moment, as it was heard then; rounds are counted from when hearing began. @param {number} stamp */
    placeOf(stamp) {
      const engine = session.engine();
      stamps.look(engine.context.currentTime, performance.now());
      const heard = stamps.secondAt(stamp) - engine.latency;
      const ago = Math.max(0, engine.hand.heard / engine.rate - heard);
      const { beats } = shared.facts.order;
      const { sheet } = held;
      if (engine.hand.isPlaying && sheet && engine.hand.sheet?.body === sheet.body) {
        const at = heard * engine.rate;
        const elapsed = engine.hand.plan.elapsedAt(at);
        const round = Math.floor(elapsed / sheet.body);
        return { round: round + this.roundsBefore(at), beat: along(sheet.beats, 1, 0, elapsed - round * sheet.body) };
      }
      const bpm = bpmAt(session.state.tempo_line, session.beat());
      if (engine.song.isPlaying) {
        const beat = session.beat() - (ago * bpm) / 60;
        const round = Math.floor(beat / beats);
        return { round, beat: beat - round * beats };
      }
      // To nothing: the first stroke is the one, and a pause ends it.
      if (!free || ((stamp - lastStamp) / 60_000) * bpm > PAUSE_BEATS) free = { stamp, round: (log[log.length - 1]?.round ?? -1) + 1 };
      const beat = ((stamp - free.stamp) / 60_000) * bpm;
      return { round: free.round + Math.floor(beat / beats), beat: beat % beats };
    },

    /** Rounds heard before what sounds at a frame was begun: an edit begins it anew, in mid-round. @param {number} at frame of the audio clock */
    roundsBefore(at) {
      const { plan } = session.engine().hand;
      if (begun[begun.length - 1]?.at !== plan.begunAt) begun = [...begun.slice(-8), { at: plan.begunAt, rounds: lastRound }];
      return begun.findLast((b) => b.at <= at)?.rounds ?? begun[0].rounds;
    },

    /** @param {import("./shared.js").Struck} struck */
    noteStroke(struck) {
      const place = this.placeOf(struck.stamp);
      lastStamp = struck.stamp;
      log = [...log.slice(1 - MOST_STROKES), { ...place, ...struck, beats: null, isKept: false }];
    },

    /** How long the latest stroke of a pad was held. @param {number} pad @param {number} stamp */
    noteLetGo(pad, stamp) {
      const stroke = log.findLast((s) => s.pad === pad);
      if (!stroke || stroke.beats !== null) return;
      const { order } = shared.facts;
      const { round, beat } = this.placeOf(stamp);
      stroke.beats = Math.max(LEAST_HELD, (round - stroke.round) * order.beats + beat - stroke.beat);
    },

    // ---- recording

    async toggleRecord() {
      if (this.isRecording) return this.endRecording();
      if (!shared.facts.is_cut) return;
      this.isRecording = true;
      this.recordText = "Stop";
      this.focusPads();
      if (this.hearing) recordedFrom = lastRound = this.placeOf(performance.now()).round;
      if (!this.hearing) {
        const { state } = session;
        if (this.countsIn) {
          this.playedText = "Counting in…";
          await countIn(session.engine(), shared.facts.per_bar / shared.facts.pulse, (60 * shared.facts.pulse) / bpmAt(state.tempo_line, held.beat));
        }
        if (!this.isRecording || view.isOver) return;
        [log, begun, lastRound, recordedFrom] = [[], [], 0, 0];
        this.setWay("fitted");
        await this.startHearing("fitted");
      }
      isBegun = true;
      this.playedText = "Recording: play along.";
    },

    endRecording() {
      this.isRecording = isBegun = false;
      this.recordText = "Record";
      void this.keepRounds(Infinity);
    },

    /** A round that is over is kept; who stops hearing it stops recording. */
    watchRounds() {
      const engine = session.engine_;
      if (!engine) return;
      stamps.look(engine.context.currentTime, performance.now());
      if (engine.hand.isPlaying || engine.song.isPlaying) lastRound = this.placeOf(performance.now()).round;
      if (!this.isRecording || !isBegun) return;
      if (!this.hearing) return this.endRecording();
      if (log.some((s) => s.round < lastRound && s.round >= recordedFrom && !s.isKept)) void this.keepRounds(lastRound);
    },

    /** Rounds before one that are not kept yet. @param {number} before */
    async keepRounds(before) {
      const fresh = log.filter((s) => s.round >= recordedFrom && s.round < before && !s.isKept);
      for (const stroke of fresh) stroke.isKept = true;
      const numbers = [...new Set(fresh.map((s) => s.round))].sort((a, b) => a - b);
      for (const number of numbers) {
        const own = log.filter((s) => (this.overdubs ? s.round >= recordedFrom && s.round <= number : s.round === number));
        const strokes = own.map(({ beat, piece, velocity, semitones, beats }) => ({ beat, piece, velocity, semitones, beats }));
        const intent = /** @type {const} */ ({ kind: "keep_round", beats: shared.facts.order.beats });
        const done = view.isOver ? await session.submit({ ...intent, strokes, hand: held.name }) : await shared.change({ ...intent, strokes });
        // What could not be kept is tried again with what is played next.
        if (!done) for (const stroke of fresh) if (stroke.round === number) stroke.isKept = false;
        if (done) this.playedText = `Kept: ${strokes.length} stroke${strokes.length === 1 ? "" : "s"}.`;
      }
      return numbers.length;
    },

    /** What was played in the last 16 bars, though nothing was recorded. */
    async catchPlayed() {
      const { order, per_bar: perBar } = shared.facts;
      const last = log[log.length - 1];
      if (!last) {
        session.say("Nothing was played on the pads.");
        return;
      }
      recordedFrom = last.round - Math.max(0, Math.ceil((CAUGHT_BARS * perBar) / order.beats) - 1);
      if (!await this.keepRounds(Infinity)) session.say("All that was played is kept already.");
    },

    // ---- a round as the order

    /** @param {number} number */
    useRound(number) {
      this.usedRound = number;
      this.playRound();
    },

    playRound() {
      if (this.usedRound < 0) return;
      void shared.change({
        kind: "play_round", number: this.usedRound, step: Number(this.roundStep), strength: this.roundStrength / 100, feels: this.roundFeels,
      });
      this.showPlayed();
    },

    /** @param {string} step */
    setRoundStep(step) {
      this.roundStep = step;
      this.playRound();
    },

    /** @param {number} percent */
    setRoundStrength(percent) {
      this.roundStrength = percent;
      this.playRound();
    },

    toggleRoundFeels() {
      this.roundFeels = !this.roundFeels;
      this.playRound();
    },

    letRoundGo() {
      if (this.usedRound < 0) return;
      void shared.change({ kind: "let_round_go", number: this.usedRound });
      this.usedRound = -1;
    },

    // ---- what plays them beside keys

    /** @param {string} key */
    async chooseInput(key) {
      this.input = key;
      const trouble = await inputs.choose(key);
      this.inputs = inputs.known;
      if (!trouble) return;
      session.say(trouble, "error");
      this.input = "";
    },

    /** For tests: strokes as they were heard to fall. */
    strokes: () => log,
  });
};

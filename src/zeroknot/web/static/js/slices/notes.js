// @ts-check
/** A MIDI loop's own notes: added, moved, made longer, struck harder, let go, by pointer and by keys. */

import { getJson } from "../net/api.js";
import { section } from "../sections.js";
import { colours, layered } from "../ui/frames.js";
import { gesture } from "../ui/gesture.js";
import { beatOf, scrolled, zoomed } from "../ui/sight.js";
import { drawLanes, drawLanesHeard } from "./draw-lanes.js";
import { changedNote, laid, laneName, lanesOf, lineBefore, noteAt, notesIn, notesText, pitchAt, velocityAt } from "./lanes.js";
import { common } from "./model.js";

/** @typedef {import("../types.js").FitIntent} Intent */

const [LEFT, RIGHT] = [78, 18]; // pixels beside the lanes
const USUAL_VELOCITY = 96;
const NEW_SHARE = 1; // of the grid's step, that a new note is long

/** @param {import("./shared.js").Shared} shared */
export const notes = (shared) => {
  const { session, held, view } = shared;
  const { lanePicked: picked } = shared;
  let box = { width: 100, height: 100 };
  /** @type {[number, number] | null} */
  let sight = null;
  let looks = 0;
  /** Pitches that were played since the view was opened: lanes stay where they are while notes are moved. @type {Set<number>} */
  const used = new Set();
  let raised = 0; // lanes that are scrolled by
  /** @type {{by: number, semitones: number, longer: number, copies: boolean} | null} */
  let dragged = null;
  /** @type {[number, number, number, number] | null} */
  let frame = null;
  /** @type {[number, number, number, number] | null} */
  let line = null;

  const known = () => /** @type {import("./lanes.js").HandLanes} */ (shared.lanes);
  const seen = () => {
    const [from, to] = sight ?? [0, known().span];
    return { left: LEFT, width: Math.max(50, box.width - LEFT - RIGHT), from, to: Math.max(from + 0.01, to) };
  };
  const rows = () => lanesOf([...used], box.height, raised);

  return section(shared.whole, {
    lanes: false, showsNotes: false, notesSaid: "", noteVelocity: USUAL_VELOCITY, laneStep: "0.25", lanePart: 0, notesChosen: 0, notesOwn: false,
    laneParts: /** @type {{number: number, name: string}[]} */ ([]),

    startNotes() {
      if (held.hand.file_kind !== "midi") return;
      this.showsNotes = !shared.facts.is_cut;
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("notes"));
      view.scope.add(layered(canvas, () => { box = { width: canvas.clientWidth, height: canvas.clientHeight }; },
        { looks: () => [looks, sight, raised, [...picked], dragged, frame, line], draw: (c) => shared.lanes && drawLanes(c, this.laneScene(), colours()) },
        { looks: () => [this.beatHeard()], draw: (c) => shared.lanes && drawLanesHeard(c, this.laneScene(), colours()) }));
      view.scope.on(canvas, "pointerdown", (/** @type {PointerEvent} */ e) => this.pressNotes(e));
      view.scope.on(canvas, "pointermove", (/** @type {PointerEvent} */ e) => this.pointNotes(e));
      view.scope.on(canvas, "dblclick", (/** @type {MouseEvent} */ e) => this.pressNotesTwice(e));
      view.scope.on(canvas, "wheel", (/** @type {WheelEvent} */ e) => this.wheelNotes(e), { passive: false });
      void this.askLanes();
    },

    async askLanes() {
      if (held.hand.file_kind !== "midi") return;
      const found = await view.ask("lanes", (signal) => getJson(`${held.path}/lanes`, signal));
      if (!found || session.saving > 0) return;
      if (shared.lanes?.notes.length !== found.notes.length) picked.clear();
      shared.lanes = found;
      for (const { pitch } of found.notes) used.add(pitch);
      this.showNotes();
    },

    showNotes() {
      if (!shared.lanes) return;
      looks += 1;
      this.lanes = true;
      const which = [...picked].sort((a, b) => a - b);
      this.notesSaid = notesText(known(), which);
      this.notesChosen = which.length;
      this.notesOwn = known().is_own;
      this.noteVelocity = common(which.map((i) => known().notes[i]?.velocity ?? USUAL_VELOCITY), USUAL_VELOCITY);
      this.laneParts = known().parts.map((name, number) => ({ number, name: name || `part ${number + 1}` }));
    },

    /** @param {boolean} now the notes, or the slices */
    lookAtNotes(now) {
      this.showsNotes = now;
    },

    /** @returns {import("./draw-lanes.js").Scene} */
    laneScene() {
      const beat = this.beatHeard();
      return {
        sight: seen(), lanes: rows(), notes: known(), picked, metres: session.state.metres, dragged, frame, line, yarn: held.hand.yarn,
        heardBeat: beat === null ? null : beat % known().span,
      };
    },

    /** @param {WheelEvent} event */
    wheelNotes(event) {
      event.preventDefault();
      if (!shared.lanes) return;
      if (event.altKey) raised += event.deltaY < 0 ? 1 : -1;
      else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        const now = seen();
        sight = scrolled(now, known().span, ((event.deltaX || event.deltaY) / now.width) * (now.to - now.from));
      } else sight = zoomed(seen(), known().span, Math.exp(-event.deltaY / 300), beatOf(seen(), event.offsetX));
    },

    /** @param {PointerEvent} event */
    pointNotes(event) {
      if (!shared.lanes || dragged || frame || line) return;
      const found = noteAt(known(), seen(), rows(), event.offsetX, event.offsetY);
      /** @type {HTMLElement} */ (event.currentTarget).style.cursor = found.isEnd ? "ew-resize" : found.index >= 0 ? "grab" : "";
      const pitch = pitchAt(rows(), event.offsetY);
      this.dragText = found.index >= 0 ? notesText(known(), [found.index]) : pitch === null ? "" : laneName(pitch, known().drums.includes(this.lanePart));
    },

    /** @param {PointerEvent} event */
    pressNotes(event) {
      if (event.button !== 0 || !shared.lanes) return;
      const lanes = rows();
      if (event.offsetY >= lanes.foot - 4) return this.pressVelocities(event);
      const { index, isEnd } = noteAt(known(), seen(), lanes, event.offsetX, event.offsetY);
      const isMore = event.ctrlKey || event.metaKey;
      if (index < 0) return this.pressFrame(event, lanes);
      if (!picked.has(index) && !isMore && !event.shiftKey) this.pickNotes([index]);
      const now = seen();
      const note = known().notes[index];
      gesture(event, {
        moved: ({ dx, dy, alt, ctrl }) => {
          const step = alt ? 1 / 64 : Number(this.laneStep);
          const beats = (dx / now.width) * (now.to - now.from);
          const by = Math.round(beats / step) * step;
          dragged = isEnd ? { by: 0, semitones: 0, longer: by, copies: false } : { by, semitones: -Math.round(dy / lanes.height), longer: 0, copies: ctrl };
          this.dragText = isEnd ? `${Number((note.beats + by).toFixed(3))} beats` : `${ctrl ? "copy" : "move"} by ${Number(by.toFixed(3))} beats, ${dragged.semitones >= 0 ? "+" : "−"}${Math.abs(dragged.semitones)} st`;
        },
        done: () => {
          if (!dragged) return;
          const which = [...picked];
          if (dragged.longer) void this.changeNotes({ kind: "treat_notes", how: "lengthen", which, beats: dragged.longer });
          else if (dragged.by || dragged.semitones) void this.changeNotes({ kind: "move_notes", which, by: dragged.by, semitones: dragged.semitones, copies: dragged.copies });
        },
        tapped: () => {
          if (isMore || event.shiftKey) {
            if (!picked.delete(index)) picked.add(index);
            this.showNotes();
          } else this.pickNotes([index]);
        },
        ended: () => {
          dragged = null;
          this.dragText = "";
        },
      });
    },

    /** A frame around what is chosen. @param {PointerEvent} event @param {import("./lanes.js").Lanes} lanes */
    pressFrame(event, lanes) {
      const [x, y] = [event.offsetX, event.offsetY];
      const kept = event.shiftKey ? [...picked] : [];
      gesture(event, {
        moved: ({ dx, dy }) => {
          frame = [x, y, x + dx, y + dy];
          const pitches = [y, y + dy].map((at) => pitchAt(lanes, at) ?? (at < lanes.top ? 127 : 0));
          this.pickNotes([...kept, ...notesIn(known().notes, [beatOf(seen(), x), beatOf(seen(), x + dx)], [pitches[0], pitches[1]])]);
        },
        done: () => {},
        tapped: () => this.pickNotes(kept),
        ended: () => { frame = null; },
      });
    },

    /** A line of velocities. @param {PointerEvent} event */
    pressVelocities(event) {
      const lanes = rows();
      const [x, y] = [event.offsetX, event.offsetY];
      /** @type {number[]} */
      let which = [];
      gesture(event, {
        moved: ({ dx, dy }) => {
          line = [x, y, x + dx, y + dy];
          const [from, to] = [beatOf(seen(), x), beatOf(seen(), x + dx)].sort((a, b) => a - b);
          which = known().notes.flatMap((n, i) => (n.beat >= from - 1e-9 && n.beat <= to + 1e-9 ? [i] : []));
          this.dragText = `${which.length} notes from ${velocityAt(lanes, y)} to ${velocityAt(lanes, y + dy)}`;
        },
        done: ({ dx, dy }) => {
          const ends = [velocityAt(lanes, y), velocityAt(lanes, y + dy)];
          if (dx < 0) ends.reverse();
          if (which.length) void this.changeNotes({ kind: "treat_notes", how: "strike", which, first: ends[0], last: ends[1] });
        },
        ended: () => {
          line = null;
          this.dragText = "";
        },
      });
    },

    /** A note where there is none; one less where there is one. @param {MouseEvent} event */
    pressNotesTwice(event) {
      if (!shared.lanes) return;
      const lanes = rows();
      const { index } = noteAt(known(), seen(), lanes, event.offsetX, event.offsetY);
      if (index >= 0) return void this.changeNotes({ kind: "treat_notes", how: "remove", which: [index] });
      const pitch = pitchAt(lanes, event.offsetY);
      if (pitch !== null && event.offsetX >= LEFT) this.addNote(lineBefore(seen(), event.offsetX, Number(this.laneStep)), pitch);
    },

    /** @param {number} beat @param {number} pitch */
    addNote(beat, pitch) {
      const beats = NEW_SHARE * Number(this.laneStep);
      void this.changeNotes({ kind: "add_note", beat, beats, pitch, velocity: this.noteVelocity, part: this.lanePart });
    },

    /** One more after the last that is chosen, as high. */
    addNext() {
      const last = Math.max(-1, ...picked);
      const note = known().notes[last];
      if (note) this.addNote(note.beat + Number(this.laneStep), note.pitch);
      else this.addNote(0, 60);
    },

    /** @param {number[]} which */
    pickNotes(which) {
      picked.clear();
      for (const i of which) picked.add(i);
      this.showNotes();
    },

    /** @param {number} by */
    stepNote(by) {
      const count = known().notes.length;
      const last = [...picked].pop();
      if (count) this.pickNotes([last === undefined ? (by > 0 ? 0 : count - 1) : (last + by + count) % count]);
    },

    /** @param {number} beats @param {number} semitones */
    nudgeNotes(beats, semitones) {
      if (picked.size) void this.changeNotes({ kind: "move_notes", which: [...picked], by: beats * Number(this.laneStep), semitones });
    },

    /** @param {number} by steps */
    lengthenNotes(by) {
      if (picked.size) void this.changeNotes({ kind: "treat_notes", how: "lengthen", which: [...picked], beats: by * Number(this.laneStep) });
    },

    /** @param {number} value */
    setVelocity(value) {
      this.noteVelocity = value;
      if (picked.size) void this.changeNotes({ kind: "treat_notes", how: "strike", which: [...picked], first: value, last: value });
    },

    /** @param {"remove" | "grid" | "as_recorded"} how @param {Record<string, unknown>} [more] */
    treatNotes(how, more = {}) {
      if (how === "remove" && !picked.size) return;
      void this.changeNotes(/** @type {Intent} */ ({ kind: "treat_notes", how, which: [...picked], ...more }));
    },

    /** @param {string} step */
    setLaneStep(step) {
      this.laneStep = step;
    },

    /** What is asked next counts from this, whenever its answer comes. @param {Record<string, unknown>} intent */
    async changeNotes(intent) {
      const which = new Set(/** @type {number[]} */ (intent.which ?? []));
      const after = laid(known().notes.map((note, i) => ({ note: which.has(i) ? changedNote(note, intent) : note, isPicked: picked.has(i) })));
      shared.lanes = { ...known(), notes: after.map(({ note }) => note) };
      this.pickNotes(after.flatMap(({ isPicked }, i) => (isPicked ? [i] : [])));
      await shared.change(/** @type {Intent} */ (intent));
      await this.askLanes();
    },

    /** For tests: where a note lies on the canvas. @param {number} index */
    noteBoxOf: (index) => {
      const lanes = rows();
      const note = known().notes[index];
      const now = seen();
      const x = now.left + ((note.beat - now.from) / (now.to - now.from)) * now.width;
      return { x, y: lanes.top + (lanes.pitches[0] - note.pitch + 0.5) * lanes.height, width: (note.beats / (now.to - now.from)) * now.width, lane: lanes.height };
    },
    /** For tests. */
    lanesShown: () => shared.lanes,
    /** For tests. */
    laneRows: () => rows(),
  });
};

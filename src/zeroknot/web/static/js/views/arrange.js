// @ts-check
/** Arrange: tracks and their clips; place, move, copy, repeat, trim, remove; levels and mutes. */

import { timeControls } from "../arrange/time.js";
import { bars, db, gainOfDb, round } from "../format.js";
import { barLine, barsBetween, beatOfBar, onGrid, metreAt, pulsesBetween } from "../metre.js";
import { Scope } from "../scope.js";
import { fitted, palette, token, yarnColour } from "../ui/colours.js";
import { secondOfBeat } from "../loom/model.js";
import { bindKeys } from "../ui/keys.js";
import { drawWave, loudest, sourcePeaks } from "../ui/waves.js";
import { setCycle } from "./transport.js";

/** @typedef {import("../types.js").Clip} Clip */

const HEAD = 140;
const ZOOM_KEY = "zeroknot.arrange.beat";

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const arrange = (session, app) => () => {
  const scope = new Scope();
  let perBeat = Number(localStorage.getItem(ZOOM_KEY)) || 12;
  /** @type {{clip: Clip, mode: "move" | "length", startX: number, startY: number, beat: number,
   *   track: string, beats: number, moved: boolean, copy: boolean} | null} */
  let drag = null;
  const strandOf = (/** @type {string} */ id) => session.state.strands.find((s) => s.id === id);

  return {
    /** @type {any[]} */
    tracks: [],
    chosen: "",
    chosenTrack: "",
    clipName: "", clipPlace: "", clipLength: "", clipGain: 0, clipMuted: false, clipPasses: "",
    trackName: "", trackLevel: 0,
    masterLevel: 0,
    lengthText: "",
    isEmpty: false,
    width: 800,
    ...timeControls(session),

    init() {
      app.laneBeat = (clientX) => {
        const box = /** @type {HTMLElement} */ (document.querySelector(".field"));
        return Math.max(0, (clientX - box.getBoundingClientRect().left - HEAD + box.scrollLeft) / perBeat);
      };
      this.show();
      scope.add(session.watch(() => this.show()));
      scope.add(bindKeys("Arrange", [
        { key: "ArrowRight", does: "clip a pulse later", run: (e) => this.nudge(1, e) },
        { key: "ArrowLeft", does: "clip a pulse earlier", run: (e) => this.nudge(-1, e) },
        { key: "Shift+ArrowRight", does: "clip ten pulses later", run: (e) => this.nudge(10, e) },
        { key: "Shift+ArrowLeft", does: "clip ten pulses earlier", run: (e) => this.nudge(-10, e) },
        { key: "ArrowDown", does: "clip to the track below", run: () => this.shiftTrack(1) },
        { key: "ArrowUp", does: "clip to the track above", run: () => this.shiftTrack(-1) },
        { key: "D", does: "copy right after", run: () => this.copy() },
        { key: "R", does: "one pass more", run: () => this.repeat(1) },
        { key: "Shift+R", does: "one pass fewer", run: () => this.repeat(-1) },
        { key: "M", does: "mute clip", run: () => this.muteClip() },
        { key: "Delete or Backspace", does: "remove clip", run: () => this.remove() },
        { key: "Enter", does: "take the clip's strand in hand", run: () => this.takeInHand() },
        { key: "Escape", does: "let go", run: () => this.choose("") },
        { key: "+ or =", does: "closer", run: () => this.zoom(1.4) },
        { key: "-", does: "wider", run: () => this.zoom(1 / 1.4) },
      ]));
      const field = /** @type {HTMLElement} */ (document.getElementById("field"));
      scope.on(field, "wheel", (/** @type {WheelEvent} */ e) => {
        if (!e.ctrlKey) return;
        e.preventDefault();
        this.zoom(Math.exp(-e.deltaY / 300));
      }, { passive: false });
      scope.everyFrame(() => this.drawGrid());
      scope.everyFrame(() => this.showAdd());
    },

    destroy() {
      app.laneBeat = null;
      scope.end();
    },

    show() {
      const { state } = session;
      const beats = beatOfBar(state.metres, Math.max(16, state.last_bar + 4) + 1);
      this.width = Math.ceil(beats * perBeat);
      this.isEmpty = state.tracks.length === 0;
      this.masterLevel = state.master_db;
      this.tracks = state.tracks.map((t) => {
        const own = state.clips.filter((c) => c.track === t.id).sort((a, b) => a.beat - b.beat);
        return {
          ...t,
          yarn: strandOf(own[0]?.strand ?? "")?.yarn ?? 0,
          muteText: t.muted ? "muted" : "mute",
          clips: own.map((c) => this.shownClip(c)),
        };
      });
      if (!state.tracks.some((t) => t.id === this.chosenTrack)) this.chosenTrack = state.tracks[0]?.id ?? "";
      if (!state.clips.some((c) => c.id === this.chosen)) this.chosen = "";
      const last = barsBetween(state.metres, 0, state.end_beat);
      this.lengthText = state.clips.length ? bars(round(last, 2)) : "nothing placed yet";
      this.showSide();
      this.showTime();
      queueMicrotask(() => this.layOut());
    },

    /** @param {Clip} c */
    shownClip(c) {
      const strand = strandOf(c.strand);
      const ratio = strand?.duration_ratio ?? 1;
      return {
        ...c,
        name: strand?.name ?? "",
        yarn: strand?.yarn ?? 0,
        ringPath: `/api/loops/${strand?.loop}/ring.png?yarn=${strand?.yarn ?? 0}&v=${strand?.zero_s}-${strand?.end_s}`,
        label: `${strand?.name}, ${bars(round(barsBetween(session.state.metres, c.beat, c.beat + c.beats), 2))} from ${c.place}${strand?.follows === false ? ", in its own time" : ""}${c.muted ? ", muted" : ""}, ${ratio.toFixed(2)} times as long`,
        pressed: String(c.id === this.chosen),
      };
    },

    showSide() {
      const { state } = session;
      const clip = state.clips.find((c) => c.id === this.chosen);
      const track = state.tracks.find((t) => t.id === (clip?.track ?? this.chosenTrack));
      this.trackName = track?.name ?? "";
      this.trackLevel = track?.level_db ?? 0;
      if (track) this.chosenTrack = track.id;
      if (!clip) return;
      this.clipName = strandOf(clip.strand)?.name ?? "";
      this.clipPlace = clip.place;
      this.clipLength = bars(round(barsBetween(state.metres, clip.beat, clip.beat + clip.beats), 2));
      this.clipPasses = clip.is_whole ? `${clip.passes} ×` : "trimmed";
      this.clipGain = clip.gain_db;
      this.clipMuted = clip.muted;
    },

    /** Sizes and places, set from script: the page's policy lets no style stand in the markup. */
    layOut() {
      const lanes = document.getElementById("lanes");
      if (lanes) lanes.style.width = `${HEAD + this.width}px`;
      for (const element of document.querySelectorAll("[data-clip]")) {
        const clip = session.state.clips.find((c) => c.id === element.getAttribute("data-clip"));
        if (!clip || !(element instanceof HTMLElement)) continue;
        const shown = drag && drag.clip.id === clip.id ? { ...clip, beat: drag.beat, beats: drag.beats } : clip;
        const strand = strandOf(clip.strand);
        const colour = yarnColour(strand?.yarn ?? 0);
        element.style.left = `${shown.beat * perBeat}px`;
        element.style.width = `${Math.max(8, shown.beats * perBeat - 2)}px`;
        element.style.setProperty("--yarn", colour);
        this.drawClip(element, shown, strand);
      }
      for (const element of document.querySelectorAll("[data-track-yarn]")) {
        if (element instanceof HTMLElement) element.style.background = token(`yarn-${element.dataset.trackYarn}`);
      }
    },

    /** @param {HTMLElement} element @param {Clip} clip @param {import("../types.js").Strand | undefined} strand */
    async drawClip(element, clip, strand) {
      const canvas = element.querySelector("canvas");
      if (!canvas || !strand) return;
      try {
        const peaks = await sourcePeaks(strand.loop, strand.seconds > 60 ? 4096 : 512);
        const c = fitted(canvas);
        const [width, height] = [canvas.clientWidth, canvas.clientHeight];
        const rate = (peaks.values.length / 2) * peaks.bin / strand.seconds;
        const colour = yarnColour(strand.yarn);
        const pass = clip.pass_beats;
        drawWave(c, peaks, { x: 0, y: 0, width, height }, (x) => {
          const share = ((clip.slip + x / perBeat) % pass) / pass;
          return secondOfBeat(strand.shape, share * strand.span) * rate;
        }, colour, loudest(peaks));
        c.strokeStyle = palette().ink;
        c.globalAlpha = 0.55;
        c.setLineDash([2, 3]);
        for (let b = pass - (clip.slip % pass); b < clip.beats - 1e-6; b += pass) {
          c.beginPath();
          c.moveTo(b * perBeat, 0);
          c.lineTo(b * perBeat, height);
          c.stroke();
        }
        element.dataset.strain = strand.tempo_change_percent > 0.5 ? "taut" : strand.tempo_change_percent < -0.5 ? "slack" : "none";
      } catch {
        element.dataset.strain = "none";
      }
    },

    drawGrid() {
      const canvas = /** @type {HTMLCanvasElement | null} */ (document.getElementById("grid"));
      const field = document.getElementById("field");
      if (!canvas || !field) return;
      const c = fitted(canvas);
      const colours = palette();
      const { state } = session;
      const scroll = field.scrollLeft;
      const width = canvas.clientWidth;
      const height = canvas.clientHeight;
      c.font = "11px 'Spline Sans Mono Variable', monospace";
      c.save();
      c.beginPath();
      c.rect(HEAD, 0, width - HEAD, height);
      c.clip();
      const [from, to] = [Math.max(0, scroll / perBeat), (scroll + width) / perBeat];
      const named = new Set(pulsesBetween(state.metres, from, to, perBeat, 30).filter((p) => p.number === 1 && !p.part).map((p) => p.bar));
      const last = barLine(state.metres, to).bar + 1;
      for (let bar = barLine(state.metres, from).bar; bar <= last; bar += 1) {
        const x = Math.round(HEAD + beatOfBar(state.metres, bar) * perBeat - scroll) + 0.5;
        const isNamed = named.has(bar);
        const change = bar > 1 && state.metres.find((m) => m.bar === bar);
        c.strokeStyle = colours.line;
        c.globalAlpha = isNamed ? 1 : 0.5;
        c.beginPath();
        c.moveTo(x, isNamed ? 8 : 22);
        c.lineTo(x, height);
        c.stroke();
        c.globalAlpha = 1;
        c.fillStyle = colours.quiet;
        if (isNamed) c.fillText(`${bar}${change ? ` ${change.metre}` : ""}`, x + 4, 17);
      }
      const x = HEAD + Math.max(0, session.beat()) * perBeat - scroll;
      c.strokeStyle = c.fillStyle = colours.ink;
      c.beginPath();
      c.moveTo(x, 20);
      c.lineTo(x, height);
      c.stroke();
      c.beginPath();
      c.arc(x, 20, 4, 0, 2 * Math.PI);
      c.fill();
      c.restore();
    },

    /** @param {number} times */
    zoom(times) {
      perBeat = Math.max(1.5, Math.min(200, perBeat * times));
      localStorage.setItem(ZOOM_KEY, String(perBeat));
      this.show();
    },

    /** @param {PointerEvent} event */
    rulerDown(event) {
      const field = /** @type {HTMLElement} */ (document.getElementById("field"));
      const beat = (event.clientX - field.getBoundingClientRect().left - HEAD + field.scrollLeft) / perBeat;
      session.engine().song.go(Math.max(0, event.altKey ? beat : barLine(session.state.metres, beat).beat));
    },

    // ---- clips

    /** @param {string} id */
    choose(id) {
      this.chosen = id;
      for (const track of this.tracks) for (const c of track.clips) c.pressed = String(c.id === id);
      this.showSide();
    },

    /** @param {string} id */
    chooseTrack(id) {
      this.chosenTrack = id;
      this.chosen = "";
      this.choose("");
    },

    /** @param {PointerEvent} event @param {string} id */
    grab(event, id) {
      if (event.button !== 0) return;
      const clip = session.state.clips.find((c) => c.id === id);
      const element = /** @type {HTMLElement} */ (event.currentTarget);
      if (!clip) return;
      this.choose(id);
      const box = element.getBoundingClientRect();
      const mode = box.right - event.clientX < 9 && box.width > 24 ? "length" : "move";
      drag = {
        clip, mode, startX: event.clientX, startY: event.clientY, beat: clip.beat,
        track: clip.track, beats: clip.beats, moved: false, copy: event.ctrlKey,
      };
      const controller = new AbortController();
      const { signal } = controller;
      window.addEventListener("pointermove", (e) => this.dragTo(e), { signal });
      window.addEventListener("pointerup", () => {
        controller.abort();
        this.drop();
      }, { signal });
      window.addEventListener("pointercancel", () => {
        controller.abort();
        drag = null;
        this.layOut();
      }, { signal });
    },

    /** @param {PointerEvent} event */
    dragTo(event) {
      if (!drag) return;
      const by = (event.clientX - drag.startX) / perBeat;
      if (Math.abs(event.clientX - drag.startX) + Math.abs(event.clientY - drag.startY) > 4) drag.moved = true;
      const { metres } = session.state;
      /** @param {number} to */
      const settled = (to) => (event.altKey ? Math.round(to * 64) / 64 : onGrid(metres, to));
      if (drag.mode === "length") {
        const to = drag.clip.beat + drag.clip.beats + by;
        drag.beats = Math.max(1 / 64, settled(to) - drag.clip.beat);
      } else {
        drag.beat = Math.max(0, settled(Math.max(0, drag.clip.beat + by)));
        const lane = document.elementsFromPoint(event.clientX, event.clientY)
          .map((e) => e.closest("[data-lane]")).find(Boolean);
        drag.track = lane?.getAttribute("data-lane") ?? drag.track;
        for (const row of document.querySelectorAll("[data-lane]")) {
          row.classList.toggle("target", row.getAttribute("data-lane") === drag.track && drag.track !== drag.clip.track);
        }
      }
      this.layOut();
    },

    drop() {
      if (!drag) return;
      const { clip, mode, beat, beats, track, moved, copy } = drag;
      const finish = () => {
        drag = null;
        for (const row of document.querySelectorAll(".target")) row.classList.remove("target");
        this.show();
      };
      if (!moved) return finish();
      if (mode === "length") {
        const passes = beats / clip.pass_beats;
        const isWhole = clip.slip === 0 && Math.abs(passes - Math.round(passes)) < 1e-6 && passes >= 1;
        session.submit({
          kind: "change_clip", clip: clip.id, ...(isWhole ? { passes: Math.round(passes) } : { length: beats }),
        }).finally(finish);
      } else if (copy) session.submit({ kind: "copy_clips", clips: [clip.id], beat, track }).finally(finish);
      else session.submit({ kind: "move_clips", moves: [{ clip: clip.id, beat, track }] }).finally(finish);
    },

    /** @param {number} pulses @param {KeyboardEvent} event */
    nudge(pulses, event) {
      const clip = session.state.clips.find((c) => c.id === this.chosen);
      if (!clip) return;
      const step = event.altKey ? 1 / 16 : metreAt(session.state.metres, clip.beat).beats_per_pulse;
      const beat = Math.max(0, clip.beat + pulses * step);
      session.submit({ kind: "move_clips", moves: [{ clip: clip.id, beat, track: clip.track }] });
    },

    /** @param {number} by */
    shiftTrack(by) {
      const clip = session.state.clips.find((c) => c.id === this.chosen);
      const at = session.state.tracks.findIndex((t) => t.id === clip?.track);
      const track = session.state.tracks[at + by];
      if (clip && track) session.submit({ kind: "move_clips", moves: [{ clip: clip.id, beat: clip.beat, track: track.id }] });
    },

    async copy() {
      if (!this.chosen) return;
      const before = new Set(session.state.clips.map((c) => c.id));
      await session.submit({ kind: "copy_clips", clips: [this.chosen] });
      const made = session.state.clips.find((c) => !before.has(c.id));
      if (made) this.choose(made.id);
    },

    /** @param {number} by */
    async repeat(by) {
      await session.last; // what was asked before may choose another clip
      const clip = session.state.clips.find((c) => c.id === this.chosen);
      if (clip) session.submit({ kind: "change_clip", clip: clip.id, passes: Math.max(1, clip.passes + by) });
    },

    async muteClip() {
      await session.last; // what was asked before may choose another clip
      const clip = session.state.clips.find((c) => c.id === this.chosen);
      if (clip) session.submit({ kind: "change_clip", clip: clip.id, muted: !clip.muted });
    },

    async remove() {
      await session.last; // what was asked before may choose another clip
      if (this.chosen) session.submit({ kind: "remove_clips", clips: [this.chosen] });
    },

    /** @param {number} value */
    setClipGain(value) {
      if (this.chosen) session.submit({ kind: "change_clip", clip: this.chosen, gain_db: value });
    },

    cycleClip() {
      const clip = session.state.clips.find((c) => c.id === this.chosen);
      if (clip) setCycle(session, { from: clip.beat, to: clip.beat + clip.beats, on: true });
    },

    takeInHand() {
      const clip = session.state.clips.find((c) => c.id === this.chosen);
      if (clip) app.go(`/p/${session.state.id}/fit/${clip.strand}`);
    },

    // ---- tracks and master

    addTrack() {
      session.submit({ kind: "new_track", name: `Track ${session.state.tracks.length + 1}` });
    },

    removeTrack() {
      if (this.chosenTrack) session.submit({ kind: "remove_track", track: this.chosenTrack });
    },

    /** @param {string} id */
    mute(id) {
      const track = session.state.tracks.find((t) => t.id === id);
      if (track) session.submit({ kind: "change_track", track: id, muted: !track.muted });
    },

    /** @param {string} id */
    solo(id) {
      const track = session.state.tracks.find((t) => t.id === id);
      if (track) session.submit({ kind: "change_track", track: id, solo: !track.solo });
    },

    /** @param {string} text */
    renameTrack(text) {
      if (text.trim() && text !== this.trackName) session.submit({ kind: "change_track", track: this.chosenTrack, name: text.trim() });
    },

    /** While the bar is dragged: heard, not yet kept. @param {number} value */
    hearTrackLevel(value) {
      session.engine_?.mixer.setTrack(this.chosenTrack, gainOfDb(value));
    },

    /** @param {number} value */
    setTrackLevel(value) {
      session.submit({ kind: "change_track", track: this.chosenTrack, level_db: value });
    },

    /** @param {number} value */
    hearMaster(value) {
      session.engine_?.mixer.setMaster(gainOfDb(value));
    },

    /** @param {number} value */
    setMaster(value) {
      session.submit({ kind: "set_master", level_db: value });
    },

    /** @param {number} level */
    db,
  };
};

// @ts-check
/** Arrange: tracks and their clips; place, move, copy, repeat, trim, remove; levels and mutes. */

import { drawArrange } from "../arrange/draw.js";
import { arrangeKeys } from "../arrange/keys.js";
import { beatsShown, clipLabel, dragged, intentOf, LEAST_BEATS, manyMoved, modeAt, placeSaid } from "../arrange/model.js";
import { manyControls } from "../arrange/many.js";
import { mixControls } from "../arrange/mixing.js";
import { rangeControls } from "../arrange/ranges.js";
import { timeControls } from "../arrange/time.js";
import { trackControls } from "../arrange/tracks.js";
import { tryControls } from "../arrange/trying.js";
import { bars, round } from "../format.js";
import { barLine, barsBetween, metreAt } from "../metre.js";
import { token, yarnColour } from "../ui/colours.js";
import { gesture } from "../ui/gesture.js";
import { sayAt } from "../ui/ghost.js";
import { sourcePeaks } from "../ui/waves.js";
import { View } from "../view.js";
import { setCycle } from "../cycle.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("../arrange/model.js").Mode} Mode */
/** @typedef {import("../arrange/model.js").Place} Place */

const HEAD = 140;
const ZOOM_KEY = "zeroknot.arrange.beat";
const [WIDEST, CLOSEST] = [1.5, 200]; // pixels a beat
const LONG_SECONDS = 60; // from which on a recording is drawn from coarser peaks
const CURSORS = /** @type {Record<Mode, string>} */ ({ move: "grab", begin: "w-resize", end: "e-resize" });

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const arrange = (session, app) => () => {
  const view = new View(session, "Arrange");
  let perBeat = Number(localStorage.getItem(ZOOM_KEY)) || 12;
  /** What is dragged, where it would lie, and where those that are chosen with it would. @type {{clip: Clip, place: Place, along: Map<string, Place>} | null} */
  let drag = null;
  /** @type {Map<string, import("../ui/waves.js").Peaks>} */
  const peaks = new Map();
  /** @type {import("../arrange/draw.js").Lane[]} */
  let lanes = [];
  let looks = 0; // rises when what is drawn changes in a way that nothing else tells
  const strandOf = (/** @type {string} */ id) => session.state.strands.find((s) => s.id === id);
  const fieldBox = () => /** @type {HTMLElement} */ (document.getElementById("field"));

  return {
    /** @type {any[]} */
    tracks: [],
    clipName: "", clipPlace: "", clipLength: "", clipGain: 0, clipShift: 0, clipMuted: false, clipPasses: "", clipShared: false, clipTrouble: "",
    lengthText: "",
    isEmpty: false,
    ...tryControls(view, session),
    ...rangeControls(session, app, view),
    ...manyControls(view, session),
    ...mixControls(view, session),
    ...trackControls(session, app),
    ...timeControls(session),

    init() {
      const field = fieldBox();
      app.laneBeat = (clientX) => this.beatAt(clientX);
      app.lanePerBeat = () => perBeat;
      view.watch(() => this.show());
      view.keys(arrangeKeys(this));
      void this.resumeMix();
      view.scope.on(field, "wheel", (/** @type {WheelEvent} */ e) => {
        if (!e.ctrlKey) return;
        e.preventDefault();
        this.zoom(Math.exp(-e.deltaY / 300), e.clientX);
      }, { passive: false });
      view.scope.onResize(field, () => this.layOut());
      view.scope.onResize(/** @type {HTMLElement} */ (document.getElementById("lanes")), () => this.layOut());
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("grid"));
      view.picture(canvas, () => [
        session.state.moves, perBeat, field.scrollLeft, field.scrollTop, this.chosen, this.others.length, drag?.place, peaks.size, looks,
      ], (c, sheet) => drawArrange(c, sheet, {
        state: session.state, perBeat, head: HEAD, scrollX: field.scrollLeft, scrollY: field.scrollTop, lanes,
        shown: this.shownClips(), chosen: new Set(this.picks()), peaks, strands: new Map(session.state.strands.map((s) => [s.id, s])),
      }));
      view.eachFrame(() => this.movePlayhead());
      view.eachFrame(() => this.showAdd());
      view.eachFrame(() => this.showBars());
    },

    destroy() {
      app.laneBeat = null;
      view.end();
    },

    show() {
      const { state } = session;
      this.isEmpty = state.tracks.length === 0;
      this.tracks = state.tracks.map((t) => {
        const own = state.clips.filter((c) => c.track === t.id).sort((a, b) => a.beat - b.beat);
        return { ...t, yarn: strandOf(own[0]?.strand ?? "")?.yarn ?? 0, clips: own.map((c) => this.shownClip(c)) };
      });
      [this.chosen = "", ...this.others] = this.picks();
      const last = barsBetween(state.metres, 0, state.end_beat);
      this.lengthText = state.clips.length ? bars(round(last, 2)) : "nothing placed yet";
      this.showTracks();
      this.showSide();
      this.showTime();
      this.loadPeaks();
      queueMicrotask(() => this.layOut());
    },

    /** @param {Clip} c */
    shownClip(c) {
      const strand = strandOf(c.strand);
      return {
        ...c,
        name: strand?.name ?? "",
        ringPath: `/api/loops/${strand?.loop}/ring.png?yarn=${strand?.yarn ?? 0}&start=${strand?.zero_s}&end=${strand?.end_s}`,
        label: clipLabel(c, strand, session.state),
        pressed: String(this.isPicked(c.id)),
      };
    },

    /** Clips as they lie, the dragged one where it is dragged to. */
    shownClips() {
      return session.state.clips.map((c) => {
        const place = drag?.clip.id === c.id ? drag.place : drag?.along.get(c.id);
        return place ? { ...c, ...place } : c;
      });
    },

    mixDown() {
      return this.mixDownOf(this.rangeOf());
    },

    showSide() {
      const { state } = session;
      const clip = this.chosenClip();
      if (clip) this.chooseTrackOf(clip.track);
      this.showTrack();
      this.showRange();
      this.showPicked();
      if (!clip) return;
      this.clipName = strandOf(clip.strand)?.name ?? "";
      this.clipPlace = clip.place;
      this.clipLength = bars(round(barsBetween(state.metres, clip.beat, clip.beat + clip.beats), 2));
      this.clipPasses = clip.is_whole ? `${clip.passes} ×` : "trimmed";
      this.clipTrouble = clip.trouble ? `It is silent: ${clip.trouble}.` : "";
      this.clipGain = clip.gain_db;
      this.clipShift = clip.shift;
      this.clipOpens = strandOf(clip.strand)?.opens ?? false;
      [this.clipFadeIn, this.clipFadeOut] = [clip.fade_in_ms, clip.fade_out_ms];
      this.clipMuted = clip.muted;
      this.clipShared = state.clips.some((c) => c.id !== clip.id && c.strand === clip.strand);
    },

    chosenClip() {
      return session.state.clips.find((c) => c.id === this.chosen);
    },

    loadPeaks() {
      for (const { loop, seconds } of session.state.strands) {
        if (peaks.has(loop)) continue;
        sourcePeaks(loop, seconds > LONG_SECONDS ? 4096 : 512).then((found) => peaks.set(loop, found), () => undefined);
      }
    },

    /** Sizes and places, set from script: the page's policy lets no style stand in the markup. */
    layOut() {
      const box = document.getElementById("lanes");
      if (!box || view.isOver) return;
      box.style.setProperty("--field", `${fieldBox().clientWidth}px`);
      box.style.width = `${HEAD + Math.ceil(beatsShown(session.state) * perBeat)}px`;
      const shown = new Map(this.shownClips().map((c) => [c.id, c]));
      for (const element of box.querySelectorAll("[data-clip]")) {
        const clip = shown.get(element.getAttribute("data-clip") ?? "");
        if (!clip || !(element instanceof HTMLElement)) continue;
        element.style.left = `${clip.beat * perBeat}px`;
        element.style.width = `${Math.max(8, clip.beats * perBeat - 2)}px`;
        element.style.setProperty("--yarn", yarnColour(strandOf(clip.strand)?.yarn ?? 0));
      }
      for (const element of box.querySelectorAll("[data-track-yarn]")) {
        if (element instanceof HTMLElement) element.style.background = token(`yarn-${element.dataset.trackYarn}`);
      }
      lanes = [...box.querySelectorAll("[data-lane]")].map((lane) => ({
        id: lane.getAttribute("data-lane") ?? "", top: box.offsetTop + /** @type {HTMLElement} */ (lane).offsetTop, height: lane.querySelector(".clips")?.clientHeight ?? 0,
      }));
      looks += 1;
    },

    movePlayhead() {
      const line = document.getElementById("playhead");
      if (!line) return;
      const x = HEAD + Math.max(0, session.beat()) * perBeat - fieldBox().scrollLeft;
      line.style.transform = `translateX(${x}px)`;
      line.hidden = x < HEAD;
    },

    /** Closer or wider, around a point or the middle. @param {number} times @param {number} [clientX] */
    zoom(times, clientX) {
      const field = fieldBox();
      const x = (clientX ?? field.getBoundingClientRect().left + (field.clientWidth + HEAD) / 2) - field.getBoundingClientRect().left - HEAD;
      const beat = (field.scrollLeft + x) / perBeat;
      perBeat = Math.max(WIDEST, Math.min(CLOSEST, perBeat * times));
      localStorage.setItem(ZOOM_KEY, String(perBeat));
      this.layOut();
      field.scrollLeft = beat * perBeat - x;
    },

    /** @param {number} clientX */
    beatAt(clientX) {
      const field = fieldBox();
      return Math.max(0, (clientX - field.getBoundingClientRect().left - HEAD + field.scrollLeft) / perBeat);
    },

    /** @param {PointerEvent} event */
    rulerDown(event) {
      const beat = this.beatAt(event.clientX);
      session.engine().song.go(event.altKey ? beat : barLine(session.state.metres, beat).beat);
    },

    // ---- clips

    /** @param {string} id */
    choose(id) {
      if (id !== this.chosen) this.keepTried();
      // One of those that are chosen: they stay, it is the first of them.
      this.others = this.isPicked(id) ? this.picks().filter((one) => one !== id) : [];
      this.chosen = id;
      this.showChosen();
    },

    /** Beside those that are chosen, or no more. @param {string} id */
    chooseToo(id) {
      const picks = this.picks();
      const left = picks.includes(id) ? picks.filter((one) => one !== id) : [id, ...picks];
      [this.chosen = "", ...this.others] = left;
      this.showChosen();
    },

    showChosen() {
      for (const track of this.tracks) for (const c of track.clips) c.pressed = String(this.isPicked(c.id));
      this.showSide();
    },

    /** @param {string} id */
    chooseTrack(id) {
      this.chooseTrackOf(id);
      this.choose("");
    },

    /** The pointer says what a press there will do. @param {PointerEvent} event */
    hover(event) {
      const element = /** @type {HTMLElement} */ (event.currentTarget);
      if (!drag) element.style.cursor = CURSORS[modeAt(element.getBoundingClientRect(), event.clientX)];
    },

    /** @param {PointerEvent} event @param {string} id */
    grab(event, id) {
      const clip = session.state.clips.find((c) => c.id === id);
      if (event.button !== 0 || !clip) return;
      if (event.shiftKey) return this.chooseToo(id);
      this.choose(id);
      const element = /** @type {HTMLElement} */ (event.currentTarget);
      const mode = modeAt(element.getBoundingClientRect(), event.clientX);
      gesture(event, {
        moved: (move) => {
          const track = mode === "move" ? laneUnder(move.x, move.y) ?? clip.track : clip.track;
          const place = dragged(clip, mode, move.dx / perBeat, track, session.state, move.alt);
          drag = { clip, place, along: mode === "move" ? this.along(clip, place) : new Map() };
          sayAt(move, placeSaid(place, mode, session.state));
          this.markTarget(track === clip.track ? null : track);
          this.layOut();
        },
        done: ({ ctrl }) => {
          const asked = drag && (drag.along.size ? manyMoved(clip, drag.place, drag.along, ctrl) : intentOf(clip, drag.place, mode, ctrl));
          // It lies where it was dropped until the answer is there.
          if (asked) void view.intent(asked).finally(() => this.letDragGo());
          else this.letDragGo();
        },
        ended: (isDone) => {
          sayAt(null, "");
          this.markTarget(null);
          if (!isDone) this.letDragGo();
        },
      });
    },

    letDragGo() {
      drag = null;
      if (!view.isOver) this.show();
    },

    /** @param {string | null} track */
    markTarget(track) {
      for (const row of document.querySelectorAll("[data-lane]")) {
        row.classList.toggle("target", row.getAttribute("data-lane") === track);
      }
    },

    /** @param {number} pulses @param {boolean} isFine */
    async nudge(pulses, isFine) {
      const clip = await this.settled();
      if (!clip) return;
      const pulse = metreAt(session.state.metres, clip.beat).beats_per_pulse;
      const beat = Math.max(0, clip.beat + pulses * (isFine ? pulse / 16 : pulse));
      const place = { ...clip, beat };
      void view.intent(manyMoved(clip, place, this.along(clip, place), false));
    },

    /** @param {"begin" | "end"} edge @param {number} pulses */
    async trim(edge, pulses) {
      const clip = await this.settled();
      if (!clip) return;
      const by = pulses * metreAt(session.state.metres, clip.beat).beats_per_pulse;
      if (edge === "end" && clip.beats + by < LEAST_BEATS) return;
      const place = dragged(clip, edge, by, clip.track, session.state, true);
      const asked = intentOf(clip, place, edge, false);
      if (asked) void view.intent(asked);
    },

    /** @param {number} by */
    async shiftTrack(by) {
      const clip = await this.settled();
      const at = session.state.tracks.findIndex((t) => t.id === clip?.track);
      const track = session.state.tracks[at + by];
      if (!clip || !track) return;
      const place = { ...clip, track: track.id };
      void view.intent(manyMoved(clip, place, this.along(clip, place), false));
    },

    /** The chosen clip once all that was asked before is done: it may choose another. */
    async settled() {
      await session.settled();
      return this.chosenClip();
    },

    async copy() {
      const clip = await this.settled();
      if (!clip) return;
      const before = new Set(session.state.clips.map((c) => c.id));
      if (!await view.intent({ kind: "copy_clips", clips: this.picks() })) return;
      const [made, ...more] = session.state.clips.filter((c) => !before.has(c.id));
      if (!made) return;
      [this.chosen, this.others] = [made.id, more.map((c) => c.id)];
      this.showChosen();
      // What keys act on next is what is focused.
      requestAnimationFrame(() => /** @type {HTMLElement | null} */ (document.querySelector(`[data-clip="${made.id}"]`))?.focus());
    },

    /** @param {number} by */
    async repeat(by) {
      const clip = await this.settled();
      if (clip) void view.intent({ kind: "change_clip", clip: clip.id, passes: Math.max(1, clip.passes + by) });
    },

    /** @param {"next" | "end"} to */
    async repeatTo(to) {
      const clip = await this.settled();
      if (clip) void view.intent({ kind: "repeat_clip", clip: clip.id, to });
    },

    async separate() {
      const clip = await this.settled();
      if (clip) void view.intent({ kind: "separate_clip", clip: clip.id });
    },

    async remove() {
      await session.settled();
      const clips = this.picks();
      if (clips.length) void view.intent({ kind: "remove_clips", clips });
    },

    cycleClip() {
      const clip = this.chosenClip();
      if (clip) setCycle(session, { from: clip.beat, to: clip.beat + clip.beats, on: true });
    },

    toCoil() {
      const first = document.querySelector("#coil [data-coil-keys] .coil-name, #coil .coil-head button");
      if (first instanceof HTMLElement) first.focus();
    },

    takeInHand() {
      const clip = this.chosenClip();
      if (clip) app.go(`/p/${session.state.id}/fit/${clip.strand}`);
    },
  };
};

/** The track under a point. @param {number} x @param {number} y */
function laneUnder(x, y) {
  const lane = document.elementsFromPoint(x, y).map((e) => e.closest("[data-lane]")).find(Boolean);
  return lane?.getAttribute("data-lane") ?? null;
}

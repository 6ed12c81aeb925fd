// @ts-check
/** Arrange: tracks and their clips; place, move, copy, repeat, trim, remove; levels and mutes. */

import { drawArrange, drawRuler, RULER } from "../arrange/draw.js";
import { arrangeKeys } from "../arrange/keys.js";
import { ClipButtons } from "../arrange/clip-buttons.js";
import { clipboardControls } from "../arrange/clipboard.js";
import { dragControls } from "../arrange/dragging.js";
import { gridControls } from "../arrange/grid.js";
import { beatsShown, dragged, gridStep, intentOf, LEAST_BEATS, manyMoved } from "../arrange/model.js";
import { manyControls } from "../arrange/many.js";
import { mixControls } from "../arrange/mixing.js";
import { rangeControls } from "../arrange/ranges.js";
import { phraseControls } from "../arrange/phrases.js";
import { Rings } from "../arrange/rings.js";
import { shapeControls } from "../arrange/shaping.js";
import { timeControls } from "../arrange/time.js";
import { trackControls } from "../arrange/tracks.js";
import { tryControls } from "../arrange/trying.js";
import { bars, round } from "../format.js";
import { barLine, barsBetween } from "../metre.js";
import { token } from "../ui/colours.js";
import { scrolledPicture } from "../ui/scrolled.js";
import { sourcePeaks } from "../ui/waves.js";
import { View } from "../view.js";
import { setCycle } from "../cycle.js";

/** @typedef {import("../types.js").Clip} Clip */

const HEAD = 140;
const ZOOM_KEY = "zeroknot.arrange.beat";
const ZOOM_MS = 90; // after which what was brought closer stands
const SEEN_STEP = 200; // pixels of scrolling after which it is looked which clips are to be seen
const [WIDEST, CLOSEST] = [1.5, 200]; // pixels a beat
const LONG_SECONDS = 60; // from which on a recording is drawn from coarser peaks

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const arrange = (session, app) => () => {
  const view = new View(session, "Arrange");
  let perBeat = Number(localStorage.getItem(ZOOM_KEY)) || 12;
  /** @type {Map<string, import("../ui/waves.js").Peaks>} */
  const peaks = new Map();
  /** @type {import("../arrange/draw.js").Lane[]} */
  let lanes = [];
  const rings = new Rings();
  /** @type {ClipButtons | null} */
  let buttons = null;
  let looks = 0; // rises when what is drawn changes in a way that nothing else tells
  const strandOf = (/** @type {string} */ id) => session.state.strands.find((s) => s.id === id);
  const fieldBox = () => /** @type {HTMLElement} */ (document.getElementById("field"));

  /** How far it is scrolled while it is brought closer: rows and buttons follow when that is over. @type {{x: number, timer: number} | null} */
  let zooming = null;
  const place = () => ({ x: Math.round(zooming?.x ?? fieldBox().scrollLeft), y: Math.round(fieldBox().scrollTop) });
  /** Beats of the grid; undefined for pulses. @type {() => number | undefined} */
  let step = () => undefined;

  return {
    /** @type {any[]} */
    tracks: [],
    clipName: "", clipPlace: "", clipLength: "", clipGain: 0, clipShift: 0, clipMuted: false, clipPasses: "", clipShared: false, clipTrouble: "",
    lengthText: "",
    isEmpty: false,
    ...dragControls(view, session, { perBeat: () => perBeat, step: () => step() }),
    ...gridControls(),
    ...shapeControls(view, session),
    ...phraseControls(view, session),
    ...clipboardControls(view, session),
    ...tryControls(view, session),
    ...rangeControls(session, app, view),
    ...manyControls(view, session),
    ...mixControls(view, session),
    ...trackControls(session, app),
    ...timeControls(session),

    init() {
      const field = fieldBox();
      step = () => this.gridBeats();
      app.laneBeat = (clientX) => this.beatAt(clientX);
      app.lanePerBeat = () => perBeat;
      app.laneScroll = () => place().x;
      view.scope.on(field, "pointerdown", () => this.settleZoom(), { capture: true });
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
      const scene = () => ({
        state: session.state, perBeat, head: HEAD, scrollX: place().x, scrollY: place().y, isRough: zooming !== null, lanes, shown: this.shownClips(), chosen: new Set(this.picks()), peaks, rings,
        showsGain: this.showsGain, strands: new Map(session.state.strands.map((s) => [s.id, s])), phrases: new Map(session.state.phrases.map((p) => [p.id, p])),
      });
      view.scope.add(scrolledPicture(canvas, {
        looks: () => [session.state.moves, perBeat, zooming !== null, this.chosen, this.others.length, this.isDragging(), peaks.size, looks, rings.count, this.showsGain],
        place,
        body: ({ width, height }) => ({ left: HEAD, top: RULER, right: width, bottom: height }),
        draw: (c, sheet, region) => drawArrange(c, sheet, scene(), region),
        still: (c, sheet) => drawRuler(c, sheet, scene()),
      }));
      buttons = new ClipButtons(/** @type {HTMLElement} */ (document.getElementById("lanes")), () => session.state, {
        grab: (event, id) => this.grab(event, id), hover: (event) => this.hover(event), choose: (id) => this.choose(id), twice: (event, id) => this.twice(event, id),
      });
      let seen = "";
      view.eachFrame(() => {
        const now = `${Math.round(field.scrollLeft / SEEN_STEP)} ${Math.round(field.scrollTop / SEEN_STEP)}`;
        if (now !== seen) this.showButtons();
        seen = now;
      });
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
      const isOther = this.showRows() || JSON.stringify(this.sections) !== JSON.stringify(state.sections);
      const was = this.chosen;
      [this.chosen = "", ...this.others] = this.picks();
      // What was chosen went, as by an undo: keys act on what is focused.
      if (was && !this.chosen) this.chosen = document.activeElement?.getAttribute("data-clip") ?? "";
      const last = barsBetween(state.metres, 0, state.end_beat);
      this.lengthText = state.clips.length ? bars(round(last, 2)) : "nothing placed yet";
      this.showTracks();
      this.showSide();
      this.showTime();
      this.loadPeaks();
      queueMicrotask(() => (isOther ? this.layOut() : this.redraw()));
    },

    /** What lies on the rows is other; these are as they were. */
    redraw() {
      if (view.isOver) return;
      this.widen();
      this.showButtons();
      looks += 1;
    },

    /** Heads of tracks; those that are as they were stay the same objects, and nothing of them is looked at again. */
    showRows() {
      /** @type {Map<string, Clip>} */
      const first = new Map();
      for (const c of session.state.clips) if (c.beat < (first.get(c.track)?.beat ?? Infinity)) first.set(c.track, c);
      const rows = session.state.tracks.map(({ id, name, muted, solo, yarn }) => ({ id, name, muted, solo, yarn: yarn ?? strandOf(first.get(id)?.strand ?? "")?.yarn ?? 0 }));
      const isOther = JSON.stringify(rows) !== JSON.stringify(this.tracks);
      if (isOther) this.tracks = rows;
      return isOther;
    },

    /** Buttons of the clips that are to be seen. */
    showButtons() {
      const field = fieldBox();
      const focused = document.activeElement?.getAttribute("data-clip");
      buttons?.show({
        clips: this.shownClips(), lanes, perBeat, left: field.scrollLeft, top: field.scrollTop, width: field.clientWidth, height: field.clientHeight,
        stays: new Set(focused ? [focused] : []), chosen: (id) => this.isPicked(id),
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
      this.showPhrase();
      if (!clip) return;
      this.clipName = clip.name ?? strandOf(clip.strand)?.name ?? "";
      this.clipPlace = clip.place;
      this.clipLength = bars(round(barsBetween(state.metres, clip.beat, clip.beat + clip.beats), 2));
      this.clipPasses = clip.is_whole ? `${clip.passes} ×` : "trimmed";
      this.clipTrouble = clip.trouble ? `It is silent: ${clip.trouble}.` : "";
      this.clipGain = clip.gain_db;
      this.clipShift = clip.shift;
      this.clipOpens = strandOf(clip.strand)?.opens ?? false;
      this.showShape(clip);
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
      this.widen();
      for (const element of document.querySelectorAll("[data-track-yarn], [data-dye]")) {
        if (element instanceof HTMLElement) element.style.background = token(`yarn-${element.dataset.trackYarn ?? element.dataset.dye}`);
      }
      lanes = [...box.querySelectorAll("[data-lane]")].map((lane) => ({
        id: lane.getAttribute("data-lane") ?? "", top: box.offsetTop + /** @type {HTMLElement} */ (lane).offsetTop, height: lane.querySelector(".clips")?.clientHeight ?? 0,
      }));
      this.showButtons();
      looks += 1;
    },

    /** As wide as the song is. */
    widen() {
      const box = document.getElementById("lanes");
      if (box) box.style.width = `${HEAD + Math.ceil(beatsShown(session.state) * perBeat)}px`;
    },

    movePlayhead() {
      const line = document.getElementById("playhead");
      if (!line) return;
      const x = HEAD + Math.max(0, session.beat()) * perBeat - place().x;
      line.style.transform = `translateX(${x}px)`;
      line.hidden = x < HEAD;
    },

    /** Closer or wider, around a point or the middle. @param {number} times @param {number} [clientX] */
    zoom(times, clientX) {
      const field = fieldBox();
      const x = (clientX ?? field.getBoundingClientRect().left + (field.clientWidth + HEAD) / 2) - field.getBoundingClientRect().left - HEAD;
      const beat = (place().x + x) / perBeat;
      perBeat = Math.max(WIDEST, Math.min(CLOSEST, perBeat * times));
      const most = HEAD + beatsShown(session.state) * perBeat - field.clientWidth;
      clearTimeout(zooming?.timer);
      zooming = { x: Math.max(0, Math.min(most, beat * perBeat - x)), timer: window.setTimeout(() => this.settleZoom(), ZOOM_MS) };
    },

    /** Rows and buttons are as close as what is drawn. */
    settleZoom() {
      if (!zooming) return;
      const { x, timer } = zooming;
      clearTimeout(timer);
      zooming = null;
      localStorage.setItem(ZOOM_KEY, String(perBeat));
      if (view.isOver) return;
      this.widen();
      fieldBox().scrollLeft = x;
      this.showButtons();
    },

    /** @param {number} clientX */
    beatAt(clientX) {
      const field = fieldBox();
      return Math.max(0, (clientX - field.getBoundingClientRect().left - HEAD + place().x) / perBeat);
    },

    /** @param {PointerEvent} event */
    rulerDown(event) {
      const beat = this.beatAt(event.clientX);
      session.engine().song.go(event.altKey ? beat : barLine(session.state.metres, beat).beat);
    },

    // ---- clips

    /** @param {string} id */
    choose(id) {
      if (id !== this.chosen) void this.keepTried();
      // One of those that are chosen: they stay, it is the first of them. Else its phrase is chosen with it.
      const all = this.isPicked(id) ? this.picks() : id ? this.withPhrase(id) : [];
      this.others = all.filter((one) => one !== id);
      this.chosen = id;
      this.showChosen();
    },

    /** It alone, whatever it belongs to. @param {string} id */
    chooseOne(id) {
      [this.chosen, this.others] = [id, []];
      this.showChosen();
    },

    /** Beside those that are chosen, or no more. @param {string} id */
    chooseToo(id) {
      const picks = this.picks();
      const meant = this.withPhrase(id);
      const rest = picks.filter((one) => !meant.includes(one));
      const left = picks.includes(id) ? rest : [...meant, ...rest];
      [this.chosen = "", ...this.others] = left;
      this.showChosen();
    },

    showChosen() {
      buttons?.press((id) => this.isPicked(id));
      this.showSide();
    },

    /** @param {string} id */
    chooseTrack(id) {
      this.chooseTrackOf(id);
      this.choose("");
    },

    /** @param {number} pulses @param {boolean} isFine */
    async nudge(pulses, isFine) {
      const clip = await this.settled();
      if (!clip) return;
      const way = gridStep(session.state, clip.beat, step());
      const beat = Math.max(0, clip.beat + pulses * (isFine ? way / 16 : way));
      const place = { ...clip, beat };
      void view.intent(manyMoved(clip, place, this.along(clip, place), false, this.carries));
    },

    /** @param {"begin" | "end"} edge @param {number} pulses */
    async trim(edge, pulses) {
      const clip = await this.settled();
      if (!clip) return;
      const by = pulses * gridStep(session.state, clip.beat, step());
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
      void view.intent(manyMoved(clip, place, this.along(clip, place), false, this.carries));
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
      requestAnimationFrame(() => buttons?.focus(made.id));
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

// @ts-check
/** A clip under the pointer: moved, its edges trimmed, its fades and the points of its gain line dragged. */

import { bpmAt, onGrid } from "../metre.js";
import { gesture } from "../ui/gesture.js";
import { sayAt } from "../ui/ghost.js";
import { dragged, gridStep, intentOf, manyMoved, modeAt, placeSaid } from "./model.js";
import { fadeAt, fadedBy, gainOf, pixelsOf, pointAt, withDragged, withPressed } from "./shape-model.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("./model.js").Mode} Mode */
/** @typedef {import("./model.js").Place} Place */
/** How a clip is while it is dragged. @typedef {Partial<Clip>} Shown */

const CURSORS = /** @type {Record<Mode, string>} */ ({ move: "grab", begin: "w-resize", end: "e-resize" });

/**
 * @param {import("../view.js").View} view @param {import("../session.js").Session} session
 * @param {{perBeat: () => number, step: () => number | undefined}} field
 */
export const dragControls = (view, session, field) => {
  /** What is dragged, how it is shown, and where those that are chosen with it would lie. @type {{clip: Clip, shown: Shown, along: Map<string, Place>} | null} */
  let drag = null;
  /** Where the pointer was over a clip last. @type {{clip: string, x: number} | null} */
  let over = null;
  const clipOf = (/** @type {string} */ id) => session.state.clips.find((c) => c.id === id);
  /** @param {Clip} clip */
  const fadesOf = (clip) => {
    const { tempo_line: line } = session.state;
    const pixels = (/** @type {number} */ ms, /** @type {number} */ beat) => pixelsOf(ms, bpmAt(line, beat), field.perBeat());
    return { in: pixels(clip.fade_in_ms, clip.beat), out: pixels(clip.fade_out_ms, clip.beat + clip.beats) };
  };

  return {
    // As the view, or what is laid over this, has them.
    isPicked: (/** @type {string} */ _id) => false,
    /** @param {import("../types.js").Intent} _intent @returns {Promise<string[]>} */
    cutAs: async (_intent) => [],
    chosen: "", showsGain: false, carries: false,
    /** @returns {string[]} */
    picks: () => [],
    /** @param {Clip} _clip @param {Place} _place @returns {Map<string, Place>} */
    along: (_clip, _place) => new Map(),
    choose: (/** @type {string} */ _id) => {},
    chooseToo: (/** @type {string} */ _id) => {},
    chooseOne: (/** @type {string} */ _id) => {},
    takeInHand: () => {},
    beatAt: (/** @type {number} */ _clientX) => 0,
    layOut: () => {},
    show: () => {},

    isDragging: () => drag?.shown ?? null,

    /** Clips as they lie, the dragged one as it is dragged. @returns {Clip[]} */
    shownClips() {
      return session.state.clips.map((c) => {
        const shown = drag?.clip.id === c.id ? drag.shown : drag?.along.get(c.id);
        return shown ? { ...c, ...shown } : c;
      });
    },

    /** The pointer says what a press there will do. @param {PointerEvent} event */
    hover(event) {
      const element = /** @type {HTMLElement} */ (event.currentTarget);
      const clip = clipOf(element.dataset.clip ?? "");
      over = clip ? { clip: clip.id, x: event.clientX } : null;
      if (drag || !clip) return;
      const box = element.getBoundingClientRect();
      const isPoint = this.showsGain && pointAt(clip, box, event.clientX, event.clientY, field.perBeat()) >= 0;
      const isFade = fadeAt(box, event.clientX, event.clientY, fadesOf(clip));
      element.style.cursor = isPoint ? "ns-resize" : isFade ? "ew-resize" : CURSORS[modeAt(box, event.clientX)];
    },

    /** The clip under the pointer, and the beat of the song there. @returns {{clip: string, beat: number} | null} */
    pointed() {
      const element = over && document.querySelector(`[data-clip="${over.clip}"]:hover`);
      const clip = over && element ? clipOf(over.clip) : null;
      if (!clip || !over) return null;
      const beat = this.beatAt(over.x);
      const step = field.step();
      return { clip: clip.id, beat: step === 0 ? beat : onGrid(session.state.metres, beat, step && gridStep(session.state, beat, step)) };
    },

    /** Where the pointer is over a clip. */
    async splitAtPointer() {
      await session.settled();
      const at = this.pointed();
      if (!at) return session.say("Bring the pointer over a clip to cut it there.");
      const clips = this.isPicked(at.clip) ? this.picks() : [at.clip];
      await this.cutAs({ kind: "split_clips", clips, beats: [at.beat] });
    },

    /** @param {PointerEvent} event @param {string} id */
    grab(event, id) {
      const clip = clipOf(id);
      if (event.button !== 0 || !clip) return;
      if (event.shiftKey) return this.chooseToo(id);
      if (event.altKey) this.chooseOne(id);
      else this.choose(id);
      const box = /** @type {HTMLElement} */ (event.currentTarget).getBoundingClientRect();
      const at = this.showsGain ? pointAt(clip, box, event.clientX, event.clientY, field.perBeat()) : -1;
      if (at >= 0) return this.dragGain(event, clip, at, box);
      const fade = fadeAt(box, event.clientX, event.clientY, fadesOf(clip));
      if (fade) return this.dragFade(event, clip, fade);
      this.dragClip(event, clip, modeAt(box, event.clientX));
    },

    /** @param {PointerEvent} event @param {Clip} clip @param {Mode} mode */
    dragClip(event, clip, mode) {
      /** @type {Place | null} */
      let place = null;
      gesture(event, {
        moved: (move) => {
          const track = mode === "move" ? laneUnder(move.x, move.y) ?? clip.track : clip.track;
          place = dragged(clip, mode, move.dx / field.perBeat(), track, session.state, move.alt, field.step());
          drag = { clip, shown: place, along: mode === "move" ? this.along(clip, place) : new Map() };
          sayAt(move, placeSaid(place, mode, session.state));
          this.markTarget(track === clip.track ? null : track);
          this.layOut();
        },
        done: ({ ctrl }) => {
          const along = drag?.along ?? new Map();
          const asked = place && (along.size ? manyMoved(clip, place, along, ctrl, this.carries) : intentOf(clip, place, mode, ctrl, this.carries));
          this.asked(asked);
        },
        ended: (isDone) => {
          this.markTarget(null);
          this.dropped(isDone);
        },
      });
    },

    /** @param {PointerEvent} event @param {Clip} clip @param {import("./shape-model.js").Fade} fade */
    dragFade(event, clip, fade) {
      const [name, sign, at] = fade === "fadeIn" ? /** @type {const} */ (["fade_in_ms", 1, clip.beat]) : /** @type {const} */ (["fade_out_ms", -1, clip.beat + clip.beats]);
      let ms = clip[name];
      gesture(event, {
        moved: (move) => {
          ms = fadedBy(clip[name], sign * move.dx, bpmAt(session.state.tempo_line, at), field.perBeat(), clip.beats);
          drag = { clip, shown: { [name]: ms }, along: new Map() };
          sayAt(move, `${sign > 0 ? "fade in" : "fade out"} ${ms} ms`);
          this.layOut();
        },
        done: () => this.asked({ kind: "change_clips", clips: this.picks(), [name]: ms }),
        ended: (isDone) => this.dropped(isDone),
      });
    },

    /** @param {PointerEvent} event @param {Clip} clip @param {number} at @param {DOMRect} box */
    dragGain(event, clip, at, box) {
      let points = gainOf(clip);
      gesture(event, {
        moved: (move) => {
          points = withDragged(clip, at, move.dx, move.dy, box.height, field.perBeat());
          drag = { clip, shown: { gain_line: points }, along: new Map() };
          const db = points[at].value;
          sayAt(move, db <= -60 ? "silent" : `${db > 0 ? "+" : ""}${db} dB`.replace("-", "−"));
          this.layOut();
        },
        done: () => this.asked({ kind: "change_clip", clip: clip.id, gain_line: points }),
        ended: (isDone) => this.dropped(isDone),
      });
    },

    /** Pressed twice: a point of its gain line more, or less; else what it plays is taken in hand. @param {MouseEvent} event @param {string} id */
    twice(event, id) {
      const clip = clipOf(id);
      if (!clip || !this.showsGain) return this.takeInHand();
      const box = /** @type {HTMLElement} */ (event.currentTarget).getBoundingClientRect();
      void view.intent({ kind: "change_clip", clip: id, gain_line: withPressed(clip, box, event.clientX, event.clientY, field.perBeat()) });
    },

    /** It lies where it was dropped until the answer is there. @param {import("../types.js").Intent | null} intent */
    asked(intent) {
      if (intent) void view.intent(intent).finally(() => this.letDragGo());
      else this.letDragGo();
    },

    /** @param {boolean} isDone */
    dropped(isDone) {
      sayAt(null, "");
      if (!isDone) this.letDragGo();
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
  };
};

/** The track under a point. @param {number} x @param {number} y */
function laneUnder(x, y) {
  const lane = document.elementsFromPoint(x, y).map((e) => e.closest("[data-lane]")).find(Boolean);
  return lane?.getAttribute("data-lane") ?? null;
}

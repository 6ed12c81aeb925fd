// @ts-check
/** The family as a picture: looked at, walked, folded, zoomed. */

import { section } from "../sections.js";
import { gesture } from "../ui/gesture.js";
import { drawFamily } from "./draw.js";
import { CARD, nextTo, placeAt, wholeView } from "./model.js";

const [LEAST_ZOOM, MOST_ZOOM] = [0.05, 2];
const READABLE = 0.8; // at which it is shown at first, where it is large
const MARGIN = 24; // between who is chosen and the edge

/** @param {import("./shared.js").Shared} shared */
export const picture = (shared) => {
  const { view } = shared;
  const look = { zoom: 1, x: 28, y: 28 };
  let isWhole = true;
  let isPlaced = false;
  const canvas = () => /** @type {HTMLCanvasElement} */ (document.getElementById("family"));

  return section(shared.whole, {
    familyText: "", familyName: "", isAlone: false,

    /** As near as words can be read, whoever is chosen in the middle; all of it where it fits. */
    lookFirst() {
      const paper = canvas();
      const { tree } = shared;
      if (isPlaced || !tree.places.length || !paper.clientWidth) return;
      isPlaced = true;
      const all = wholeView(tree, paper.clientWidth, paper.clientHeight);
      if (all.zoom >= READABLE) return;
      isWhole = false;
      const at = tree.places.find((p) => p.member.id === shared.focused) ?? tree.places[0];
      look.zoom = READABLE;
      look.x = Math.min(MARGIN, paper.clientWidth * 0.4 - at.x * READABLE);
      look.y = paper.clientHeight / 2 - (at.y + CARD.height / 2) * READABLE;
    },

    startPicture() {
      const paper = canvas();
      view.picture(paper, () => {
        this.lookFirst();
        if (isWhole) Object.assign(look, wholeView(shared.tree, paper.clientWidth, paper.clientHeight));
        return [look, shared.version, [...shared.folded], shared.focused, shared.marked, this.heard, this.placeHeard()];
      }, (c, sheet) => drawFamily(c, sheet, {
        tree: shared.tree, look, chosen: new Set([shared.focused]), focused: document.activeElement === paper ? shared.focused : "",
        heard: this.heard, marked: shared.marked, place: this.placeHeard(),
      }));
      view.scope.on(paper, "pointerdown", (/** @type {PointerEvent} */ e) => this.pressPicture(e));
      view.scope.on(paper, "dblclick", (/** @type {MouseEvent} */ e) => {
        const at = this.under(e.clientX, e.clientY);
        if (at) this.fold(at.member.id);
      });
      view.scope.on(paper, "wheel", (/** @type {WheelEvent} */ e) => this.turnWheel(e), { passive: false });
    },

    /** Share of the round that sounds; null where nothing does. In steps, so that it is drawn as often as is seen. */
    placeHeard() {
      const engine = shared.session.engine_;
      if (!this.heard || !engine?.hand.isPlaying) return null;
      const body = engine.hand.sheet?.body;
      return body ? Math.round((360 * (engine.hand.place() % body)) / body) / 360 : null;
    },

    /** @param {number} x @param {number} y of the page */
    under(x, y) {
      const box = canvas().getBoundingClientRect();
      return placeAt(shared.tree, (x - box.left - look.x) / look.zoom, (y - box.top - look.y) / look.zoom);
    },

    /** @param {PointerEvent} event */
    pressPicture(event) {
      if (event.button !== 0) return;
      const from = { ...look };
      gesture(event, {
        moved: ({ dx, dy }) => {
          isWhole = false;
          [look.x, look.y] = [from.x + dx, from.y + dy];
        },
        done: () => {},
        tapped: ({ x, y }) => {
          const at = this.under(x, y);
          if (!at) return;
          this.choose(at.member.id);
          void this.hear(at.member.id);
        },
        ended: (isDone) => { if (!isDone) Object.assign(look, from); },
      });
    },

    /** @param {WheelEvent} event */
    turnWheel(event) {
      event.preventDefault();
      const box = canvas().getBoundingClientRect();
      if (event.ctrlKey || !event.shiftKey) this.zoomBy(Math.exp(-event.deltaY / 300), event.clientX - box.left, event.clientY - box.top);
      else [look.x, look.y, isWhole] = [look.x - event.deltaX, look.y - event.deltaY, false];
    },

    /** @param {number} times @param {number} [x] @param {number} [y] the point that stays where it is */
    zoomBy(times, x = canvas().clientWidth / 2, y = canvas().clientHeight / 2) {
      const zoom = Math.min(MOST_ZOOM, Math.max(LEAST_ZOOM, look.zoom * times));
      look.x = x - ((x - look.x) * zoom) / look.zoom;
      look.y = y - ((y - look.y) * zoom) / look.zoom;
      [look.zoom, isWhole] = [zoom, false];
    },

    showWhole() {
      isWhole = true;
    },

    /** Children are shown, or not. @param {string} id */
    fold(id) {
      if (!shared.folded.delete(id)) shared.folded.add(id);
      shared.lay();
      this.showFamily();
    },

    /** To who is next. @param {"left" | "right" | "up" | "down"} way */
    walk(way) {
      const next = nextTo(shared.tree, shared.focused, way);
      if (!next) return;
      this.choose(next);
      this.bringIntoSight();
      if (this.hearing) void this.hear(next);
    },

    bringIntoSight() {
      const at = shared.tree.places.find((p) => p.member.id === shared.focused);
      const paper = canvas();
      if (!at || isWhole) return;
      const [x, y] = [look.x + at.x * look.zoom, look.y + at.y * look.zoom];
      look.x += Math.max(0, MARGIN - x) - Math.max(0, x + CARD.width * look.zoom + MARGIN - paper.clientWidth);
      look.y += Math.max(0, MARGIN - y) - Math.max(0, y + CARD.height * look.zoom + MARGIN - paper.clientHeight);
    },

    showFamily() {
      const { members, tree } = shared;
      const kept = members.filter((m) => m.kind !== "grown").length;
      const grown = members.length - kept;
      this.familyName = tree.places[0]?.member.name ?? "";
      this.isAlone = members.length === 1;
      this.familyText = `${kept === 1 ? "one loop" : `${kept} loops`}${grown ? `, ${grown} not kept yet` : ""}`;
    },

    /** For tests and benchmarks. */
    familyLook: () => ({ ...look }),
    familyTree: () => shared.tree,
  });
};

// @ts-check
/** What is dragged of a slice is heard at once, where it can be mixed: the rest is tried on the server. */

import { Live } from "../engine/live.js";
import { MIXED, MIXED_SHAPE } from "../engine/live-mix.js";
import { getJson } from "../net/api.js";
import { section } from "../sections.js";

/** @typedef {import("../types.js").Piece} Piece */

const CALM_MS = 150; // after something was chosen, before what it takes is asked for
const CLOSE_MS = 1500; // after the last change, until the render that holds is taken back to

/** @param {import("./shared.js").Shared} shared */
export const live = (shared) => {
  const { view, session, held } = shared;
  /** Pieces as they are heard while they are dragged. @type {Piece[] | null} */
  let heard = null;
  let wanted = "";
  let digest = "";
  let lastAt = 0;
  let isNear = false;
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let timer;
  const meant = () => (shared.meant.length ? shared.meant : shared.facts.pieces.map((_, i) => i));

  return section(shared.whole, {
    startLive() {
      const side = /** @type {HTMLElement} */ (document.querySelector(".slices .side"));
      for (const kind of ["pointerover", "focusin"]) {
        view.scope.on(side, kind, (/** @type {Event} */ e) => this.nearSlices(!!/** @type {Element} */ (e.target).closest("[data-section^='slice']")));
      }
      view.scope.on(side, "pointerleave", () => this.nearSlices(side.contains(document.activeElement)));
      view.eachFrame(() => this.watchLive());
      view.scope.add(() => {
        clearTimeout(timer);
        session.engine_?.live.end();
      });
    },

    /** Somebody is at what is done to slices: what it takes to mix them is held ready then. @param {boolean} now */
    nearSlices(now) {
      isNear = now;
    },

    /** Can what is heard be mixed here? */
    isAlone() {
      const engine = session.engine_;
      return this.hearing && this.way === "fitted" && !this.withRest && !!engine?.hand.isPlaying && engine.hand.way === "fitted" && shared.facts.is_cut;
    },

    watchLive() {
      const engine = session.engine_;
      if (!engine) return;
      const mix = engine.live;
      if (mix.isOn) {
        const isOther = engine.hand.sheet?.digest !== digest;
        const isIdle = shared.doing === 0 && !held.isRendering && performance.now() - lastAt > CLOSE_MS;
        if (!this.isAlone() || isOther || isIdle) this.endLive();
        return;
      }
      if (!isNear || !this.isAlone() || session.saving) return;
      const sheet = engine.hand.sheet;
      const name = sheet ? Live.nameOf(sheet.digest, meant()) : "";
      if (name === wanted || !sheet) return;
      wanted = name;
      clearTimeout(timer);
      timer = setTimeout(() => this.prepareLive(), CALM_MS);
    },

    /** What is rendered is heard again. */
    endLive() {
      session.engine_?.live.end();
      heard = null;
      wanted = "";
    },

    /** What it takes to mix the slices that are meant, into memory. */
    async prepareLive() {
      const engine = session.engine_;
      if (!engine || !this.isAlone()) return;
      const apart = meant();
      const asked = apart.map((i) => `&apart=${i}`).join("");
      await view.ask("live", async (signal) => {
        /** @type {import("../types.js").HandLive | null} */
        const found = await getJson(`${held.path}/live?beat=${held.beat}${asked}`, signal);
        if (found) await engine.live.load(found, shared.facts.pieces, apart, signal);
        return true;
      });
    },

    /**
     * Part of the slices that are meant, as it is dragged; false where it has to be rendered.
     * @param {string} name @param {unknown} value @param {boolean} [isShape]
     */
    mixPiece(name, value, isShape = false) {
      const engine = session.engine_;
      const which = meant();
      const sheet = engine?.hand.sheet;
      if (!engine || !sheet || !this.isAlone() || !(isShape ? MIXED_SHAPE : MIXED).includes(name)) return false;
      const mix = engine.live;
      // It is mixed for the slices that were meant then: of others some voices are still one.
      if (mix.loaded !== Live.nameOf(sheet.digest, which)) {
        this.endLive();
        return false;
      }
      if (isShape && which.some((i) => shared.facts.pieces[i]?.shape.bend)) return false;
      heard ??= shared.facts.pieces.map((piece) => ({ ...piece, shape: { ...piece.shape } }));
      for (const i of which) Object.assign(isShape ? heard[i].shape : heard[i], { [name]: value });
      lastAt = performance.now();
      mix.change(heard);
      if (mix.isOn) return true;
      digest = sheet.digest;
      const { plan } = engine.hand;
      const now = engine.hand.player.now;
      mix.begin(Math.round(now - plan.placeAt(now)), plan.heard?.pattern.events[0]?.gain ?? 1);
      return true;
    },

    /** For tests and benchmarks: from a change to its being mixed, ms. */
    liveDelays: () => session.engine().live.delays,
    liveIsOn: () => session.engine().live.isOn,
    liveIsReady: () => session.engine().live.loaded !== "" && session.engine().live.loaded === wanted,
  });
};

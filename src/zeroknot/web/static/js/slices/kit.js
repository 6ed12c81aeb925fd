// @ts-check
/** A kit: slices taken from other loops, and a MIDI loop that plays the pads. */

import { ApiError, getJson } from "../net/api.js";
import { section } from "../sections.js";
import { whereText } from "./model.js";

/** @typedef {{id: string, name: string, isMidi: boolean}} Source */

const MOST_FROM_SHELF = 60;
const MOST_OFFERED = 64;

/** @param {import("./shared.js").Shared} shared */
export const kit = (shared) => {
  const { session, held, view } = shared;
  let isOpen = false;

  return section(shared.whole, {
    sources: /** @type {Source[]} */ ([]), kitFrom: "", kitSaid: "", isNotesSource: false,
    offered: /** @type {{index: number, name: string, title: string}[]} */ ([]),

    /** @param {boolean} now whether the section is open */
    async openKit(now) {
      isOpen = now;
      if (!now) return;
      /** @type {import("../types.js").Found | null} */
      const page = await view.ask("kit sources", (signal) => getJson(`/api/shelf?count=${MOST_FROM_SHELF}&sort=added&descending=true`, signal));
      if (!page) return;
      const own = session.state.strands.filter((s) => s.id !== held.name).map((s) => ({ id: s.id, name: s.name, loop: s.loop }));
      const taken = new Set(own.map((s) => s.loop));
      const shelf = page.rows.filter((r) => !taken.has(r.sha) && r.sha !== held.hand.loop).map((r) => ({ id: r.sha, name: `${r.name} (shelf)`, loop: r.sha }));
      const kinds = new Map(page.rows.map((r) => [r.sha, r.file_kind]));
      this.sources = [...own, ...shelf].map(({ id, name, loop }) => ({ id, name, isMidi: kinds.get(loop) === "midi" }));
    },

    /** @param {string} id */
    async chooseSource(id) {
      this.kitFrom = id;
      this.offered = [];
      this.isNotesSource = false;
      this.kitSaid = "";
      if (!id) return;
      try {
        const path = `/api/projects/${session.state.id}/hand/${id}`;
        /** @type {import("../types.js").HandLanes} */
        const lanes = await getJson(`${path}/lanes`);
        this.isNotesSource = lanes.notes.length > 0;
        if (this.isNotesSource) {
          this.kitSaid = `${lanes.notes.length} notes.`;
          return;
        }
        /** @type {import("../types.js").HandSlices} */
        const found = await getJson(`${path}/slices`);
        this.offered = (found.is_cut ? found.pieces : [null]).slice(0, MOST_OFFERED).map((piece, index) => ({
          index, name: piece ? `${index + 1}${piece.name ? ` ${piece.name}` : ""}` : "the whole", title: found.is_cut ? whereText(found, index) : "all of it",
        }));
        this.kitSaid = found.is_cut ? "Click what you want of it." : "It is not cut yet; taken whole, or cut it first.";
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        this.kitSaid = error.message;
      }
    },

    /** @param {number} index */
    async takeSlice(index) {
      const pad = shared.facts.pieces.length + 1;
      if (await shared.change({ kind: "take_slices", of: this.kitFrom, which: [index] })) this.kitSaid = `On pad ${pad}.`;
    },

    takeAll() {
      void shared.change({ kind: "take_slices", of: this.kitFrom, which: this.offered.map((p) => p.index) });
    },

    playNotes() {
      void shared.change({ kind: "play_notes", of: this.kitFrom });
    },

    /** @param {boolean} replaces clips play it from now on */
    async makeKit(replaces) {
      const before = new Set(session.state.strands.map((s) => s.id));
      if (!await view.intent({ kind: "make_kit", hand: held.name, replaces })) return;
      const made = session.state.strands.find((s) => !before.has(s.id) && s.name.endsWith(" kit"));
      if (made) shared.app.go(`/p/${session.state.id}/slices/${made.id}`);
    },

    kitIsOpen: () => isOpen,
  });
};

// @ts-check
/** Phrases: clips that are chosen, moved and copied as one; stretches made one; sections of the song. */

import { cycleOf, setCycle } from "../cycle.js";
import { barLine, beatOfBar } from "../metre.js";
import { kept } from "../ui/kept.js";
import { YARNS } from "../ui/colours.js";

/** @typedef {import("../types.js").Clip} Clip */

/** @param {import("../view.js").View} view @param {import("../session.js").Session} session */
export const phraseControls = (view, session) => ({
  // As the view has them.
  chosen: "", chosenTrack: "", others: /** @type {string[]} */ ([]), isPrinting: false,
  /** @returns {string[]} */
  picks: () => [],
  /** @returns {{from: number, to: number, said: string}} */
  rangeOf: () => ({ from: 0, to: 0, said: "" }),
  /** @returns {string[] | null} */
  rangeTracks: () => null,

  yarns: Array.from({ length: YARNS }, (_, i) => i),
  phraseId: "", phraseName: "", phraseYarn: 0, phraseText: "",
  /** @type {{bar: number, name: string, yarn: number}[]} */
  sections: [],

  showPhrase() {
    const clip = session.state.clips.find((c) => c.id === this.chosen);
    const phrase = session.state.phrases.find((p) => p.id === clip?.phrase);
    this.phraseId = phrase?.id ?? "";
    this.phraseName = phrase?.name ?? "";
    this.phraseYarn = phrase?.yarn ?? 0;
    this.phraseText = phrase ? `${session.state.clips.filter((c) => c.phrase === phrase.id).length} clips` : "";
    this.sections = kept(this.sections, session.state.sections);
  },

  /** All clips of the phrase that one belongs to, that one first. @param {string} id @returns {string[]} */
  withPhrase(id) {
    const phrase = session.state.clips.find((c) => c.id === id)?.phrase;
    const rest = phrase ? session.state.clips.filter((c) => c.phrase === phrase && c.id !== id) : [];
    return [id, ...rest.map((c) => c.id)];
  },

  async groupPicked() {
    await session.settled();
    const clips = this.picks();
    if (clips.length < 2) return session.say("Choose two clips or more to group them as a phrase.");
    await view.intent({ kind: "group_clips", clips });
  },

  openPhrase() {
    if (this.phraseId) void view.intent({ kind: "let_phrase_go", phrase: this.phraseId });
  },

  /** @param {string} name */
  namePhrase(name) {
    if (name.trim() && name.trim() !== this.phraseName) void view.intent({ kind: "change_phrase", phrase: this.phraseId, name: name.trim() });
  },

  /** @param {number} yarn */
  colourPhrase(yarn) {
    void view.intent({ kind: "change_phrase", phrase: this.phraseId, yarn });
  },

  /** The stretch that is meant, printed, in the place of its pieces: of one track, or of all that sound on a new one. */
  async makeOne() {
    await session.settled();
    if (this.isPrinting || !session.state.clips.length) return;
    const { from, to } = this.rangeOf();
    const picks = new Set(this.picks());
    const rows = new Set(session.state.clips.filter((c) => picks.has(c.id)).map((c) => c.track));
    const tracks = rows.size ? [...rows] : this.rangeTracks();
    this.isPrinting = true;
    const before = new Set(session.state.clips.map((c) => c.id));
    const range = { start: from, end: to, tracks: tracks ?? undefined };
    const made = await session.makeFor(`${session.path}/ranges`, { ...range, in_place: true }, ({ sha }) => ({ kind: "make_one", loop: sha, ...range }));
    this.isPrinting = false;
    if (!made) return;
    const one = session.state.clips.find((c) => !before.has(c.id) && c.beat === from);
    if (one) [this.chosen, this.others] = [one.id, []];
    session.say("Made one; U opens it again: its pieces are kept behind it.");
  },

  // ---- sections of the song

  /** From the bar of the playhead on, or of the cycle. */
  addSection() {
    const { metres, sections } = session.state;
    const cycle = cycleOf(session);
    const at = cycle.on && cycle.to > cycle.from ? cycle.from : Math.max(0, session.beat());
    const { bar } = barLine(metres, at);
    if (sections.some((s) => s.bar === bar)) return session.say(`Bar ${bar} begins a section already: give it another name.`);
    const names = new Set(sections.map((s) => s.name));
    const name = Array.from({ length: 27 }, (_, i) => (i < 26 ? String.fromCharCode(65 + i) : `${sections.length + 1}`)).find((n) => !names.has(n)) ?? "";
    this.setSections([...sections, { bar, name, yarn: sections.length % YARNS }]);
  },

  /** @param {number} bar @param {{name?: string, yarn?: number, bar?: number}} what */
  changeSection(bar, what) {
    this.setSections(session.state.sections.map((s) => (s.bar === bar ? { ...s, ...what } : s)));
  },

  /** @param {number} bar @param {string} text */
  moveSection(bar, text) {
    const to = Math.round(Number(text));
    if (!Number.isFinite(to) || to < 1) session.say("A section begins at a bar: a whole number from 1 on.", "error");
    else if (to !== bar) this.changeSection(bar, { bar: to });
  },

  /** @param {number} bar */
  removeSection(bar) {
    this.setSections(session.state.sections.filter((s) => s.bar !== bar));
  },

  /** The cycle over one of them. @param {number} bar */
  cycleSection(bar) {
    const { metres, sections, last_bar: last } = session.state;
    const next = sections.find((s) => s.bar > bar)?.bar ?? Math.max(last, bar) + 1;
    setCycle(session, { from: beatOfBar(metres, bar), to: beatOfBar(metres, next), on: true });
  },

  /** @param {{bar: number, name: string, yarn: number}[]} sections */
  setSections(sections) {
    void view.intent({ kind: "set_sections", sections: [...sections].sort((a, b) => a.bar - b.bar) });
  },
});

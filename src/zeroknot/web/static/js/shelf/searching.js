// @ts-check
/** What is asked of the shelf: words, facets, order, searches that are kept; and what the project makes of it. */

import { ApiError, getJson, post } from "../net/api.js";
import { bpm, typedNumber } from "../format.js";
import { section } from "../sections.js";
import { asksFor, choices, headings, NOTHING, SETS_SHOWN, sorted } from "./asked.js";
import { queryOf } from "./list.js";

/** @typedef {import("../ui/tempo-range.js").TempoRange} TempoRange */

const SEARCHES = "/api/shelf/searches";
const RELOAD_MS = 700;
const TYPING_MS = 90;

/** @param {import("./shared.js").Shared} shared */
export const searching = (shared) => {
  const { session, list, data } = shared;
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let reloading;
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let typing;
  let asked = 0; // times for the kept searches
  const timeNow = () => `${session.state.bpm} ${session.state.metre} ${session.state.key}`;
  const dyesNow = () => session.state.strands.map(({ yarn }) => yarn).join();
  let timeShown = timeNow();
  let dyesShown = dyesNow();

  return section(shared.whole, {
    /** @type {Record<string, any>} */
    asked: { ...NOTHING },
    /** @type {Record<string, any[]>} */
    facet: {},
    total: 0,
    tempoFrom: "",
    tempoTo: "",
    stretchText: "15",
    shiftText: "2",
    fitsText: "",
    allSets: false,
    /** @type {{id: string, name: string, search: Record<string, any>}[]} */
    searches: [],
    searchName: "",
    online: false,
    hasExchange: data.exchange !== null,

    /** @param {import("../types.js").Found} found */
    accept(found) {
      this.total = found.total;
      shared.facets = found.facets;
      this.showNear(found);
      this.showFacets();
      this.window();
    },

    query() {
      return queryOf({ ...this.asked, project: session.state.id });
    },

    async search() {
      const kept = `zeroknot.shelf.${session.state.id}`;
      if (!asksFor(this.asked, false)) sessionStorage.removeItem(kept);
      else sessionStorage.setItem(kept, JSON.stringify(this.asked));
      try {
        const found = await list.search(this.query());
        if (!found) return;
        if (shared.scroller) shared.scroller.scrollTop = 0;
        this.picked = [];
        this.accept(found);
        const at = list.placeOf(this.chosen);
        this.choose(Math.max(0, at), false);
      } catch (error) {
        if (error instanceof ApiError) session.say(error.message, "error");
      }
    },

    /** The same search again, where it is scrolled to: something changed. */
    async reload() {
      try {
        const found = await list.search(this.query());
        if (!found) return;
        this.accept(found);
        const at = list.placeOf(this.chosen);
        if (at >= 0) this.chosenIndex = at;
        else if (!this.chosen || this.chosenIndex < found.rows.length) this.choose(Math.min(this.chosenIndex, Math.max(0, this.total - 1)), false);
        this.window();
        if (this.about) void this.showAbout();
      } catch (error) {
        if (error instanceof ApiError) session.say(error.message, "error");
      }
    },

    reloadSoon() {
      if (reloading) return;
      reloading = setTimeout(() => {
        reloading = undefined;
        void this.reload();
      }, RELOAD_MS);
    },

    /** Asked at once, searched for a moment later: whatever else is asked meanwhile goes with it. @param {string} words */
    setWords(words) {
      this.asked = { ...this.asked, words };
      clearTimeout(typing);
      typing = setTimeout(() => this.search(), TYPING_MS);
    },

    /** One value of a facet, asked for or not. @param {string} name @param {any} value */
    toggle(name, value) {
      const now = /** @type {any[]} */ (this.asked[name]);
      const next = now.includes(value) ? now.filter((v) => v !== value) : [...now, value];
      this.asked = { ...this.asked, [name]: next };
      void this.search();
    },

    /** @param {string} name @param {any} value */
    ask(name, value) {
      this.asked = { ...this.asked, [name]: value };
      void this.search();
    },

    /** @param {string} hits */
    askHits(hits) {
      this.ask("hits", this.asked.hits === hits ? "all" : hits);
    },

    /** @param {{low: number, high: number} | null} range */
    askTempo(range) {
      this.asked = { ...this.asked, tempo_from: range?.low ?? null, tempo_to: range?.high ?? null };
      void this.search();
    },

    typedTempo() {
      this.asked = { ...this.asked, tempo_from: typedNumber(this.tempoFrom), tempo_to: typedNumber(this.tempoTo) };
      void this.search();
    },

    /** @param {boolean} on */
    askStretch(on) {
      this.ask("stretch_within", on ? Math.max(0, typedNumber(this.stretchText) ?? 15) : null);
    },

    /** @param {boolean} on */
    askShift(on) {
      this.ask("shift_within", on ? Math.max(0, Math.min(6, Math.round(typedNumber(this.shiftText) ?? 2))) : null);
    },

    /** By a column; again: the other way round. @param {string} sort */
    sortBy(sort) {
      this.asked = sorted(this.asked, sort);
      void this.search();
    },

    askNothing() {
      this.asked = { ...NOTHING };
      void this.search();
    },

    showFacets() {
      this.facet = choices(shared.facets, this.asked, this.allSets);
      this.moreSets = shared.facets.sets.length > SETS_SHOWN && !this.allSets;
      this.showAsked();
    },
    moreSets: false,

    showAsked() {
      const { tempo_from: low, tempo_to: high } = this.asked;
      this.tempoFrom = low === null ? "" : String(low);
      this.tempoTo = high === null ? "" : String(high);
      const range = /** @type {TempoRange | null} */ (document.querySelector("tempo-range"));
      if (range) range.told = { counts: shared.facets.tempo, from: shared.facets.tempo_from, step: shared.facets.tempo_step, low, high };
      this.heads = headings(this.asked);
      this.isAsked = asksFor(this.asked, true);
    },
    heads: headings(NOTHING),
    isAsked: false,

    toggleSets() {
      this.allSets = !this.allSets;
      this.showFacets();
    },

    /** The answer to the last question counts: one that comes late is older than what is shown. */
    async loadSearches() {
      asked += 1;
      const mine = asked;
      try {
        const found = await getJson(SEARCHES);
        if (mine === asked) this.searches = found;
      } catch (error) {
        if (!(error instanceof ApiError)) throw error; // what is shown stays
      }
    },

    /** @param {Record<string, any>} search */
    askKept(search) {
      this.asked = { ...NOTHING, ...search };
      void this.search();
    },

    async keepSearch() {
      const name = this.searchName.trim();
      if (!name) return;
      const { project: _, ...search } = this.asked;
      const said = Object.fromEntries(Object.entries(search).filter(([, v]) => v !== null));
      await shared.tried(async () => session.history.kept(SEARCHES, await post(SEARCHES, { name, search: said })));
      this.searchName = "";
      void this.loadSearches();
    },

    /** @param {{id: string, name: string}} search */
    async forgetSearch(search) {
      await session.history.forget(SEARCHES, search);
      void this.loadSearches();
    },

    /** The project has another tempo, metre or key: what each loop would be in it is another, too. */
    followTime() {
      if (dyesNow() !== dyesShown) this.reloadSoon(); // a loop gives way to one that was placed
      dyesShown = dyesNow();
      if (timeNow() === timeShown) return;
      timeShown = timeNow();
      const { bpm: tempo, key } = session.state;
      this.atText = `${bpm(tempo)} bpm`;
      this.toKeyText = key ? `, to ${key}` : "";
      void this.reload();
      if (this.hearing && !this.withRest) void this.start(this.hearing);
    },
    atText: `${bpm(session.state.bpm)} bpm`,
    toKeyText: session.state.key ? `, to ${session.state.key}` : "",

    endSearching() {
      clearTimeout(reloading);
      clearTimeout(typing);
    },
  });
};

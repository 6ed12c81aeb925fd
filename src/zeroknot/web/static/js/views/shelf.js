// @ts-check
/** The shelf: find a loop, hear it in time and key, correct it, take it in hand, place it. */

import { ApiError, getBytes, getJson, post, postOnce, remove } from "../net/api.js";
import { bpm, semitones, typedNumber } from "../format.js";
import { barLine } from "../metre.js";
import { Scope } from "../scope.js";
import { fieldsOf, keyTextOf, readingsOf, tagChanges } from "../shelf/about.js";
import { asksFor, choices, headings, NOTHING, SETS_SHOWN, sorted } from "../shelf/asked.js";
import { Audition } from "../shelf/audition.js";
import { bringIn } from "../shelf/bringing.js";
import { inSight, queryOf, ROW_PIXELS, ShelfList } from "../shelf/list.js";
import { gap, shown } from "../shelf/rows.js";
import { paletteName } from "../ui/colours.js";
import { bindKeys } from "../ui/keys.js";
import { startDrag } from "../ui/drag.js";

/** @typedef {import("../types.js").ShelfRow} ShelfRow */
/** @typedef {import("../types.js").Facets} Facets */
/** @typedef {import("../types.js").KnownLoop} KnownLoop */
/** @typedef {import("../ui/tempo-range.js").TempoRange} TempoRange */

const RELOAD_MS = 700;
const PREPARED = 3;

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const shelf = (session, app) => () => {
  const data = app.viewData();
  const scope = new Scope();
  const list = new ShelfList(data.page_rows, (message) => session.say(message, "error"));
  const audition = new Audition();
  /** @type {Facets} */
  let facets = data.found.facets;
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let reloading;
  /** @type {HTMLElement | null} */
  let scroller = null;
  let anchor = 0;
  /** @type {Map<string, any>} rows as they are shown */
  let views = new Map();
  let timeShown = `${session.state.bpm} ${session.state.metre} ${session.state.key}`;
  const projectPath = `/p/${session.state.id}`;

  /** What the server says instead of doing it becomes a notice. @template T @param {() => Promise<T>} ask @returns {Promise<T | null>} */
  const tried = async (ask) => {
    try {
      return await ask();
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      session.say(error.message, "error");
      return null;
    }
  };

  return {
    // ---- what is asked

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

    // ---- the rows

    /** @type {any[]} */
    rows: [],
    spacePixels: 0,
    chosen: "",
    chosenIndex: 0,
    /** @type {string[]} */
    picked: [],

    // ---- hearing

    hearing: "",
    starting: false,
    way: "fitted",
    lay: 1,
    barsText: "",
    withRest: false,
    levelDb: 0,
    barText: "",
    track: "",
    /** @type {{id: string, name: string}[]} */
    tracks: [],

    // ---- about a loop

    about: false,
    /** @type {KnownLoop | null} */
    known: null,
    /** @type {any[]} */
    readings: [],
    applyTo: "picked",
    field: { name: "", set: "", tags: "", tempo: "", bars: "", per: "", downbeat: "", key: "", sound: "" },
    /** @type {string[]} */
    keys: data.keys,
    /** @type {string[]} */
    sounds: data.sounds,

    init() {
      scroller = document.getElementById("rows");
      const kept = sessionStorage.getItem(`zeroknot.shelf.${session.state.id}`);
      this.levelDb = audition.levelDb;
      list.begin(data.found);
      this.accept(data.found);
      this.choose(0);
      scope.add(session.watch(() => {
        this.showBar();
        this.window();
        this.followTime();
      }));
      scope.add(session.hear((event) => this.heard(event)));
      if (scroller) {
        scope.on(scroller, "scroll", () => this.window());
        scope.onResize(scroller, () => this.window());
      }
      scope.add(bindKeys("Shelf", [
        { key: "ArrowDown or Shift+ArrowDown", does: "next loop (Shift: choose it, too)", repeats: true, run: (e) => this.move(1, e.shiftKey) },
        { key: "ArrowUp or Shift+ArrowUp", does: "loop before (Shift: choose it, too)", repeats: true, run: (e) => this.move(-1, e.shiftKey) },
        { key: "PageDown", does: "ten loops on", repeats: true, run: () => this.move(10) },
        { key: "PageUp", does: "ten loops back", repeats: true, run: () => this.move(-10) },
        { key: "Ctrl+A", does: "choose all that are found", run: () => this.pickAll() },
        { key: "Enter", does: "hear it, at once", run: () => this.hear(this.chosen) },
        { key: "Shift+Enter", does: "hear it with the rest, from the next bar on", run: () => this.hear(this.chosen, true) },
        { key: "Escape", does: "let go", run: () => this.escape() },
        { key: "F", does: "take in hand", run: () => this.take(this.chosen) },
        { key: "P", does: "place at the playhead's bar", run: () => this.place(this.chosen) },
        { key: "I", does: "what is known of it; correct it", run: () => this.toggleAbout() },
        { key: "H", does: "favourite or not", run: () => this.favour() },
        { key: "Delete", does: "take off the shelf", run: () => this.takeOff() },
        { key: "/", does: "search", run: () => document.getElementById("search")?.focus() },
      ]));
      this.timer = setInterval(() => this.showBar(), 250);
      this.showBar();
      void this.loadSearches();
      if (kept) {
        this.asked = { ...NOTHING, ...JSON.parse(kept) };
        this.showAsked();
        void this.search();
      }
    },

    destroy() {
      clearInterval(this.timer);
      clearTimeout(reloading);
      audition.end();
      scope.end();
      if (this.hearing) app.stopHand();
    },
    /** @type {ReturnType<typeof setInterval> | undefined} */
    timer: undefined,

    // ---- searching

    /** @param {import("../types.js").Found} found */
    accept(found) {
      this.total = found.total;
      facets = found.facets;
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
        if (scroller) scroller.scrollTop = 0;
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

    /** @param {string} words */
    setWords(words) {
      this.asked = { ...this.asked, words };
      void this.search();
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
      this.facet = choices(facets, this.asked, this.allSets);
      this.moreSets = facets.sets.length > SETS_SHOWN && !this.allSets;
      this.showAsked();
    },
    moreSets: false,

    showAsked() {
      const { tempo_from: low, tempo_to: high } = this.asked;
      this.tempoFrom = low === null ? "" : String(low);
      this.tempoTo = high === null ? "" : String(high);
      const range = /** @type {TempoRange | null} */ (document.querySelector("tempo-range"));
      if (range) range.told = { counts: facets.tempo, from: facets.tempo_from, step: facets.tempo_step, low, high };
      this.heads = headings(this.asked);
      this.isAsked = asksFor(this.asked, true);
    },
    heads: headings(NOTHING),
    isAsked: false,

    toggleSets() {
      this.allSets = !this.allSets;
      this.showFacets();
    },

    async loadSearches() {
      try {
        this.searches = await getJson("/api/shelf/searches");
      } catch {
        this.searches = [];
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
      await tried(() => post("/api/shelf/searches", { name, search: said }));
      this.searchName = "";
      void this.loadSearches();
    },

    /** @param {string} id */
    async forgetSearch(id) {
      await tried(() => remove(`/api/shelf/searches/${id}`));
      void this.loadSearches();
    },

    /** The project has another tempo, metre or key: what each loop would be in it is another, too. */
    followTime() {
      const { bpm: tempo, metre, key } = session.state;
      const time = `${tempo} ${metre} ${key}`;
      if (time === timeShown) return;
      timeShown = time;
      this.atText = `${bpm(tempo)} bpm`;
      this.toKeyText = key ? `, to ${key}` : "";
      void this.reload();
      if (this.hearing && !this.withRest) void this.start(this.hearing);
    },
    atText: `${bpm(session.state.bpm)} bpm`,
    toKeyText: session.state.key ? `, to ${session.state.key}` : "",

    // ---- the window of rows

    window() {
      if (!scroller) return;
      const { first, last } = inSight(scroller.scrollTop, scroller.clientHeight, this.total);
      this.spacePixels = this.total * ROW_PIXELS;
      const picked = new Set(this.picked);
      const rows = [];
      const kept = new Map();
      const palette = paletteName();
      for (let i = first; i < last; i += 1) {
        const row = list.at(i);
        const isChosen = row?.sha === this.chosen;
        const about = `${i} ${row?.stamp} ${this.lay} ${isChosen} ${isChosen || picked.has(row?.sha ?? "")} ${row?.duration_ratio} ${row?.shift} ${palette}`;
        const key = row?.sha ?? `gap-${i}`;
        // A row that looks as before is the very same object: nothing of it is done again.
        let view = views.get(key);
        if (view?.looks !== about) {
          view = {
            ...(row ? shown(row, i, projectPath, this.lay) : gap(i, projectPath)),
            looks: about, place: { top: `${i * ROW_PIXELS}px` }, isChosen, isPicked: isChosen || picked.has(row?.sha ?? ""),
          };
        }
        kept.set(key, view);
        rows.push(view);
      }
      views = kept;
      if (rows.length !== this.rows.length || rows.some((row, i) => row.looks !== this.rows[i].looks || row.key !== this.rows[i].key)) this.rows = rows;
      void list.need(first, last).then((came) => came && this.window());
    },

    get space() {
      return { height: `${this.spacePixels}px` };
    },

    /** @param {number} index @param {boolean} [see] */
    choose(index, see = true) {
      const row = list.at(index);
      this.chosenIndex = index;
      this.chosen = row?.sha ?? "";
      if (see && scroller) {
        const top = index * ROW_PIXELS;
        if (top < scroller.scrollTop) scroller.scrollTop = top;
        else if (top + ROW_PIXELS > scroller.scrollTop + scroller.clientHeight) scroller.scrollTop = top + ROW_PIXELS - scroller.clientHeight;
      }
      this.window();
      if (this.about) void this.showAbout();
      const next = [];
      for (let i = index; i <= index + PREPARED; i += 1) {
        const sha = list.at(i)?.sha;
        if (sha) next.push(sha);
      }
      audition.prepare(session.path, next);
    },

    /** @param {MouseEvent} event @param {{index: number, sha: string, isGap: boolean}} row */
    async pick(event, row) {
      if (row.isGap) return;
      if (event.shiftKey) await this.pickRange(anchor, row.index);
      else if (event.ctrlKey || event.metaKey) {
        const with_ = this.picked.length ? this.picked : [this.chosen].filter(Boolean);
        this.picked = with_.includes(row.sha) ? with_.filter((s) => s !== row.sha) : [...with_, row.sha];
        anchor = row.index;
      } else {
        this.picked = [];
        anchor = row.index;
      }
      const isOther = row.sha !== this.chosen;
      this.choose(row.index);
      if (isOther && this.hearing) void this.start(row.sha);
    },

    /** A cell that opens what is known, unless keys say that rows are chosen. @param {MouseEvent} event @param {{index: number, sha: string, isGap: boolean}} row */
    cell(event, row) {
      if (event.ctrlKey || event.metaKey || event.shiftKey) void this.pick(event, row);
      else this.toggleAbout(row.sha);
    },

    /** @param {number} from @param {number} to */
    async pickRange(from, to) {
      try {
        const shas = await list.shas();
        this.picked = shas.slice(Math.min(from, to), Math.max(from, to) + 1);
      } catch (error) {
        if (error instanceof ApiError) session.say(error.message, "error");
      }
    },

    async pickAll() {
      await this.pickRange(0, this.total);
      this.window();
    },

    /** @param {number} by @param {boolean} [extend] */
    async move(by, extend = false) {
      const index = Math.max(0, Math.min(this.total - 1, this.chosenIndex + by));
      if (index === this.chosenIndex && this.chosen) return;
      if (!list.at(index)) await list.need(index, index + 1);
      if (extend) await this.pickRange(anchor, index);
      else {
        this.picked = [];
        anchor = index;
      }
      this.choose(index);
      if (this.hearing && this.chosen) void this.start(this.chosen);
    },

    /** What a change is for: all that are picked, or the one. */
    picks() {
      return this.picked.length ? this.picked : [this.chosen].filter(Boolean);
    },

    get pickedText() {
      return this.picked.length > 1 ? `${this.picked.length} chosen` : "";
    },

    escape() {
      if (this.hearing) this.quiet();
      else if (this.picked.length) {
        this.picked = [];
        this.window();
      } else if (this.about) this.toggleAbout();
    },

    // ---- hearing

    showBar() {
      const { bar } = barLine(session.state.metres, Math.max(0, session.beat()));
      const text = `Place at bar ${bar}`;
      if (this.barText !== text) this.barText = text;
      const tracks = session.state.tracks.map((t) => ({ id: t.id, name: t.name }));
      if (JSON.stringify(tracks) !== JSON.stringify(this.tracks)) this.tracks = tracks;
      const sounding = session.engine_?.hand.isPlaying || session.engine_?.song.withHand;
      if (this.hearing && !sounding && !session.engine_?.hand.isWaiting && !this.starting) this.hearing = "";
    },

    /** @param {string} sha @param {boolean} [atBar] */
    hear(sha, atBar = false) {
      if (this.hearing === sha && !atBar) {
        this.quiet();
        return;
      }
      const index = list.placeOf(sha);
      if (index >= 0 && sha !== this.chosen) this.choose(index);
      if (atBar && !this.withRest) {
        this.withRest = true;
      }
      void this.start(sha, atBar);
    },

    /** @param {string} sha @param {boolean} [atBar] */
    async start(sha, atBar = false) {
      if (!sha) return;
      this.hearing = sha;
      this.starting = true;
      audition.adoptLevel(session.engine());
      await app.hearHand(sha, audition.engineWay, this.withRest, { audition: audition.query, atBar });
      this.starting = false;
    },

    quiet() {
      this.hearing = "";
      app.stopHand();
    },

    hearAgain() {
      this.window();
      if (this.hearing) void this.start(this.hearing);
    },

    /** @param {"recorded" | "fitted" | "keyed"} way */
    setWay(way) {
      this.way = way;
      audition.way = way;
      if (way === "keyed" && !session.state.key) session.say("The project has no key yet; type one above, or take a loop's.");
      this.hearAgain();
    },

    /** @param {number} lay */
    setLay(lay) {
      this.lay = lay;
      audition.lay = lay;
      audition.bars = null;
      this.barsText = "";
      this.hearAgain();
    },

    typedBars() {
      const bars = typedNumber(this.barsText);
      audition.bars = bars && bars > 0 ? bars : null;
      this.barsText = audition.bars === null ? "" : String(audition.bars);
      this.hearAgain();
    },

    toggleRest() {
      this.withRest = !this.withRest;
      if (this.hearing) void this.start(this.hearing);
    },

    /** @param {number} db */
    setLevel(db) {
      this.levelDb = db;
      audition.setLevel(db, session.engine_);
    },

    get hearText() {
      return this.hearing && this.hearing === this.chosen ? "Stop" : "Hear it";
    },

    // ---- taking and placing

    /** @param {string} sha */
    take(sha) {
      if (sha) app.go(`${projectPath}/fit/${sha}`);
    },

    /** @param {string} sha @param {number} [beat] @param {string | null} [track] */
    async place(sha, beat, track) {
      if (!sha) return;
      const { metres } = session.state;
      const at = beat ?? barLine(metres, Math.max(0, session.beat())).beat;
      const row = list.at(list.placeOf(sha));
      const on = track ?? (this.track || null);
      const before = session.state.last_bar;
      const done = await session.submit({ kind: "place", hand: sha, beat: at, track: on });
      if (!done) return;
      const grown = session.state.last_bar > before ? ` The project now has ${session.state.last_bar} bars.` : "";
      session.say(`${row?.name ?? "The loop"} placed at bar ${barLine(metres, at).bar}.${grown}`);
    },

    /** @param {PointerEvent} event @param {{sha: string, name: string, isGap: boolean}} row */
    grab(event, row) {
      if (row.isGap || event.ctrlKey || event.shiftKey || event.metaKey) return;
      startDrag(event, row.name, (x, y) => {
        const beat = app.strip?.barAt(x, y) ?? null;
        return beat === null ? null : `bar ${barLine(session.state.metres, beat).bar}`;
      }, (x, y) => {
        const beat = app.strip?.barAt(x, y) ?? null;
        if (beat !== null) void this.place(row.sha, beat);
      });
    },

    /** Out to the desktop: the browser fetches the file when it is dropped there. @param {DragEvent} event @param {{sha: string, name: string, kind: string}} row */
    dragOut(event, row) {
      const isMidi = row.kind === "midi";
      const plain = row.name.replace(/[^\p{L}\p{N} _-]+/gu, " ").trim() || "loop";
      const path = isMidi ? `/api/loops/${row.sha}/file` : `/api/loops/${row.sha}/wav?bits=24`;
      const type = isMidi ? "audio/midi" : "audio/wav";
      event.dataTransfer?.setData("DownloadURL", `${type}:${plain}.${isMidi ? "mid" : "wav"}:${location.origin}${path}`);
      event.dataTransfer?.setData("text/uri-list", `${location.origin}${path}`);
    },

    /** @param {string} kind */
    give(kind) {
      void session.submit({ kind, hand: this.chosen });
    },

    // ---- changing

    /** Change loops; the notice takes it back. @param {Record<string, unknown>} edit @param {string[] | null} [which] @param {Record<string, unknown> | null} [search] */
    async change(edit, which = null, search = null) {
      const shas = which ?? this.picks();
      const body = search ? { edit, search } : { edit, shas };
      const change = await tried(() => postOnce("/api/shelf/changes", body));
      if (!change) return false;
      session.history.did({ kind: "shelf", change: change.id, label: change.label });
      const only = shas.length === 1 && !search ? list.at(list.placeOf(shas[0]))?.name : null;
      const who = only ?? `${change.count} loop${change.count === 1 ? "" : "s"}`;
      const left = change.left_out ? `; ${change.left_out} could not be` : "";
      await this.reload();
      session.say(`${who}: ${change.label}${left}.`, "info", {
        label: "Undo",
        run: () => session.history.undoChange(change.id),
      });
      session.changed();
      if (["correct", "adopt", "withdraw"].includes(String(edit.kind))) this.offerClips(shas);
      return true;
    },

    /** Strands that are placed keep the reading they were made with: say so, and offer the new one. @param {string[]} shas */
    offerClips(shas) {
      const strands = session.state.strands.filter((s) => shas.includes(s.loop));
      if (!strands.length) return;
      const who = strands.length === 1 ? `${strands[0].name} is placed in this project and keeps its own reading.`
        : `${strands.length} of them are placed in this project and keep their own reading.`;
      session.say(who, "info", {
        label: "Change it there, too",
        run: () => {
          for (const strand of strands) void session.submit({ kind: "follow_loop", hand: strand.id });
        },
      });
    },

    favour() {
      const row = list.at(this.chosenIndex);
      if (row) void this.change({ kind: "favour", favourite: !row.favourite });
    },

    /** @param {{sha: string, favourite: boolean}} row */
    favourRow(row) {
      void this.change({ kind: "favour", favourite: !row.favourite }, [row.sha]);
    },

    takeOff() {
      if (this.picks().includes(this.hearing)) this.quiet();
      const shas = this.picks();
      this.picked = [];
      if (shas.length) void this.change({ kind: "take_off" }, shas);
    },

    // ---- about the chosen

    /** @param {string} [sha] */
    toggleAbout(sha) {
      if (sha && sha !== this.chosen) this.choose(list.placeOf(sha));
      this.about = sha ? true : !this.about;
      if (this.about) void this.showAbout();
    },

    async showAbout() {
      const sha = this.chosen;
      if (!sha) {
        this.known = null;
        return;
      }
      const known = await tried(() => getJson(`/api/loops/${sha}`));
      if (!known || sha !== this.chosen) return;
      this.known = known;
      this.readings = readingsOf(known);
      this.field = fieldsOf(known);
      this.isStated = known.is_stated || known.is_key_stated || known.is_sound_stated;
      this.keyText = keyTextOf(known);
      this.warningText = known.warnings.join("; ");
      const inSet = facets.sets.find((f) => f.value === known.set)?.count ?? 0;
      this.setCount = known.set ? inSet : 0;
      if (this.applyTo === "set" && !this.setCount) this.applyTo = "picked";
    },
    isStated: false,
    keyText: "",
    warningText: "",
    setCount: 0,

    get applyText() {
      return this.picked.length > 1 ? `the ${this.picked.length} chosen` : "this loop";
    },

    get setText() {
      return this.known?.set ? `all of ${this.known.set} (${this.setCount})` : "";
    },

    /** A correction, for the chosen or for the whole set. @param {Record<string, unknown>} edit */
    correct(edit) {
      if (this.applyTo === "set" && this.known?.set) return this.change(edit, null, { sets: [this.known.set] });
      return this.change(edit);
    },

    /** @param {"tempo" | "bars" | "per" | "downbeat"} name */
    typed(name) {
      const value = typedNumber(this.field[name]);
      const column = { tempo: "tempo_bpm", bars: "bars", per: "beats_per_bar", downbeat: "downbeat_s" }[name];
      if (value === null) {
        session.say("That is no number.", "error");
        void this.showAbout();
        return;
      }
      void this.correct({ kind: "correct", [column]: name === "bars" || name === "per" ? Math.round(value) : value });
    },

    /** @param {number} times */
    count(times) {
      void this.correct({ kind: "correct", times });
    },

    /** @param {number} index */
    adopt(index) {
      void this.change({ kind: "adopt", index }, [this.chosen]);
    },

    withdraw() {
      void this.correct({ kind: "withdraw" });
    },

    /** @param {string} key */
    stateKey(key) {
      void this.correct({ kind: "state_key", key: key || null });
    },

    /** @param {string} sound */
    stateSound(sound) {
      if (sound) void this.correct({ kind: "state_sound", sound });
    },

    rename() {
      if (this.known && this.field.name !== this.known.name) void this.change({ kind: "rename", name: this.field.name }, [this.chosen]);
    },

    moveToSet() {
      if (this.known && this.field.set !== this.known.set) void this.correct({ kind: "move_to_set", set_name: this.field.set });
    },

    /** Tags as typed, commas between: what is new is added, what is gone is taken off. */
    retag() {
      if (!this.known) return;
      const { add, remove: gone } = tagChanges(this.field.tags, this.known.tags);
      if (add.length || gone.length) void this.correct({ kind: "tag", add, remove: gone });
    },

    showSet() {
      if (this.known?.set) this.askKept({ sets: [this.known.set], sort: "name" });
    },

    /** @param {string} sha */
    download(sha) {
      if (sha) void downloadWav(session, sha);
    },

    // ---- files and events

    /** @param {any} event */
    heard(event) {
      if (["bring", "shelf", "loop", "missed"].includes(event.kind)) this.reloadSoon();
      if (["searches", "missed"].includes(event.kind)) void this.loadSearches();
    },

    /** @param {Event} event */
    pickedFiles(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      void bringIn(session, [...(field.files ?? [])].map((file) => ({
        file, name: file.webkitRelativePath || file.name,
      })));
      field.value = "";
    },

    pickFiles() {
      document.getElementById("pick-files")?.click();
    },

    pickFolder() {
      document.getElementById("pick-folder")?.click();
    },

    toggleOnline() {
      this.online = !this.online;
      if (this.online && this.hearing) this.quiet();
    },

    get isEmpty() {
      return this.total === 0 && !this.isAsked;
    },

    get foundNothing() {
      return this.total === 0 && this.isAsked;
    },

    get countText() {
      return `Search ${this.total} loop${this.total === 1 ? "" : "s"}`;
    },

    /** What a shift says to a screen reader. @param {string} shift */
    shiftWords(shift) {
      return shift ? `${semitones(Number(shift.replace("−", "-")))} to the project's key` : "";
    },
  };
};

/** @param {import("../session.js").Session} session @param {string} sha */
export async function downloadWav(session, sha) {
  try {
    const { data, headers } = await getBytes(`/api/loops/${sha}/wav?bits=24`);
    const name = /filename\*=UTF-8''([^;]+)/.exec(headers.get("content-disposition") ?? "")?.[1];
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([data], { type: "audio/wav" }));
    link.download = name ? decodeURIComponent(name) : "loop.wav";
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    const lowered = Number(headers.get("x-lowered-db"));
    if (lowered > 0) {
      session.say(`It peaked ${lowered.toFixed(1)} dB over full scale; the 24-bit file is that much lower.`);
    }
  } catch (error) {
    if (error instanceof ApiError) session.say(error.message, "error");
  }
}

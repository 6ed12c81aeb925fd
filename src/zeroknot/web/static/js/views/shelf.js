// @ts-check
/** The shelf: find a loop, hear it in time and key, correct it, take it in hand, place it. */

import { bpm, semitones } from "../format.js";
import { barLine } from "../metre.js";
import { fileWays } from "../file-ways.js";
import { joined, section } from "../sections.js";
import { NOTHING } from "../shelf/asked.js";
import { bringIn } from "../shelf/bringing.js";
import { hearing } from "../shelf/hearing.js";
import { known } from "../shelf/known.js";
import { near } from "../shelf/near.js";
import { offering } from "../shelf/offering.js";
import { inSight, ROW_PIXELS } from "../shelf/list.js";
import { gap, shown } from "../shelf/rows.js";
import { searching } from "../shelf/searching.js";
import { Shared } from "../shelf/shared.js";
import { paletteName } from "../ui/colours.js";
import { startDrag } from "../ui/drag.js";
import { View } from "../view.js";

/** @typedef {ReturnType<typeof searching> & ReturnType<typeof hearing> & ReturnType<typeof known> & ReturnType<typeof near> & ReturnType<typeof fileWays> & ReturnType<typeof offering>} Others the other sections */

const PREPARED = 3;

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const shelf = (session, app) => () => {
  const shared = new Shared(session, app, app.viewData());
  return joined(searching(shared), hearing(shared), known(shared), near(shared), fileWays(session), offering(shared), rowsAndFiles(shared));
};

/** @param {Shared} shared */
const rowsAndFiles = (shared) => {
  const { session, app, list, audition, data, projectPath } = shared;
  const view = new View(session, "Shelf");
  let anchor = 0;
  /** @type {Map<string, any>} rows as they are shown */
  let views = new Map();

  return section(/** @type {Others | null} */ (null), {
    // ---- the rows

    /** @type {any[]} */
    rows: [],
    spacePixels: 0,
    chosen: "",
    chosenIndex: 0,
    /** What a screen reader is told of it. */
    chosenText: "",
    /** @type {string[]} */
    picked: [],

    init() {
      shared.scroller = document.getElementById("rows");
      const kept = sessionStorage.getItem(`zeroknot.shelf.${session.state.id}`);
      this.levelDb = audition.levelDb;
      list.begin(data.found);
      this.accept(data.found);
      this.choose(0);
      view.watch(() => {
        this.showBar();
        this.window();
        this.followTime();
      });
      view.scope.add(session.hear((event) => this.heard(event)));
      if (shared.scroller) {
        view.scope.on(shared.scroller, "scroll", () => this.window());
        view.scope.onResize(shared.scroller, () => this.window());
      }
      // The list is hidden while one looks online: it takes no keys then.
      view.keys([
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
        { key: "S", does: "those that sound like it; once more: all", run: () => this.askLike() },
        { key: "Shift+S", does: "what goes with all that plays at the playhead", run: () => this.askFits() },
        { key: "L", does: "its family, in Offshoots", run: () => this.showFamily(this.chosen) },
        { key: "I", does: "what is known of it; correct it", run: () => this.toggleAbout() },
        { key: "H", does: "favourite or not", run: () => this.favour() },
        { key: "Delete or Backspace", does: "take off the shelf; put back what was taken off", run: () => this.takeOff() },
        { key: "/", does: "search", run: () => document.getElementById("search")?.focus() },
      ], () => !this.online);
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
      this.endSearching();
      this.endNear();
      audition.end();
      view.end();
      if (this.hearing) app.stopHand();
    },
    /** @type {ReturnType<typeof setInterval> | undefined} */
    timer: undefined,

    // ---- the window of rows

    window() {
      if (!shared.scroller) return;
      const { first, last } = inSight(shared.scroller.scrollTop, shared.scroller.clientHeight, this.total);
      this.spacePixels = this.total * ROW_PIXELS;
      const picked = new Set(this.picked);
      const rows = [];
      const kept = new Map();
      const palette = paletteName();
      for (let i = first; i < last; i += 1) {
        const row = list.at(i);
        const isChosen = row?.sha === this.chosen;
        const about = `${i} ${row?.stamp} ${this.lay} ${isChosen} ${isChosen || picked.has(row?.sha ?? "")} ${row?.duration_ratio} ${row?.shift} ${row?.alike} ${row?.why} ${palette}`;
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
      if (see && shared.scroller) {
        const top = index * ROW_PIXELS;
        if (top < shared.scroller.scrollTop) shared.scroller.scrollTop = top;
        else if (top + ROW_PIXELS > shared.scroller.scrollTop + shared.scroller.clientHeight) shared.scroller.scrollTop = top + ROW_PIXELS - shared.scroller.clientHeight;
      }
      this.window();
      if (this.about) void this.showAbout();
      const told = [row?.name, row?.bars ? `${row.bars} bars` : "", row?.tempo_bpm ? `${bpm(row.tempo_bpm)} BPM` : "", row?.key];
      this.chosenText = told.filter(Boolean).join(", ");
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

    /** Who acts on what is chosen waits until it is known. @param {number} from @param {number} to */
    pickRange(from, to) {
      shared.picking = shared.tried(async () => {
        const shas = await list.shas();
        this.picked = shas.slice(Math.min(from, to), Math.max(from, to) + 1);
      });
      return shared.picking;
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
      const done = await session.submit({ kind: "place", hand: sha, beat: at, track: on, ...audition.laid });
      if (!done) return;
      const strand = session.state.strands.filter((s) => s.loop === sha).at(-1);
      const moved = strand?.key_shift ? ` It follows the song's key: ${semitones(strand.key_shift)}.` : "";
      const grown = session.state.last_bar > before ? ` The project now has ${session.state.last_bar} bars.` : "";
      session.say(`${row?.name ?? "The loop"} placed at bar ${barLine(metres, at).bar}.${moved}${grown}`);
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

    /** @param {"take_tempo" | "take_key" | "take_metre"} kind */
    give(kind) {
      void session.submit({ kind, hand: this.chosen });
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
  });
};

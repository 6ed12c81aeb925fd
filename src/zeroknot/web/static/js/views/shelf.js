// @ts-check
/** The shelf: find a loop, hear it, take it in hand, place it; bring files in. */

import { ApiError, getBytes, getJson, post, putFile } from "../api.js";
import { asLong, bpm, percent, seconds } from "../format.js";
import { Scope } from "../scope.js";
import { bindKeys } from "../ui/keys.js";
import { startDrag } from "../ui/drag.js";

/** @typedef {import("../types.js").ShelfRow} ShelfRow */
/** @typedef {import("../types.js").BringItem} BringItem */

const SURE = 0.6;

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const shelf = (session, app) => () => ({
  /** @type {any[]} */
  rows: [],
  words: "",
  chosen: "",
  hearing: "",
  way: "fitted",
  withRest: false,
  barText: "",
  /** @type {BringItem[]} */
  items: [],
  /** @type {Scope | null} */
  scope: null,
  searching: 0,

  init() {
    const scope = new Scope();
    this.scope = scope;
    const data = app.viewData();
    this.show(data.rows);
    this.chosen = this.rows[0]?.sha ?? "";
    scope.add(session.watch(() => this.showBar()));
    scope.add(session.hear((event) => this.heard(event)));
    scope.add(bindKeys("Shelf", [
      { key: "ArrowDown", does: "next loop", run: () => this.move(1) },
      { key: "ArrowUp", does: "loop before", run: () => this.move(-1) },
      { key: "Enter", does: "hear it", run: () => this.hear(this.chosen) },
      { key: "Escape", does: "let go", run: () => this.quiet() },
      { key: "F", does: "take in hand", run: () => this.take(this.chosen) },
      { key: "P", does: "place at the playhead's bar", run: () => this.place(this.chosen) },
      { key: "Delete", does: "take off the shelf", run: () => this.remove(this.chosen) },
      { key: "/", does: "search", run: () => document.getElementById("search")?.focus() },
    ]));
    this.timer = setInterval(() => this.showBar(), 250);
    this.refreshItems();
    this.showBar();
    this.reload();
  },

  destroy() {
    clearInterval(this.timer);
    this.scope?.end();
    if (this.hearing) app.stopHand();
  },
  /** @type {ReturnType<typeof setInterval> | undefined} */
  timer: undefined,

  /** @param {ShelfRow[]} rows */
  show(rows) {
    this.rows = rows.map((row, i) => ({
      ...row,
      yarn: i % 8,
      ringPath: `/api/loops/${row.sha}/ring.svg?yarn=${i % 8}`,
      fitPath: `/p/${session.state.id}/fit/${row.sha}`,
      tags: [row.sound, row.set, row.is_print ? "printed here" : row.file_kind, row.channels === 1 ? "mono" : "stereo"].filter(Boolean).join(" · "),
      length: row.bars === null ? seconds(row.seconds) : `${row.bars} bar${row.bars === 1 ? "" : "s"}`,
      tempo: bpm(row.tempo_bpm),
      sureness: row.tempo_bpm === null ? "cannot tell" : row.is_stated ? "stated by hand" : `${percent(row.confidence)} sure`,
      dot: row.tempo_bpm === null ? "dot none" : row.is_stated || row.confidence >= SURE ? "dot sure" : "dot unsure",
      ratio: asLong(row.duration_ratio),
      key: row.key ?? "–",
      claim: row.claimed_bpm && row.tempo_bpm && Math.abs(row.claimed_bpm / row.tempo_bpm - 1) > 0.01
        ? `file says ${bpm(row.claimed_bpm)}` : "",
    }));
    if (!this.rows.some((r) => r.sha === this.chosen)) this.chosen = this.rows[0]?.sha ?? "";
  },

  async search() {
    this.searching += 1;
    const turn = this.searching;
    try {
      const query = new URLSearchParams({ words: this.words, project: session.state.id });
      const rows = await getJson(`/api/shelf?${query}`);
      if (turn === this.searching) this.show(rows);
    } catch (error) {
      if (error instanceof ApiError) session.say(error.message, "error");
    }
  },

  reload() {
    return this.search();
  },

  showBar() {
    const bar = Math.floor(session.beat() / session.state.beats_per_bar + 1e-6) + 1;
    const text = `Place at bar ${bar}`;
    if (this.barText !== text) this.barText = text;
    const sounding = session.engine_?.hand.isPlaying || session.engine_?.song.withHand;
    if (this.hearing && !sounding && !session.engine_?.hand.isWaiting && !this.starting) this.hearing = "";
  },
  starting: false,

  /** @param {string} sha */
  choose(sha) {
    this.chosen = sha;
  },

  /** @param {number} by */
  move(by) {
    const at = this.rows.findIndex((r) => r.sha === this.chosen);
    const row = this.rows[Math.max(0, Math.min(this.rows.length - 1, at + by))];
    if (!row) return;
    this.chosen = row.sha;
    document.getElementById(`row-${row.sha}`)?.scrollIntoView({ block: "nearest" });
    if (this.hearing) this.start(row.sha);
  },

  /** @param {string} sha */
  hear(sha) {
    if (this.hearing === sha) this.quiet();
    else this.start(sha);
  },

  /** @param {string} sha */
  async start(sha) {
    if (!sha) return;
    this.chosen = sha;
    this.hearing = sha;
    this.starting = true;
    await app.hearHand(sha, this.way, this.withRest);
    this.starting = false;
  },

  quiet() {
    this.hearing = "";
    app.stopHand();
  },

  /** @param {string} way */
  setWay(way) {
    this.way = way;
    if (this.hearing) this.start(this.hearing);
  },

  toggleRest() {
    this.withRest = !this.withRest;
    if (this.hearing) this.start(this.hearing);
  },

  /** @param {string} sha */
  take(sha) {
    if (sha) app.go(`/p/${session.state.id}/fit/${sha}`);
  },

  /** @param {string} sha @param {number} [beat] @param {string | null} [track] */
  async place(sha, beat, track = null) {
    if (!sha) return;
    const bar = session.state.beats_per_bar;
    const at = beat ?? Math.floor(session.beat() / bar + 1e-6) * bar;
    const name = this.rows.find((r) => r.sha === sha)?.name ?? "";
    const done = await session.submit({ kind: "place", hand: sha, beat: at, track });
    if (done) session.say(`${name} placed at bar ${Math.floor(at / bar + 1e-6) + 1}.`);
  },

  /** @param {PointerEvent} event @param {string} sha */
  grab(event, sha) {
    this.chosen = sha;
    const row = this.rows.find((r) => r.sha === sha);
    startDrag(event, row?.name ?? "", (x, y) => {
      const beat = app.strip?.barAt(x, y) ?? null;
      return beat === null ? null : `bar ${beat / session.state.beats_per_bar + 1}`;
    }, (x, y) => {
      const beat = app.strip?.barAt(x, y) ?? null;
      if (beat !== null) this.place(sha, beat);
    });
  },

  /** @param {string} sha */
  async remove(sha) {
    const row = this.rows.find((r) => r.sha === sha);
    if (!row) return;
    try {
      await post(`/api/loops/${sha}/remove`);
      await this.reload();
      session.say(`${row.name} left the shelf.`, "info", {
        label: "Put back",
        run: async () => {
          await post(`/api/loops/${sha}/put-back`);
          this.reload();
        },
      });
    } catch (error) {
      if (error instanceof ApiError) session.say(error.message, "error");
    }
  },

  /** @param {string} sha */
  download(sha) {
    downloadWav(session, sha);
  },

  /** @param {Event} event */
  picked(event) {
    const field = /** @type {HTMLInputElement} */ (event.target);
    bringIn(session, [...(field.files ?? [])].map((file) => ({
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

  /** @param {any} event */
  heard(event) {
    if (event.kind === "bring") {
      this.noteItem(event.item);
      if (event.item.state === "done") this.reload();
    } else if (event.kind === "shelf" || event.kind === "loop") this.reload();
    else if (event.kind === "bring_cleared" || event.kind === "hello") this.refreshItems();
  },

  async refreshItems() {
    try {
      /** @type {BringItem[]} */
      const items = await getJson("/api/bring");
      this.items = items.map(shownItem).reverse();
    } catch {
      this.items = [];
    }
  },

  /** @param {BringItem} item */
  noteItem(item) {
    const rest = this.items.filter((i) => i.id !== item.id);
    const at = this.items.findIndex((i) => i.id === item.id);
    if (at < 0) this.items = [shownItem(item), ...rest];
    else this.items = this.items.map((i) => (i.id === item.id ? shownItem(item) : i));
  },

  get waitingCount() {
    return this.items.filter((i) => i.state === "waiting" || i.state === "listening").length;
  },

  get bringText() {
    const waiting = this.waitingCount;
    const count = (/** @type {string} */ state) => this.items.filter((i) => i.state === state).length;
    const parts = [];
    if (waiting) parts.push(`listening, ${waiting} to go`);
    if (count("done")) parts.push(`${count("done")} brought in`);
    if (count("double")) parts.push(`${count("double")} there already`);
    if (count("refused")) parts.push(`${count("refused")} refused`);
    return parts.join(" · ");
  },

  get isEmpty() {
    return this.rows.length === 0 && this.words === "";
  },

  get foundNothing() {
    return this.rows.length === 0 && this.words !== "";
  },

  get countText() {
    return `Search ${this.rows.length} loops`;
  },

  get troubles() {
    return this.items.filter((i) => i.state === "refused" || i.state === "double");
  },

  get hearText() {
    return this.hearing && this.hearing === this.chosen ? "Stop" : "Hear it";
  },

  cancelBringing() {
    post("/api/bring/cancel");
  },

  forgetItems() {
    post("/api/bring/forget");
  },
});

/** @param {BringItem} item */
const shownItem = (item) => ({
  ...item,
  text: item.state === "refused" ? `${item.name}: ${item.reason}` : `${item.name}: on the shelf already`,
});

/**
 * Send files one after another; each says for itself how it went.
 * @param {import("../session.js").Session} session @param {{file: File, name: string}[]} files
 */
export async function bringIn(session, files) {
  if (!files.length) {
    session.say("There was no file in that.", "error");
    return;
  }
  for (const { file, name } of files) {
    try {
      await putFile(`/api/incoming?name=${encodeURIComponent(name)}`, file);
    } catch (error) {
      if (error instanceof ApiError) session.say(`${name}: ${error.message}`, "error");
      else session.say(`${name} could not be read.`, "error");
    }
  }
}

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

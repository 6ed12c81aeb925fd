// @ts-check
/** Loops found online: searched, heard before, brought in. Every trouble is said where it happens. */

import { ApiError, getBytes, getJson, post } from "../net/api.js";
import { bpm, seconds } from "../format.js";

const PAGE = 50;

/** @typedef {{id: string, name: string, maker: string, tags: string[], tempo_bpm: number | null, bars: number | null, key: string | null, seconds: number | null, licence: string, file_name: string}} OnlineLoop */

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const online = (session, app) => () => {
  /** @type {AudioBufferSourceNode | null} */
  let source = null;
  let turn = 0;
  let previewTurn = 0;

  return {
    name: "",
    words: "",
    tag: "",
    /** @type {{tag: string, on: string}[]} */
    tags: [],
    /** @type {any[]} */
    loops: [],
    total: 0,
    state: "asking",
    trouble: "",
    heard: "",
    /** @type {Record<string, string>} */
    fetched: {},

    init() {
      void this.connect();
    },

    destroy() {
      this.quiet();
    },

    async connect() {
      this.state = "asking";
      this.trouble = "";
      try {
        const about = await getJson("/api/exchange");
        this.name = about.practice ? `${about.name} (made-up loops, for practice)` : about.name;
        this.tags = about.tags.map((/** @type {{tag: string}} */ t) => ({ tag: t.tag, on: "false" }));
        await this.search();
      } catch (error) {
        this.failed(error);
      }
    },

    async search() {
      turn += 1;
      const mine = turn;
      this.state = "asking";
      this.trouble = "";
      try {
        const asked = new URLSearchParams({ words: this.words, tag: this.tag });
        const page = await getJson(`/api/exchange/loops?${asked}`);
        if (mine !== turn) return;
        this.total = page.total;
        this.loops = page.loops.map((/** @type {OnlineLoop} */ loop) => this.shown(loop));
        this.state = "there";
      } catch (error) {
        if (mine === turn) this.failed(error);
      }
    },

    /** @param {OnlineLoop} loop */
    shown(loop) {
      return {
        loop,
        id: loop.id,
        name: loop.name,
        about: [loop.maker, ...loop.tags, loop.licence].filter(Boolean).join(" · "),
        tempo: bpm(loop.tempo_bpm),
        key: loop.key ?? "–",
        length: loop.bars ? `${loop.bars} bar${loop.bars === 1 ? "" : "s"}` : seconds(loop.seconds),
      };
    },

    /** @param {unknown} error */
    failed(error) {
      if (!(error instanceof ApiError)) throw error;
      this.state = "failed";
      this.trouble = error.message;
    },

    /** @param {string} tag */
    askTag(tag) {
      this.tag = this.tag === tag ? "" : tag;
      this.tags = this.tags.map((t) => ({ ...t, on: String(t.tag === this.tag) }));
      void this.search();
    },

    /** @param {string} id */
    async preview(id) {
      const again = this.heard === id;
      this.quiet();
      if (again) return;
      previewTurn += 1;
      const mine = previewTurn;
      this.heard = id;
      try {
        const engine = session.engine();
        app.stopHand();
        const { data } = await getBytes(`/api/exchange/loops/${encodeURIComponent(id)}/preview`);
        const buffer = await engine.context.decodeAudioData(data);
        if (mine !== previewTurn) return;
        source = new AudioBufferSourceNode(engine.context, { buffer, loop: true });
        source.connect(engine.mixer.hand.node);
        source.start();
      } catch (error) {
        if (mine !== previewTurn) return;
        this.heard = "";
        session.say(error instanceof ApiError ? error.message : "That preview is no sound that can be played.", "error");
      }
    },

    quiet() {
      previewTurn += 1;
      source?.stop();
      source?.disconnect();
      source = null;
      this.heard = "";
    },

    /** @param {{id: string, name: string, loop: OnlineLoop}} row */
    async bring(row) {
      this.fetched = { ...this.fetched, [row.id]: "Fetching…" };
      try {
        await post("/api/exchange/bring", row.loop);
        this.fetched = { ...this.fetched, [row.id]: "Brought in" };
      } catch (error) {
        this.fetched = { ...this.fetched, [row.id]: "" };
        if (!(error instanceof ApiError)) throw error;
        session.say(error.message, "error");
      }
    },

    /** @param {string} id */
    bringText(id) {
      return this.fetched[id] || "Bring in";
    },

    /** @param {string} id */
    isFetching(id) {
      return Boolean(this.fetched[id]);
    },

    get moreText() {
      return this.total > PAGE ? `The first ${PAGE} of ${this.total}; more words narrow it down.` : "";
    },
  };
};

// @ts-check
/** Puts the page together: session, views, transport; then the views' controls come alive. */

import Alpine from "../vendor/alpine-csp.js";
import { ApiError, getJson } from "./api.js";
import { AS_THEY_ARE } from "./engine/hand.js";
import { Router } from "./router.js";
import { Session } from "./session.js";
import "./ui/drag-bar.js";
import "./ui/wave-thumb.js";
import { arrange } from "./views/arrange.js";
import { fit } from "./views/fit.js";
import { help, notices, paletteSwitch } from "./views/around.js";
import { defineMeter } from "./views/meter.js";
import { bringIn, shelf } from "./views/shelf.js";
import { startStrip } from "./views/strip.js";
import { cycleOf, setCycle, transport } from "./views/transport.js";

const MATCH_AFTER_MS = 600;

/** What views share beside the session. */
export class App {
  /** @param {Session} session */
  constructor(session) {
    this.session = session;
    /** @type {ReturnType<typeof startStrip> | null} */
    this.strip = null;
    /** @type {Router | null} */
    this.router = null;
    this.starting = false;
    this.turn = 0;
  }

  /** The data the server laid into the current view. */
  viewData() {
    return JSON.parse(document.getElementById("view-data")?.textContent ?? "{}");
  }

  /** @param {string} path */
  go(path) {
    this.router?.show(path, true);
  }

  /**
   * Hear a loop or strand: alone (as recorded, as fitted, its seam, by another method) or with the
   * rest of the song.
   * @param {string} hand @param {string} way @param {boolean} withRest @param {string} against method
   */
  async hearHand(hand, way, withRest, against = "") {
    const engine = this.session.engine();
    this.turn += 1;
    const turn = this.turn;
    this.starting = true;
    try {
      if (withRest && way === "fitted") {
        engine.hand.stop();
        engine.mixer.hearRest(true);
        this.session.setHand(hand);
        await this.sheetWithHand(hand);
        if (turn !== this.turn) return;
        engine.song.hearHand(hand);
        if (!engine.song.isPlaying) await engine.song.play();
        return;
      }
      engine.song.hearHand(null);
      const bar = this.session.state.beats_per_bar;
      const beat = Math.max(0, Math.floor(this.session.beat() / bar + 1e-6) * bar);
      const compared = against ? `&against=${against}` : "";
      const sheet = await getJson(`${this.session.path}/hand/${hand}/sheet?beat=${beat}${compared}`);
      if (turn !== this.turn) return;
      engine.mixer.hearRest(withRest);
      if (withRest && !engine.song.isPlaying) engine.song.play();
      const pattern = /** @type {import("./engine/hand.js").Way} */ (way);
      engine.hand.gains = this.matched.get(pairOf(sheet)) ?? { ...AS_THEY_ARE };
      const isOther = engine.hand.sheet?.source !== sheet.source;
      if (isOther) engine.hand.stop();
      await engine.hand.hear(sheet, pattern);
      this.match(sheet, pattern, turn);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.session.say(error.message, "error");
      this.stopHand();
    } finally {
      if (turn === this.turn) this.starting = false;
    }
  }

  /** Bring all ways to one loudness: the recording and another method follow the fitted one. @param {import("./types.js").HandSheet} sheet @param {import("./engine/hand.js").Way} way @param {number} turn */
  async match(sheet, way, turn) {
    if (this.matched.has(pairOf(sheet))) return;
    // Measuring renders the whole pass: not while the first blocks are on their way.
    await new Promise((done) => setTimeout(done, MATCH_AFTER_MS));
    if (turn !== this.turn) return;
    const { recorded, fitted } = await getJson(`/api/renders/${sheet.digest}/loudness/body`);
    let other = fitted;
    if (sheet.against !== sheet.digest) {
      if (turn !== this.turn) return;
      other = (await getJson(`/api/renders/${sheet.against}/loudness/body`)).fitted;
    }
    const gains = { recorded: gainTo(fitted, recorded), fitted: 1, against: gainTo(fitted, other) };
    this.matched.set(pairOf(sheet), gains);
    if (turn !== this.turn || !this.session.engine_?.hand.isPlaying) return;
    this.session.engine_.hand.gains = gains;
    if (way === "recorded" || way === "against") this.session.engine_.hand.hear(sheet, way);
  }

  /** Wait until the sheet that is played holds the hand's events. @param {string} hand */
  async sheetWithHand(hand) {
    for (let i = 0; i < 200; i += 1) {
      if (this.session.hand === hand && this.session.engine_?.song.sheet?.hand_events.length) return;
      await new Promise((done) => setTimeout(done, 10));
    }
  }

  /** What is in hand is let go; the song plays on if it was playing. */
  stopHand() {
    this.turn += 1;
    this.starting = false;
    const engine = this.session.engine_;
    if (!engine) return;
    engine.hand.stop();
    engine.song.hearHand(null);
    engine.mixer.hearRest(true);
  }

  /** @type {Map<string, import("./engine/hand.js").Gains>} */
  matched = new Map();
}

/** What is heard against what. @param {import("./types.js").HandSheet} sheet */
const pairOf = (sheet) => `${sheet.digest}/${sheet.against}`;

/** Linear gain that brings one loudness to another; none where either is hardly there. @param {number} wanted dB @param {number} is dB */
const gainTo = (wanted, is) => (wanted > -90 && is > -90 ? Math.max(0.1, Math.min(4, 10 ** ((wanted - is) / 20))) : 1);

const session = new Session(JSON.parse(document.getElementById("state")?.textContent ?? "{}"));
const app = new App(session);

Alpine.data("transport", transport(session));
Alpine.data("shelf", shelf(session, app));
Alpine.data("fit", fit(session, app));
Alpine.data("arrange", arrange(session, app));
Alpine.data("notices", notices(session));
Alpine.data("help", help);
Alpine.data("palette", paletteSwitch(session));

defineMeter(session);
app.router = new Router(/** @type {HTMLElement} */ (document.getElementById("view")), session);
Alpine.start();
session.start();
app.strip = startStrip(session, /** @type {HTMLCanvasElement} */ (document.getElementById("strip")));

// The engine is made in the first gesture, as browsers want it.
const wake = () => {
  const engine = session.engine();
  engine.song.setCycle(cycleOf(session).on ? cycleOf(session) : null);
  session.changed();
};
window.addEventListener("pointerdown", wake, { once: true, capture: true });
window.addEventListener("keydown", wake, { once: true, capture: true });

// Files may be dropped anywhere.
window.addEventListener("dragover", (event) => {
  if (!event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  document.body.classList.add("dropping");
});
window.addEventListener("dragleave", (event) => {
  if (event.relatedTarget === null) document.body.classList.remove("dropping");
});
window.addEventListener("drop", async (event) => {
  if (!event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  document.body.classList.remove("dropping");
  // A folder is known by its entry; a file without one is taken as it is.
  const dropped = [...event.dataTransfer.items].filter((item) => item.kind === "file").map((item) => {
    const entry = item.webkitGetAsEntry();
    const file = item.getAsFile();
    if (entry) return filesOf(entry, "");
    return Promise.resolve(file ? [{ file, name: file.name }] : []);
  });
  const files = (await Promise.all(dropped)).flat();
  if (!location.pathname.endsWith("/shelf")) session.say(`Bringing in ${files.length} file${files.length === 1 ? "" : "s"}; they appear on the shelf.`);
  bringIn(session, files);
});

/** A dropped file, or all the files of a dropped folder. @param {FileSystemEntry} entry @param {string} folder @returns {Promise<{file: File, name: string}[]>} */
async function filesOf(entry, folder) {
  const name = `${folder}${entry.name}`;
  if (entry.isFile) {
    const file = await new Promise((done, failed) => /** @type {FileSystemFileEntry} */ (entry).file(done, failed));
    return [{ file, name }];
  }
  const reader = /** @type {FileSystemDirectoryEntry} */ (entry).createReader();
  /** @type {FileSystemEntry[]} */
  const inside = [];
  for (;;) {
    /** @type {FileSystemEntry[]} */
    const some = await new Promise((done, failed) => reader.readEntries(done, failed));
    if (!some.length) break;
    inside.push(...some);
  }
  return (await Promise.all(inside.map((e) => filesOf(e, `${name}/`)))).flat();
}

// For tests that listen to what is played.
Object.assign(window, { zeroKnot: { session, app, setCycle } });

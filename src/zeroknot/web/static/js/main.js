// @ts-check
/** Puts the page together: session, views, transport; then the views' controls come alive. */

import Alpine from "../vendor/alpine-csp.js";
import { ApiError, getJson, isGivenUp } from "./net/api.js";
import { AS_THEY_ARE } from "./engine/patterns.js";
import { Router } from "./router.js";
import { Session } from "./session.js";
import "./ui/drag-bar.js";
import { shows } from "./ui/fields.js";
import "./ui/tempo-range.js";
import { bringIn, bringing, shelved } from "./shelf/bringing.js";
import { barLine } from "./metre.js";
import { coil } from "./arrange/coil.js";
import { Coiling } from "./arrange/coiling.js";
import { line } from "./arrange/line.js";
import { lowEnd } from "./arrange/low-end.js";
import { sound } from "./arrange/sound.js";
import { Writing } from "./arrange/writing.js";
import { arrange } from "./views/arrange.js";
import { fit } from "./views/fit.js";
import { groove } from "./views/groove.js";
import { keyView } from "./views/key.js";
import { jobs } from "./views/jobs.js";
import { away, help, notices, paletteSwitch } from "./views/around.js";
import { defineMeter } from "./views/meter.js";
import { online } from "./views/online.js";
import { shelf } from "./views/shelf.js";
import { offshoots } from "./views/offshoots.js";
import { slices } from "./views/slices.js";
import { startStrip } from "./views/strip.js";
import { beginsAgain, cycleOf, setCycle } from "./cycle.js";
import { transport } from "./views/transport.js";
import { versions } from "./views/versions.js";

const MATCH_AFTER_MS = 600;
const MOST_MATCH_DB = 15;

/**
 * against: a method or set of knots to compare with; clicks: a groove that is ticked beside; range: a stretch of the recording instead of the pass; order: its pieces in their order instead of the whole; audition: how it is laid and shifted, as a query; atBar: it
 * joins the song at the next bar line; matchTo: the loudness in dB that what is fitted is brought to.
 * @typedef {{matchTo?: number, against?: string, clicks?: string, range?: [number, number], audition?: string, atBar?: boolean, order?: boolean}} Hearing
 */

/** What views share beside the session. */
export class App {
  /** @param {Session} session */
  constructor(session) {
    this.session = session;
    /** @type {ReturnType<typeof startStrip> | null} */
    this.strip = null;
    /** @type {Router | null} */
    this.router = null;
    /** @type {((clientX: number) => number) | null} the beat under a point of Arrange's lanes, while it is open */
    this.laneBeat = null;
    this.starting = false;
    /** The coil as it is played, whichever view is open. */
    this.coiling = new Coiling(session);
    this.writing = new Writing(session);
    /** Pixels that a beat takes in Arrange. */
    this.lanePerBeat = () => 1;
    /** How far they are scrolled, in pixels. */
    this.laneScroll = () => 0;
    this.turn = 0;
  }

  /** The data the server laid into the current view. */
  viewData() {
    return JSON.parse(document.getElementById("view-data")?.textContent ?? "{}");
  }

  /** @param {string} path */
  go(path) {
    void this.router?.show(path, true);
  }

  /**
   * Hear a loop or strand: alone (as recorded, as fitted, its seam, by another method) or with the
   * rest of the song.
   * @param {string} hand @param {string} way @param {boolean} withRest @param {Hearing} [how]
   */
  async hearHand(hand, way, withRest, how = {}) {
    const engine = this.session.engine();
    this.turn += 1;
    const turn = this.turn;
    this.starting = true;
    try {
      if (withRest && way === "fitted") {
        engine.mixer.hearRest(true);
        engine.song.waitsForBar = how.atBar ?? false;
        await this.session.setHand(hand, how.audition ?? "");
        if (turn !== this.turn) return;
        engine.hand.stop();
        engine.song.waitsForBar = how.atBar ?? false;
        engine.song.hearHand(hand);
        engine.song.play();
        return;
      }
      engine.song.hearHand(null);
      const { beat } = barLine(this.session.state.metres, Math.max(0, this.session.beat()));
      const query = [`beat=${beat}`, how.against && `against=${how.against}`, how.clicks && `clicks=${how.clicks}`, how.order && "order=true", how.audition].filter(Boolean).join("&");
      const sheet = await getJson(`${this.session.path}/hand/${hand}/sheet?${query}`);
      if (how.range) [sheet.zero_s, sheet.end_s, sheet.is_range] = [...how.range, true];
      if (turn !== this.turn) return;
      engine.mixer.hearRest(withRest);
      if (withRest) engine.song.play();
      const pattern = /** @type {import("./engine/patterns.js").Way} */ (way);
      const known = how.matchTo === undefined ? this.matched.get(pairOf(sheet)) : this.levelled(sheet, how.matchTo);
      engine.hand.gains = known ?? { ...AS_THEY_ARE };
      engine.hand.hear(sheet, pattern);
      if (how.matchTo !== undefined) void this.matchTo(how.matchTo, sheet, pattern, turn);
      else if (!how.audition && !how.range) void this.match(sheet, pattern, turn);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.session.say(error.message, "error");
      this.stopHand();
    } finally {
      if (turn === this.turn) this.starting = false;
    }
  }

  /** Gains that bring what is fitted to a loudness; none where nobody measured it yet. @param {import("./types.js").HandSheet} sheet @param {number} db */
  levelled(sheet, db) {
    const level = this.levels.get(sheet.digest);
    return level === undefined ? null : { ...AS_THEY_ARE, fitted: gainTo(Math.max(level - MOST_MATCH_DB, Math.min(level + MOST_MATCH_DB, db)), level) };
  }

  /** Bring what is fitted to a loudness, once it is measured. @param {number} db @param {import("./types.js").HandSheet} sheet @param {import("./engine/patterns.js").Way} way @param {number} turn */
  async matchTo(db, sheet, way, turn) {
    if (this.levels.has(sheet.digest)) return;
    await new Promise((done) => setTimeout(done, MATCH_AFTER_MS));
    if (turn !== this.turn) return;
    this.levels.set(sheet.digest, (await getJson(`/api/renders/${sheet.digest}/loudness/body`)).fitted);
    const gains = this.levelled(sheet, db);
    if (turn !== this.turn || !gains || !this.session.engine_?.hand.isPlaying) return;
    this.session.engine_.hand.gains = gains;
    this.session.engine_.hand.hear(sheet, way);
  }

  /** Bring all ways to one loudness: the recording and another method follow the fitted one. @param {import("./types.js").HandSheet} sheet @param {import("./engine/patterns.js").Way} way @param {number} turn */
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

  /** Loudness in dB of renders that were measured, by their digest. @type {Map<string, number>} */
  levels = new Map();

  /** @type {Map<string, import("./engine/patterns.js").Gains>} */
  matched = new Map();
}

/** What is heard against what. @param {import("./types.js").HandSheet} sheet */
const pairOf = (sheet) => `${sheet.digest}/${sheet.against}`;

/** Linear gain that brings one loudness to another; none where either is hardly there. @param {number} wanted dB @param {number} is dB */
const gainTo = (wanted, is) => (wanted > -90 && is > -90 ? Math.max(0.1, Math.min(4, 10 ** ((wanted - is) / 20))) : 1);

const session = new Session(JSON.parse(document.getElementById("state")?.textContent ?? "{}"));
const app = new App(session);

Alpine.data("transport", transport(session));
Alpine.data("versions", versions(session));
Alpine.data("shelf", shelf(session, app));
Alpine.data("bringing", bringing(session));
Alpine.data("online", online(session, app));
Alpine.data("fit", fit(session, app));
Alpine.data("groove", groove(session, app));
Alpine.data("key", keyView(session, app));
Alpine.data("slices", slices(session, app));
Alpine.data("offshoots", offshoots(session, app));
Alpine.data("arrange", arrange(session, app));
Alpine.data("coil", coil(session, app));
Alpine.data("sound", sound(session, app));
Alpine.data("line", line(session, app));
Alpine.data("lowEnd", lowEnd(session));
Alpine.data("notices", notices(session));
Alpine.data("help", help);
Alpine.data("jobs", jobs(session));
Alpine.data("away", away);
Alpine.data("palette", paletteSwitch(session));

defineMeter(session);
app.router = new Router(/** @type {HTMLElement} */ (document.getElementById("view")), session);
Alpine.directive("shows", shows);
Alpine.start();
session.start();
app.strip = startStrip(session, /** @type {HTMLCanvasElement} */ (document.getElementById("strip")));

// The engine is made in the first gesture, as browsers want it.
const wake = () => {
  const engine = session.engine();
  engine.song.setCycle(cycleOf(session).on ? cycleOf(session) : null);
  engine.song.beginsAgain = beginsAgain(session);
  session.changed();
};
window.addEventListener("pointerdown", wake, { once: true, capture: true });
window.addEventListener("keydown", wake, { once: true, capture: true });

// What nobody answers for: a known failure becomes a notice, all else stays a page error.
window.addEventListener("unhandledrejection", (event) => {
  if (isGivenUp(event.reason)) event.preventDefault();
  if (!(event.reason instanceof ApiError)) return;
  event.preventDefault();
  session.say(event.reason.message, "error");
});

// A bar was given a value that it does not hold.
window.addEventListener("refused", (event) => session.say(/** @type {CustomEvent} */ (event).detail, "error"));

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
  const target = placeUnder(event);
  const files = (await Promise.all(dropped)).flat();
  if (!location.pathname.endsWith("/shelf")) session.say(`Bringing in ${files.length} file${files.length === 1 ? "" : "s"}; they appear on the shelf.`);
  const items = await bringIn(session, files);
  if (!target) return;
  // Dropped on a track or a bar: each is placed there as soon as it has been listened to.
  for (const item of items) {
    const sha = await shelved(item.id);
    if (sha) await session.submit({ kind: "place", hand: sha, beat: target.beat, track: target.track });
  }
});

/** The bar, and the track, that something is dropped on; null for neither. @param {DragEvent} event @returns {{beat: number, track: string | null} | null} */
function placeUnder(event) {
  const onStrip = app.strip?.barAt(event.clientX, event.clientY);
  if (onStrip != null) return { beat: onStrip, track: null };
  const lane = /** @type {HTMLElement | null} */ (/** @type {Element | null} */ (event.target)?.closest?.("[data-lane]"));
  if (!lane) return null;
  const beat = app.laneBeat?.(event.clientX) ?? Math.max(0, session.beat());
  return { beat: barLine(session.state.metres, beat).beat, track: lane.dataset.lane || null };
}

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
Object.assign(window, { zeroKnot: { session, app, setCycle, module: (/** @type {string} */ path) => import(`./${path}`) } });

// @ts-check
/** What is done to the slices that are chosen, or to all. */

import { round, typedNumber } from "../format.js";
import { getJson } from "../net/api.js";
import { section } from "../sections.js";
import { common, edgeText, ownCount, whereText } from "./model.js";

/** @typedef {import("../types.js").Piece["shape"]} Shape */

/** @type {Shape} */
const UNSHAPED = {
  attack_ms: 0, decay_ms: 0, sustain: 1, release_ms: 0, bend: 0, bend_rise_ms: 0, bend_ms: 80, bend_sustain: 0,
  filter: "off", cutoff_hz: 2000, resonance_db: 0, sweep: 0, sweep_ms: 200, wave: 0, wave_beats: 4, drive_db: 0,
};
const [LOWEST_HZ, HIGHEST_HZ, STEPS_AN_OCTAVE] = [20, 20_000, 12];

/** @param {import("./shared.js").Shared} shared */
export const pieces = (shared) => section(shared.whole, {
  pieceTitle: "All slices", pieceAbout: "", edgeText: "", pieceName: "", pieceLevel: 0, piecePan: 0, pieceShift: 0, pieceFadeIn: 0, pieceFadeOut: 0,
  pieceLength: "laid", shape: { ...UNSHAPED }, pieceReversed: false, pieceMuted: false, pieceRings: false, pieceHeld: false, anyHeld: false, isOne: false, canJoin: false,
  pieceSway: 0, pieceSwayBeats: 4, pieceRoom: -60, pieceEcho: -60, pieceMethod: "", pieceChoke: 0, piecePad: "", isBorrowed: false,

  showPieces() {
    const { facts } = shared;
    const which = shared.meant;
    const meant = which.length ? which.map((i) => facts.pieces[i]).filter(Boolean) : facts.pieces;
    this.isOne = which.length === 1 && !!meant.length;
    this.isBorrowed = this.isOne && which[0] >= ownCount(facts);
    this.canJoin = this.isOne && which[0] > 0 && !this.isBorrowed;
    this.pieceTitle = !which.length ? "All slices" : this.isOne ? `Slice ${which[0] + 1}` : `${which.length} slices`;
    this.piecePad = this.isOne ? String(facts.pads.indexOf(which[0]) + 1) : "";
    this.pieceAbout = this.isOne ? `${whereText(facts, which[0])} · pad ${this.piecePad}` : "";
    this.edgeText = this.isOne ? edgeText(shared.risks[which[0]], meant[0]) : "";
    this.pieceName = this.isOne ? meant[0].name : "";
    this.pieceLevel = round(common(meant.map((p) => p.gain_db), 0), 2);
    this.piecePan = round(100 * common(meant.map((p) => p.pan), 0), 1);
    this.pieceSway = round(100 * common(meant.map((p) => p.sway), 0), 1);
    this.pieceRoom = common(meant.map((p) => p.room_db), -60);
    this.pieceEcho = common(meant.map((p) => p.echo_db), -60);
    this.pieceSwayBeats = common(meant.map((p) => p.sway_beats), 4);
    this.pieceMethod = common(meant.map((p) => p.method), "-");
    this.pieceChoke = common(meant.map((p) => p.choke), -1);
    this.pieceShift = round(common(meant.map((p) => p.semitones), 0), 2);
    this.pieceFadeIn = round(common(meant.map((p) => p.fade_in_ms), 4), 1);
    this.pieceFadeOut = round(common(meant.map((p) => p.fade_out_ms), 6), 1);
    for (const name of /** @type {(keyof Shape)[]} */ (Object.keys(UNSHAPED))) {
      Object.assign(this.shape, { [name]: common(meant.map((p) => p.shape[name]), UNSHAPED[name]) });
    }
    this.cutoffSteps = round(STEPS_AN_OCTAVE * Math.log2(this.shape.cutoff_hz / LOWEST_HZ), 1);
    this.cutoffText = `${round(this.shape.cutoff_hz, this.shape.cutoff_hz < 1000 ? 0 : -1)} Hz`;
    this.pieceLength = common(meant.map((p) => p.length), /** @type {"laid"} */ (""));
    this.pieceReversed = meant.length > 0 && meant.every((p) => p.reverse);
    this.pieceMuted = meant.length > 0 && meant.every((p) => p.muted);
    this.pieceRings = meant.length > 0 && meant.every((p) => p.rings);
    this.pieceHeld = meant.length > 0 && meant.every((p) => p.held);
    this.anyHeld = facts.pieces.some((p) => p.held);
  },

  /** Would they click, were there no fades? Asked anew where cuts changed. */
  async askEdges() {
    if (!shared.facts.is_cut) return;
    const found = await shared.view.ask("edges", (signal) => getJson(`${shared.held.path}/edges`, signal));
    if (!found) return;
    shared.risks = found.edges;
    this.showPieces();
  },

  /** @param {Record<string, unknown>} given @returns {import("../types.js").FitIntent} */
  pieceIntent(given) {
    return /** @type {import("../types.js").FitIntent} */ ({ kind: "change_pieces", which: shared.meant, ...given });
  },

  /** A setting of those meant, by the name the server has for it. @param {string} name @param {unknown} value */
  setPiece(name, value) {
    // What is asked next counts from this, whenever its answer comes.
    for (const i of shared.meant) Object.assign(shared.facts.pieces[i] ?? {}, { [name]: value });
    this.showPieces();
    void shared.change(this.pieceIntent({ [name]: value }));
  },

  /** Heard while it is dragged. @param {string} name @param {unknown} value */
  tryPiece(name, value) {
    if (this.mixPiece(name, value)) return;
    shared.trial.want(this.pieceIntent({ [name]: value }));
  },

  /** Part of the shape of those meant. @param {string} name @param {unknown} value */
  setShape(name, value) {
    void shared.change(this.pieceIntent({ shape: { [name]: value } }));
  },

  /** @param {string} name @param {unknown} value */
  tryShape(name, value) {
    if (this.mixPiece(name, value, true)) return;
    shared.trial.want(this.pieceIntent({ shape: { [name]: value } }));
  },

  /** A cutoff is dragged by pitch, not by Hz. @param {number} steps @param {boolean} isTried */
  setCutoff(steps, isTried) {
    const hertz = round(Math.min(HIGHEST_HZ, LOWEST_HZ * 2 ** (steps / STEPS_AN_OCTAVE)), 1);
    if (isTried) this.tryShape("cutoff_hz", hertz);
    else this.setShape("cutoff_hz", hertz);
  },
  cutoffSteps: 0, cutoffText: "",

  togglePiece: /** @param {"reverse" | "muted" | "rings" | "held"} name */ function (name) {
    const now = { reverse: this.pieceReversed, muted: this.pieceMuted, rings: this.pieceRings, held: this.pieceHeld }[name];
    this.setPiece(name, !now);
  },

  /** Note values that are no round number are told from one another. @param {number} a @param {number} b */
  nearly: (a, b) => Math.abs(a - b) < 1e-6,

  /** The slice to another pad, which gets its. @param {string} text */
  setPad(text) {
    const [index] = shared.meant;
    const pad = typedNumber(text);
    const { pads } = shared.facts;
    if (pad === null || !Number.isInteger(pad) || pad < 1 || pad > pads.length) {
      this.showPieces();
      return shared.held.refuse(`“${text}” is not a pad: there are ${pads.length}.`);
    }
    if (index !== undefined) this.swapPads(pads.indexOf(index), pad - 1);
  },

  /** @param {number} pad @param {number} other */
  swapPads(pad, other) {
    if (pad !== other) void shared.change({ kind: "swap_pads", pad, other });
  },

  giveBack() {
    const [index] = shared.meant;
    if (index !== undefined) void shared.change({ kind: "give_back", index });
  },

  /** @param {number} by semitones */
  transpose(by) {
    void shared.change(this.pieceIntent({ by }));
  },

  /** @param {"join" | "split"} how */
  mend(how) {
    const [index] = shared.meant;
    if (index !== undefined) void shared.change({ kind: "mend_cut", how, index });
  },
});

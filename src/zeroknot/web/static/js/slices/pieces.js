// @ts-check
/** What is done to the slices that are chosen, or to all. */

import { round, seconds } from "../format.js";
import { getJson } from "../net/api.js";
import { section } from "../sections.js";
import { common, edgeText } from "./model.js";

/** @typedef {import("../types.js").Piece["shape"]} Shape */

/** @type {Shape} */
const UNSHAPED = {
  attack_ms: 0, decay_ms: 0, sustain: 1, bend: 0, bend_ms: 80, filter: "off", cutoff_hz: 2000, resonance_db: 0, sweep: 0, sweep_ms: 200, drive_db: 0,
};
const [LOWEST_HZ, HIGHEST_HZ, STEPS_AN_OCTAVE] = [20, 20_000, 12];

/** @param {import("./shared.js").Shared} shared */
export const pieces = (shared) => section(shared.whole, {
  pieceTitle: "All slices", pieceAbout: "", edgeText: "", pieceName: "", pieceLevel: 0, piecePan: 0, pieceShift: 0, pieceFadeIn: 0, pieceFadeOut: 0,
  pieceLength: "laid", shape: { ...UNSHAPED }, pieceReversed: false, pieceMuted: false, pieceRings: false, isOne: false, canJoin: false,

  showPieces() {
    const { facts } = shared;
    const which = shared.meant;
    const meant = which.length ? which.map((i) => facts.pieces[i]).filter(Boolean) : facts.pieces;
    this.isOne = which.length === 1 && !!meant.length;
    this.canJoin = this.isOne && which[0] > 0;
    this.pieceTitle = !which.length ? "All slices" : this.isOne ? `Slice ${which[0] + 1}` : `${which.length} slices`;
    this.pieceAbout = this.isOne ? `${seconds(facts.edges[which[0]], 3)} – ${seconds(facts.edges[which[0] + 1], 3)} · pad ${which[0] + 1}` : "";
    this.edgeText = this.isOne ? edgeText(shared.risks[which[0]], meant[0]) : "";
    this.pieceName = this.isOne ? meant[0].name : "";
    this.pieceLevel = round(common(meant.map((p) => p.gain_db), 0), 2);
    this.piecePan = round(100 * common(meant.map((p) => p.pan), 0), 1);
    this.pieceShift = round(common(meant.map((p) => p.semitones), 0), 2);
    this.pieceFadeIn = round(common(meant.map((p) => p.fade_in_ms), 2), 1);
    this.pieceFadeOut = round(common(meant.map((p) => p.fade_out_ms), 4), 1);
    for (const name of /** @type {(keyof Shape)[]} */ (Object.keys(UNSHAPED))) {
      Object.assign(this.shape, { [name]: common(meant.map((p) => p.shape[name]), UNSHAPED[name]) });
    }
    this.cutoffSteps = round(STEPS_AN_OCTAVE * Math.log2(this.shape.cutoff_hz / LOWEST_HZ), 1);
    this.cutoffText = `${round(this.shape.cutoff_hz, this.shape.cutoff_hz < 1000 ? 0 : -1)} Hz`;
    this.pieceLength = common(meant.map((p) => p.length), /** @type {"laid"} */ (""));
    this.pieceReversed = meant.length > 0 && meant.every((p) => p.reverse);
    this.pieceMuted = meant.length > 0 && meant.every((p) => p.muted);
    this.pieceRings = meant.length > 0 && meant.every((p) => p.rings);
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
    shared.trial.want(this.pieceIntent({ [name]: value }));
  },

  /** Part of the shape of those meant. @param {string} name @param {unknown} value */
  setShape(name, value) {
    void shared.change(this.pieceIntent({ shape: { [name]: value } }));
  },

  /** @param {string} name @param {unknown} value */
  tryShape(name, value) {
    shared.trial.want(this.pieceIntent({ shape: { [name]: value } }));
  },

  /** A cutoff is dragged by pitch, not by Hz. @param {number} steps @param {boolean} isTried */
  setCutoff(steps, isTried) {
    const hertz = round(Math.min(HIGHEST_HZ, LOWEST_HZ * 2 ** (steps / STEPS_AN_OCTAVE)), 1);
    if (isTried) this.tryShape("cutoff_hz", hertz);
    else this.setShape("cutoff_hz", hertz);
  },
  cutoffSteps: 0, cutoffText: "",

  togglePiece: /** @param {"reverse" | "muted" | "rings"} name */ function (name) {
    const now = { reverse: this.pieceReversed, muted: this.pieceMuted, rings: this.pieceRings }[name];
    this.setPiece(name, !now);
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

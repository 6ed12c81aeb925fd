// @ts-check
/** What the sections of the Slices view share. */

import { HandShared } from "../hand/shared.js";
import { getJson } from "../net/api.js";

/** @typedef {import("../types.js").HandSlices} HandSlices */
/** @typedef {{piece: number, pad: number, velocity: number, stamp: number, semitones: number}} Struck stamp as events tell it */
/**
 * @typedef {{
 *   hearing: boolean, way: string, withRest: boolean, dragText: string, rendering: boolean, bank: number, showSlices: () => void, hearOn: () => Promise<void>, stopHearing: () => void,
 *   setWay: (way: string) => void, startHearing: (way: string) => Promise<void>, focusPads: () => void,
 *   mixPiece: (name: string, value: unknown, isShape?: boolean) => boolean,
 *   beatHeard: () => number | null, snapsTo: "attacks" | "grid" | "zero",
 *   strikePad: (pad: number, velocity: number, stamp: number) => void, noteStroke: (stroke: Struck) => void, noteLetGo: (pad: number, stamp: number) => void,
 *   padsTuned: boolean, isTap: (stamp: number) => boolean, letPadGo: (pad: number, stamp: number) => void, setSustain: (isDown: boolean, stamp: number) => void, swapPads: (pad: number, other: number) => void,
 * }} Whole
 */

export class Shared extends HandShared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
  constructor(session, app) {
    super(session, app, "Slices");
    this.held.inOrder = true;
    /** Where it is cut, and the order its pieces play in. @type {HandSlices} */
    this.facts = app.viewData().slices;
    /** Pieces that are chosen. @type {Set<number>} */
    this.chosen = new Set();
    /** Tiles that are chosen. @type {Set<number>} */
    this.picked = new Set();
    /** dB of the step and the slope at each cut. @type {[number, number][]} */
    this.risks = [];
    /** Notes of a MIDI loop; null until they are told. @type {import("../types.js").HandLanes | null} */
    this.lanes = null;
    /** Notes that are chosen. @type {Set<number>} */
    this.lanePicked = new Set();
    /** Changes on their way. */
    this.doing = 0;
    /** Tiles that stay where they are when it is dealt. @type {Set<number>} */
    this.stay = new Set();
  }

  /** Only named for the sections' types: what the others have. @returns {Whole | null} */
  get whole() {
    return null;
  }

  /** Pieces that are meant: those chosen, else those that the chosen tiles play. */
  get meant() {
    if (this.chosen.size) return [...this.chosen].sort((a, b) => a - b);
    const { tiles } = this.facts.order;
    return [...new Set([...this.picked].map((i) => tiles[i]?.piece ?? 0))].sort((a, b) => a - b);
  }

  /** Ask anew how it is cut and ordered. */
  async ask() {
    const found = await this.view.ask("slices", (signal) => getJson(`${this.held.path}/slices?beat=${this.held.beat}`, signal));
    // What was asked for since is on its way: showing this would show a step back.
    if (!found || this.session.saving > 0) return false;
    const before = this.facts;
    this.facts = found;
    if (before.pieces.length !== found.pieces.length) this.chosen.clear();
    if (before.order.tiles.length !== found.order.tiles.length) {
      this.picked.clear();
      this.stay.clear();
    }
    return true;
  }

  /** A change is heard as what is tried is, at once, while it is being done. @param {import("../types.js").FitIntent} intent */
  async change(intent) {
    this.doing += 1;
    this.isHeld = true;
    this.trial.want(intent);
    const done = await this.held.change(intent, this.trial.told());
    this.doing -= 1;
    this.isHeld = this.doing > 0;
    if (!this.isHeld) this.trial.want(null);
    return done;
  }
}

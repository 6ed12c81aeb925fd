// @ts-check
/** What the sections of Fit share, and what they may ask of one another. */

import { HandShared } from "../hand/shared.js";

/** @typedef {import("../loom/stage.js").LoomStage} LoomStage */
/**
 * @typedef {{
 *   hearing: boolean, way: string, seamMode: boolean, withRest: boolean, playhead: (ago?: number) => number | null, startHearing: (way: string) => Promise<void>,
 *   dragText: string, hasRange: boolean, chosenCount: number, knotSecond: string, isFastened: boolean,
 *   rangeChanged: () => void, setEdge: (edge: 0 | 1, at: number) => void, rangeReading: () => import("../types.js").FitIntent | null,
 * }} Whole
 */

export class Shared extends HandShared {
  /** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
  constructor(session, app) {
    super(session, app, "Fit");
    /** @type {LoomStage | null} */
    this.stage = null;
    /** Those that hold at the sensitivity that was chosen. @type {import("../types.js").Attack[]} */
    this.attacks = [];
    this.listener.isHeld = () => !!this.stage?.isDragging;
  }

  /** Only named for the sections' types: what the others have. @returns {Whole | null} */
  get whole() {
    return null;
  }
}

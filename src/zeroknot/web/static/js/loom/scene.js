// @ts-check
/** What a loom shows, for all that draw a part of it. */

/** @typedef {import("./model.js").View} View */
/** @typedef {import("./model.js").Knot} Knot */
/** @typedef {ReturnType<typeof import("../ui/colours.js").palette>} Palette */
/** @typedef {{top: number, recorded: number, fitted: number, bottom: number, strain: number}} Rails y of edges; strain that of its base line */
/**
 * grid: in beats; chosen: seconds of selected knots; range: selected seconds; cursor: a second.
 * @typedef {{hand: import("../types.js").Hand, attacks: import("../types.js").Attack[], knots: Knot[], view: View, rails: Rails,
 *   source: import("./lod.js").Waves | null, render: import("./lod.js").Waves | null, notes: [number, number, number][],
 *   sheet: import("../types.js").HandSheet | null, strain: import("../types.js").Strain | null,
 *   metres: import("../types.js").MetreSpan[], startBeat: number, grid: number, chosen: Set<number>,
 *   range: [number, number] | null, cursor: number | null, playhead: number | null, hover: string}} Scene
 */

export const MONO = "11px 'Spline Sans Mono Variable', monospace";
export const SANS = "12px 'Spline Sans Variable', sans-serif";
export const MOST_CROWD = 0.5; // threads a pixel, over which they are not drawn

/** @param {Path2D | CanvasRenderingContext2D} path @param {number} top @param {number} bottom @param {Rails} rails */
export function thread(path, top, bottom, rails) {
  path.moveTo(top, rails.recorded);
  path.bezierCurveTo(top, rails.recorded + 40, bottom, rails.fitted - 40, bottom, rails.fitted);
}

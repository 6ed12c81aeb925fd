// @ts-check
/** How clips are moved: by a grid of a note value, the pulse, the bar, or none; with the lines of their tracks, or without. */

const KEPT_AS = "zeroknot.arrange.grid";
const CARRIED_AS = "zeroknot.arrange.carries";

/** beats; undefined: the pulse of the metre; 0: none. @type {readonly {id: string, name: string, beats: number | undefined}[]} */
export const GRIDS = [
  { id: "pulse", name: "pulse", beats: undefined },
  { id: "bar", name: "bar", beats: Infinity },
  { id: "2", name: "half", beats: 2 },
  { id: "1", name: "quarter", beats: 1 },
  { id: "2/3", name: "quarter triplet", beats: 2 / 3 },
  { id: "3/4", name: "dotted eighth", beats: 3 / 4 },
  { id: "1/2", name: "eighth", beats: 1 / 2 },
  { id: "1/3", name: "eighth triplet", beats: 1 / 3 },
  { id: "1/4", name: "sixteenth", beats: 1 / 4 },
  { id: "1/6", name: "sixteenth triplet", beats: 1 / 6 },
  { id: "1/8", name: "32nd", beats: 1 / 8 },
  { id: "free", name: "free", beats: 0 },
];

export const gridControls = () => ({
  grids: GRIDS,
  grid: GRIDS.find(({ id }) => id === localStorage.getItem(KEPT_AS))?.id ?? "pulse",

  /** @param {string} id */
  setGrid(id) {
    this.grid = id;
    localStorage.setItem(KEPT_AS, id);
  },

  /** Lines of tracks go along when clips are moved. */
  carries: localStorage.getItem(CARRIED_AS) === "yes",

  toggleCarries() {
    this.carries = !this.carries;
    localStorage.setItem(CARRIED_AS, this.carries ? "yes" : "no");
  },

  /** Beats from line to line; undefined for pulses, 0 for none. */
  gridBeats() {
    return GRIDS.find(({ id }) => id === this.grid)?.beats;
  },
});

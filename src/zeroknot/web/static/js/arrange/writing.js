// @ts-check
/** What a control does while it is held and the song plays, written down to become a line. */

const MOST_POINTS = 20_000;

export class Writing {
  /** @param {import("../session.js").Session} session */
  constructor(session) {
    this.session = session;
    this.isOn = false;
    /** @type {{track: string, name: string, value: number, points: [number, number][]} | null} */
    this.held = null;
  }

  get writes() {
    return this.isOn && (this.session.engine_?.song.isPlaying ?? false);
  }

  /** @param {string} track @param {string} name @param {number} value */
  hold(track, name, value) {
    if (!this.writes) return;
    if (this.held?.track !== track || this.held.name !== name) this.held = { track, name, value, points: [] };
    this.held.value = value;
    this.note();
  }

  /** Where it is just now: on each frame while it is held. */
  note() {
    const { held } = this;
    if (!held || !this.writes || held.points.length >= MOST_POINTS) return;
    held.points.push([this.session.beat(), held.value]);
  }

  /** Let go: what was written. @returns {import("../types.js").Intent | null} */
  take() {
    this.note();
    const { held } = this;
    this.held = null;
    return held?.points.length ? { kind: "write_line", track: held.track, name: held.name, points: held.points } : null;
  }

  giveUp() {
    this.held = null;
  }
}

// @ts-check
/** The coil as it is played: what sounds, what comes next, what was switched since it is recorded. It plays on whatever is looked at. */

/** @typedef {import("../engine/song-plan.js").Switched} Switched */
/** @typedef {{slot: string, beat: number, end: number, origin: number}} Stretch beats of the song in which a loop was heard, and one on which a pass of it began */
/** @typedef {{beatOf: (song: number) => number, frameOf: (beat: number) => number}} Time */

const TICKS = 960; // a beat: what was switched is told as exactly
const KEPT_AS = "zeroknot.coil.left";

export class Coiling {
  /** @param {import("../session.js").Session} session */
  constructor(session) {
    this.session = session;
    /** When what is pressed comes in. @type {"bar" | "beat" | "now"} */
    this.when = "bar";
    /** Does it come in with its start, or where it would be by then? */
    this.starts = false;
    /** The context frame from which it is recorded; null where it is not. @type {number | null} */
    this.recordedFrom = null;
    /** What was left there when that began. @type {Stretch[]} */
    this.leftBefore = [];
    // Who leaves the page while it is recorded finds it there again.
    window.addEventListener("pagehide", () => this.keep());
  }

  get keptAs() {
    return `${KEPT_AS}.${this.session.state.id}`;
  }

  /** What was recorded when a page was left before it was laid. @returns {Stretch[]} */
  get left() {
    if (this.recordedFrom !== null) return [];
    try {
      return JSON.parse(localStorage.getItem(this.keptAs) ?? "[]");
    } catch {
      return [];
    }
  }

  /** Over a page that is left. */
  keep() {
    if (this.recordedFrom !== null) this.leave([...this.leftBefore, ...this.recorded(this.recordedFrom)]);
  }

  /** @param {Stretch[]} left */
  leave(left) {
    if (left.length) localStorage.setItem(this.keptAs, JSON.stringify(left));
    else localStorage.removeItem(this.keptAs);
  }

  letLeftGo() {
    this.leave([]);
  }

  async layLeft() {
    if (await this.lay(this.left)) this.letLeftGo();
  }

  /** What was switched since a context frame. @param {number} from @returns {Stretch[]} */
  recorded(from) {
    const { song } = this.session.engine();
    const time = song.plan.current ?? song.plan.newest;
    return time ? stretchesOf(song.plan.switched, from, song.player.now, time) : [];
  }

  /** @param {Stretch[]} switched @returns {Promise<boolean>} */
  async lay(switched) {
    const done = !!await this.session.submit({ kind: "lay_switched", switched });
    if (done) this.session.say(`Laid on the track “Coil”: ${switched.length === 1 ? "one stretch" : `${switched.length} stretches`}.`);
    return done;
  }

  get plan() {
    return this.session.engine_?.song.plan ?? null;
  }

  /** What sounds. @returns {import("../engine/laid.js").Coiled | null} */
  get playing() {
    return this.plan?.isPlaying ? this.plan.current?.coiled ?? null : null;
  }

  /** What comes next: a slot, "" for none; null where nothing is awaited. @returns {string | null} */
  get awaited() {
    const { plan } = this;
    if (!plan) return null;
    const next = plan.coiled?.slot ?? "";
    if (!plan.isPlaying) return next || null;
    return next === (plan.current?.coiled?.slot ?? "") ? null : next;
  }

  /** A key of the coil: its loop comes in, or goes where it is the one that sounds. @param {string} slot */
  press(slot) {
    const engine = this.session.engine();
    const { plan } = engine.song;
    engine.song.hearCoil(plan.coiled?.slot === slot ? null : slot, this.when, this.starts);
    if (plan.coiled && !engine.song.isPlaying && !engine.song.isWaiting) engine.song.play();
  }

  /** Nothing of it any more. */
  silence() {
    this.session.engine_?.song.hearCoil(null, this.when, false);
  }

  /** Begin to record, or lay what was switched. */
  async toggleRecord() {
    const { song } = this.session.engine();
    if (this.recordedFrom === null) {
      this.leftBefore = this.left;
      this.recordedFrom = song.player.now;
      return;
    }
    const switched = this.recorded(this.recordedFrom);
    this.keep();
    this.recordedFrom = null;
    if (!switched.length) {
      this.session.say("Nothing of the coil was heard.");
      return;
    }
    // What could not be laid is still there to be laid.
    if (await this.lay(switched)) this.leave(this.leftBefore);
  }
}

/**
 * What was heard of the coil between two context frames, as stretches of the song. Pure.
 * @param {readonly Switched[]} switched @param {number} from @param {number} until @param {Time} time @returns {Stretch[]}
 */
export function stretchesOf(switched, from, until, time) {
  return switched.flatMap(({ context, beat, coiled }, i) => {
    const end = Math.min(switched[i + 1]?.context ?? Infinity, until);
    const begin = Math.max(context, from);
    if (!coiled || end <= begin) return [];
    const song = time.frameOf(beat) - context;
    const stretch = { slot: coiled.slot, beat: tick(time.beatOf(song + begin)), end: tick(time.beatOf(song + end)), origin: tick(coiled.from) };
    return stretch.end > stretch.beat ? [stretch] : [];
  });
}

/** @param {number} beat */
const tick = (beat) => Math.max(0, Math.round(beat * TICKS) / TICKS);

/**
 * How far the one of a loop that runs on is off the bar: beats before a bar line, or after it below 0, whichever is less. Pure.
 * @param {number} line beat of a bar line @param {number} from beat on which a pass began @param {number} round beats from pass to pass @param {number} bar beats of a bar
 */
export function drifted(line, from, round, bar) {
  const since = ((((line - from) % round) + round) % round) % bar;
  const off = since > bar / 2 ? since - bar : since;
  return Math.abs(off) < 1e-3 ? 0 : off;
}

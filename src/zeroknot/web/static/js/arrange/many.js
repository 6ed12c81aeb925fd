// @ts-check
/** Several clips at once: chosen together, cut, joined, slipped, left by beats, copied and pasted; bars of the song. */

import { barLine, beatOfBar, metreAt } from "../metre.js";
import { cycleOf } from "../cycle.js";

/** @typedef {import("../types.js").Clip} Clip */
/** @typedef {import("./model.js").Place} Place */

/**
 * @param {import("../view.js").View} view @param {import("../session.js").Session} session
 */
export const manyControls = (view, session) => ({
  chosen: "", // as the view has it
  /** Chosen beside the one. @type {string[]} */
  others: [],
  clipOpens: false,
  pickedText: "", keepText: "3 4", barsText: "",

  /** All that are chosen and there, the one first. @returns {string[]} */
  picks() {
    const there = idsOf(session.state.clips);
    return [this.chosen, ...this.others].filter((id, i, all) => id && there.has(id) && all.indexOf(id) === i);
  },

  /** So many times more: passes of a whole clip, copies of a piece or of several. @param {number} by */
  async repeat(by) {
    await session.settled();
    const clips = this.picks();
    if (clips.length) void view.intent({ kind: "repeat_clips", clips, times: by });
  },

  /** @param {"next" | "end"} to */
  async repeatTo(to) {
    await session.settled();
    const clips = this.picks();
    if (clips.length) void view.intent({ kind: "repeat_clips", clips, to });
  },

  /** @param {string} id */
  isPicked(id) {
    return id === this.chosen || this.others.includes(id);
  },

  showPicked() {
    const count = this.picks().length;
    this.pickedText = count > 1 ? `${count} clips` : "";
    this.showBars();
  },

  showBars() {
    const { first, count: bars } = this.barsMeant();
    this.barsText = bars > 1 ? `bars ${first}–${first + bars - 1}` : `bar ${first}`;
  },

  /** @param {import("../types.js").Intent} intent @returns {Promise<string[]>} clips that are new after it */
  async cutAs(intent) {
    const before = new Set(session.state.clips.map((c) => c.id));
    if (!await view.intent(intent)) return [];
    return session.state.clips.filter((c) => !before.has(c.id)).map((c) => c.id);
  },

  /** Where they are chosen, or all under the playhead where none is. @returns {string[]} */
  meant() {
    const picks = this.picks();
    const at = session.beat();
    return picks.length ? picks : session.state.clips.filter((c) => c.beat < at && at < c.beat + c.beats).map((c) => c.id);
  },

  async splitHere() {
    await session.settled();
    const clips = this.meant();
    if (clips.length) await this.cutAs({ kind: "split_clips", clips, beats: [session.beat()] });
    else session.say("Choose a clip, or bring the playhead over one, to cut it there.");
  },

  /** Where the cycle begins and where it ends. */
  async splitAtCycle() {
    await session.settled();
    const { from, to } = cycleOf(session);
    if (to <= from) return session.say("There is no cycle: drag over bars on the strip.");
    const picks = this.picks();
    const clips = picks.length ? picks : session.state.clips.filter((c) => c.beat < to && c.beat + c.beats > from).map((c) => c.id);
    if (clips.length) await this.cutAs({ kind: "split_clips", clips, beats: [from, to] });
  },

  /** @param {number} every beats */
  async splitEvery(every) {
    await session.settled();
    const clips = this.picks();
    if (!clips.length) return;
    const fresh = await this.cutAs({ kind: "split_clips", clips, every });
    if (fresh.length) this.others = fresh;
  },

  /** @param {HTMLSelectElement} list */
  splitBy(list) {
    const every = Number(list.value);
    list.value = "";
    if (every) void this.splitEvery(every);
  },

  async splitAtSlices() {
    await session.settled();
    const clips = this.picks();
    if (!clips.length) return;
    const fresh = await this.cutAs({ kind: "split_clips", clips, slices: true });
    if (fresh.length) this.others = fresh;
  },

  async joinPicked() {
    await session.settled();
    const clips = this.picks();
    if (clips.length < 2) return session.say("Choose two clips or more that go on from one another to join them.");
    const [joined] = await this.cutAs({ kind: "join_clips", clips });
    if (joined) [this.chosen, this.others] = [joined, []];
  },

  /** @param {number} pulses later where above 0 @param {boolean} isFine */
  async slip(pulses, isFine) {
    await session.settled();
    const clips = this.picks();
    if (!clips.length) return;
    const first = session.state.clips.find((c) => c.id === clips[0]);
    const pulse = metreAt(session.state.metres, first?.beat ?? 0).beats_per_pulse;
    await view.intent({ kind: "slip_clips", clips, by: pulses * (isFine ? pulse / 16 : pulse) });
  },

  /** @param {string} text "3 4" */
  setKeep(text) {
    this.keepText = text;
  },

  async keepBeats() {
    await session.settled();
    const clips = this.picks();
    const beats = (this.keepText.match(/\d+/g) ?? []).map(Number);
    if (!clips.length) return;
    if (!beats.length) return session.say("Say which beats of each bar are kept, like 3 4.", "error");
    const fresh = await this.cutAs({ kind: "keep_beats", clips, beats });
    if (fresh.length) this.others = fresh;
  },

  /**
   * Where those that are chosen with one would lie, were they moved as far: none before the song, none past the last track.
   * @param {Clip} clip @param {Place} place @returns {Map<string, Place>}
   */
  along(clip, place) {
    const { clips, tracks } = session.state;
    const rest = this.picks().filter((id) => id !== clip.id).flatMap((id) => clips.find((c) => c.id === id) ?? []);
    if (!this.isPicked(clip.id) || !rest.length) return new Map();
    const row = (/** @type {string} */ track) => tracks.findIndex((t) => t.id === track);
    const by = row(place.track) - row(clip.track);
    return new Map(rest.map((c) => {
      const track = tracks[Math.max(0, Math.min(tracks.length - 1, row(c.track) + by))];
      return [c.id, { beat: Math.max(0, c.beat + place.beat - clip.beat), beats: c.beats, slip: c.slip, track: track?.id ?? c.track }];
    }));
  },

  async muteClip() {
    await session.settled();
    const clips = this.picks();
    const first = session.state.clips.find((c) => c.id === clips[0]);
    if (first) void view.intent({ kind: "change_clips", clips, muted: !first.muted });
  },

  /** @param {number} shift semitones, cents as its fraction */
  setClipShift(shift) {
    const clips = this.picks();
    if (clips.length) void view.intent({ kind: "change_clips", clips, shift });
  },

  /** @param {number} value */
  setClipGain(value) {
    const clips = this.picks();
    if (clips.length) void view.intent({ kind: "change_clips", clips, gain_db: value });
  },

  /** A clip of a printed stretch gives way to what it was printed from. */
  async openPieces() {
    await session.settled();
    if (!this.chosen) return;
    const fresh = await this.cutAs({ kind: "open_clip", clip: this.chosen });
    if (fresh.length) [this.chosen = "", ...this.others] = fresh;
  },

  async swapMutes() {
    await session.settled();
    const clips = this.picks();
    await view.intent({ kind: "swap_mutes", clips: clips.length > 1 ? clips : [] });
  },

  /** The next on its track beside those that are chosen. */
  pickNext() {
    const picks = this.picks();
    const row = session.state.clips.filter((c) => c.track === session.state.clips.find((o) => o.id === picks[0])?.track).sort((a, b) => a.beat - b.beat);
    const last = Math.max(...row.map((c, i) => (picks.includes(c.id) ? i : -1)));
    const next = row[last + 1];
    if (next) this.others = [...this.others, next.id];
  },

  pickAllClips() {
    [this.chosen = "", ...this.others] = session.state.clips.map((c) => c.id);
  },

  // ---- bars of the song

  /** The cycle's, or the one under the playhead. */
  barsMeant() {
    const { metres } = session.state;
    const cycle = cycleOf(session);
    if (!cycle.on || cycle.to <= cycle.from) return { first: barLine(metres, Math.max(0, session.beat())).bar, count: 1 };
    const first = barLine(metres, cycle.from).bar;
    const last = barLine(metres, cycle.to - 1e-4).bar;
    return { first, count: last - first + 1 };
  },

  /** @param {"insert" | "remove" | "repeat"} what */
  async doBars(what) {
    const { first, count } = this.barsMeant();
    if (beatOfBar(session.state.metres, first) < 0) return;
    await view.intent({ kind: "do_bars", what, bar: first, count });
  },
});

/** Ids of clips, worked out once for each list of them. @type {WeakMap<readonly Clip[], Set<string>>} */
const known = new WeakMap();

/** @param {readonly Clip[]} clips */
function idsOf(clips) {
  let ids = known.get(clips);
  if (!ids) known.set(clips, ids = new Set(clips.map((c) => c.id)));
  return ids;
}

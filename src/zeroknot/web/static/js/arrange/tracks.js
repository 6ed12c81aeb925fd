// @ts-check
/** The track and the master, in Arrange's side: name, level, mute, solo. */

import { kept } from "../ui/kept.js";

/** @param {import("../session.js").Session} session @param {import("../main.js").App} app */
export const trackControls = (session, app) => ({
  chosenTrack: "",
  trackName: "",
  trackLevel: 0,
  masterLevel: 0,
  trackYarn: -1, trackUnder: "", otherTracks: /** @type {{id: string, name: string}[]} */ ([]),

  showTracks() {
    const { state } = session;
    this.masterLevel = state.master_db;
    if (!state.tracks.some((t) => t.id === this.chosenTrack)) this.chosenTrack = state.tracks[0]?.id ?? "";
  },

  showTrack() {
    const track = session.state.tracks.find((t) => t.id === this.chosenTrack);
    this.trackName = track?.name ?? "";
    this.trackLevel = track?.level_db ?? 0;
    this.trackYarn = track?.yarn ?? -1;
    this.trackUnder = track?.gives_way_to ?? "";
    this.otherTracks = kept(this.otherTracks, session.state.tracks.filter((t) => t.id !== this.chosenTrack).map(({ id, name }) => ({ id, name })));
  },

  /** @param {string} id */
  chooseTrackOf(id) {
    this.chosenTrack = id;
  },

  addTrack() {
    void session.submit({ kind: "new_track", name: `Track ${session.state.tracks.length + 1}` });
  },

  removeTrack() {
    if (this.chosenTrack) void session.submit({ kind: "remove_track", track: this.chosenTrack });
  },

  /** @param {number} yarn −1: that of what lies on it */
  colourTrack(yarn) {
    void session.submit({ kind: "change_track", track: this.chosenTrack, yarn });
  },

  /** Silent where another plays. @param {string} other "" for none */
  giveWay(other) {
    void session.submit({ kind: "change_track", track: this.chosenTrack, gives_way_to: other });
  },

  /** @param {1 | -1} by */
  moveTrack(by) {
    const { tracks } = session.state;
    const to = tracks.findIndex((t) => t.id === this.chosenTrack) + by;
    if (to >= 0 && to < tracks.length) void session.submit({ kind: "move_track", track: this.chosenTrack, to });
  },

  foldTrack() {
    document.querySelector(`[data-lane="${this.chosenTrack}"] .row-edge`)?.dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
  },

  /** @param {string} id */
  mute(id) {
    const track = session.state.tracks.find((t) => t.id === id);
    if (track) void session.submit({ kind: "change_track", track: id, muted: !track.muted });
  },

  /** @param {string} id */
  solo(id) {
    const track = session.state.tracks.find((t) => t.id === id);
    if (track) void session.submit({ kind: "change_track", track: id, solo: !track.solo });
  },

  /** @param {string} text */
  renameTrack(text) {
    if (text.trim() && text !== this.trackName) void session.submit({ kind: "change_track", track: this.chosenTrack, name: text.trim() });
  },

  /** While the bar is dragged: heard, not yet kept. @param {number} value */
  hearTrackLevel(value) {
    session.engine_?.mixer.hear(this.chosenTrack, "level_db", value);
    app.writing.hold(this.chosenTrack, "level_db", value);
  },

  /** @param {number} value */
  setTrackLevel(value) {
    void session.submit(app.writing.take() ?? { kind: "change_track", track: this.chosenTrack, level_db: value });
  },

  /** @param {number} value */
  hearMaster(value) {
    session.engine_?.mixer.hearMaster("level_db", value);
  },

  /** @param {number} value */
  setMaster(value) {
    void session.submit({ kind: "set_master", level_db: value });
  },
});

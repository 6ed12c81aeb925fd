// @ts-check
/** The keys of Arrange. */

/** @typedef {import("../ui/keys.js").Binding} Binding */
/**
 * @typedef {{
 *   nudge: (by: number, fine: boolean) => void, shiftTrack: (by: number) => void, trim: (which: "begin" | "end", by: number) => void,
 *   copy: () => void, repeat: (by: number) => void, repeatTo: (what: "next" | "end") => void, muteClip: () => void, separate: () => void,
 *   remove: () => void, takeInHand: () => void, choose: (id: string) => void, toCoil: () => void, zoom: (by: number) => void, printRange: () => void, mixDown: () => void,
 *   splitHere: () => void, splitEvery: (every: number) => void, joinPicked: () => void, slip: (pulses: number, isFine: boolean) => void, copyPicked: () => void, paste: () => void, pickAllClips: () => void, pickNext: () => void, showChosen: () => void, swapMutes: () => void, openPieces: () => void, tryNext: (by: 1 | -1) => void, keepTried: () => void, giveTriedUp: () => void, isTrying: boolean, keepBeats: () => void, moveTrack: (by: 1 | -1) => void, foldTrack: () => void,
 *   splitAtPointer: () => void, splitAtCycle: () => void, cutPicked: () => void, reversePicked: () => void, crossPicked: () => void, toggleGain: () => void, groupPicked: () => void, openPhrase: () => void, makeOne: () => void,
 * }} Doing
 */

/** @param {Doing} arrange @returns {Binding[]} */
export function arrangeKeys(arrange) {
  /** @param {number} by */
  const nudge = (by) => (/** @type {KeyboardEvent} */ e) => arrange.nudge(by * (e.shiftKey ? 10 : 1), e.altKey);
  /** @param {() => void} pick */
  const picked = (pick) => {
    pick.call(arrange);
    arrange.showChosen();
  };
  return [
    { key: "ArrowRight or Shift+ArrowRight", does: "clip a step of the grid later (Shift: ten)", repeats: true, run: nudge(1) },
    { key: "ArrowLeft or Shift+ArrowLeft", does: "clip a step of the grid earlier (Shift: ten)", repeats: true, run: nudge(-1) },
    { key: "Alt+ArrowRight or Alt+Shift+ArrowRight", does: "clip a sixteenth of a step later", repeats: true, run: nudge(1) },
    { key: "Alt+ArrowLeft or Alt+Shift+ArrowLeft", does: "clip a sixteenth of a step earlier", repeats: true, run: nudge(-1) },
    { key: "ArrowDown", does: "clip to the track below", run: () => arrange.shiftTrack(1) },
    { key: "ArrowUp", does: "clip to the track above", run: () => arrange.shiftTrack(-1) },
    { key: "Shift+ArrowDown", does: "the track below the next one", run: () => arrange.moveTrack(1) },
    { key: "Shift+ArrowUp", does: "the track above the one before", run: () => arrange.moveTrack(-1) },
    { key: "Q", does: "fold the track, or unfold it", run: () => arrange.foldTrack() },
    { key: "]", does: "its end a step later", repeats: true, run: () => arrange.trim("end", 1) },
    { key: "[", does: "its end a step earlier", repeats: true, run: () => arrange.trim("end", -1) },
    { key: "}", does: "its beginning a step later", repeats: true, run: () => arrange.trim("begin", 1) },
    { key: "{", does: "its beginning a step earlier", repeats: true, run: () => arrange.trim("begin", -1) },
    { key: "D", does: "copy right after", run: () => arrange.copy() },
    { key: "R", does: "once more", run: () => arrange.repeat(1) },
    { key: "Shift+R", does: "once fewer", run: () => arrange.repeat(-1) },
    { key: "N", does: "repeat to the next clip", run: () => arrange.repeatTo("next") },
    { key: "Shift+N", does: "repeat to the song's end", run: () => arrange.repeatTo("end") },
    { key: "X", does: "cut at the playhead; what is heard stays", run: () => arrange.splitHere() },
    { key: "Z", does: "cut at the pointer, by the grid", run: () => arrange.splitAtPointer() },
    { key: "Alt+X", does: "cut at both ends of the cycle", run: () => arrange.splitAtCycle() },
    { key: "Shift+X", does: "cut at each beat", run: () => arrange.splitEvery(1) },
    { key: "J", does: "join those that go on from one another", run: () => arrange.joinPicked() },
    { key: ">", does: "what it plays a pulse later in its frame", repeats: true, run: () => arrange.slip(1, false) },
    { key: "<", does: "what it plays a pulse earlier in its frame", repeats: true, run: () => arrange.slip(-1, false) },
    { key: "K", does: "keep some beats of each bar", run: () => arrange.keepBeats() },
    { key: "Ctrl+A", does: "choose all clips", run: () => picked(arrange.pickAllClips) },
    { key: "A", does: "choose the next clip on its track, too", run: () => picked(arrange.pickNext) },
    { key: "Ctrl+C", does: "copy", run: () => arrange.copyPicked() },
    { key: "Ctrl+X", does: "cut out: copy, and take away", run: () => arrange.cutPicked() },
    { key: "Ctrl+V", does: "paste at the playhead's bar", run: () => arrange.paste() },
    { key: "L", does: "what it plays backwards, or forwards again", run: () => arrange.reversePicked() },
    { key: "F", does: "crossfade with the clip that ends where it begins, or no more", run: () => arrange.crossPicked() },
    { key: "I", does: "gain lines on the clips, or not", run: () => arrange.toggleGain() },
    { key: "H", does: "group the chosen clips as a phrase", run: () => arrange.groupPicked() },
    { key: "Shift+H", does: "open the phrase: each clip by itself", run: () => arrange.openPhrase() },
    { key: "Shift+J", does: "make one: printed, in the place of its pieces", run: () => arrange.makeOne() },
    { key: "M", does: "mute clip", run: () => arrange.muteClip() },
    { key: "Shift+M", does: "swap what is muted, of the chosen clips or of all tracks", run: () => arrange.swapMutes() },
    { key: "U", does: "open a printed stretch: its pieces in its place", run: () => arrange.openPieces() },
    { key: "S", does: "a strand of its own for this clip", run: () => arrange.separate() },
    { key: "Delete or Backspace", does: "remove clip", run: () => arrange.remove() },
    { key: "Enter", does: "take the clip's strand in hand", run: () => (arrange.isTrying ? arrange.keepTried() : arrange.takeInHand()) },
    { key: "Y", does: "try another loop in its place (Enter keeps it, Escape: the old one)", run: () => arrange.tryNext(1) },
    { key: "Shift+Y", does: "the one before it again", run: () => arrange.tryNext(-1) },
    { key: "Escape", does: "let go", run: () => (arrange.isTrying ? arrange.giveTriedUp() : arrange.choose("")) },
    { key: "G", does: "to the coil: its keys play", run: () => arrange.toCoil() },
    { key: "+ or =", does: "closer", repeats: true, run: () => arrange.zoom(1.4) },
    { key: "-", does: "wider", repeats: true, run: () => arrange.zoom(1 / 1.4) },
    { key: "B", does: "print the cycle, the chosen clip, or the song, to the shelf", run: () => arrange.printRange() },
    { key: "Shift+B", does: "mix the same down to a file", run: () => arrange.mixDown() },
  ];
}

// @ts-check
/** Which blocks does a song need next, and when is each heard? What has to be asked for, by due time. */

import { BLOCK_FRAMES, blocksBetween } from "./schedule.js";

/** @typedef {import("../types.js").SheetEvent} SheetEvent */
/** @typedef {import("./laid.js").Laid} Laid */
/** @typedef {{digest: string, index: number, channels: number, due: number}} Wanted due: the context frame at which it begins to sound */

export const READY_SECONDS = 0.35; // that have to be there before anything begins
const LOOK_SECONDS = 3; // asked for ahead
const MANY_LATE = 6; // parts
const GIVEN_UP = 0.25; // of a late part that is past

/** @param {import("./song-plan.js").SongPlan} plan @param {number} now context frame @returns {Wanted[]} by when they are heard */
export function wantedOf(plan, now) {
  /** @type {Map<string, Wanted>} */
  const found = new Map();
  const ready = READY_SECONDS * plan.rate;
  const look = now + LOOK_SECONDS * plan.rate;
  const { newest, current, handout } = plan;
  if (plan.start && newest) {
    want(found, newest, newest.events, now, plan.frameToStart(newest, plan.start.beat), ready);
  } else if (!plan.isPlaying && newest) {
    // What is heard first when it begins.
    want(found, newest, newest.events, look, plan.frameToStart(newest, plan.startBeat), ready);
  }
  if (newest && (plan.keepsCoil || plan.coiled)) wantCoil(found, plan, newest, now, look);
  if (!plan.isPlaying || !newest || !current) return byDue(found);
  // Where many are late, those that are nearly over are given up for those that are still to come.
  const isFlooded = handout.late.length > MANY_LATE;
  for (const { part } of handout.late) {
    if (isFlooded && now > part.at + GIVEN_UP * part.frames) continue;
    add(found, current, part.event.digest, part.index, part.at);
  }
  for (const { context, song, frames } of plan.way(look)) {
    want(found, current, current.events, context, song, Math.min(frames, look - context));
  }
  if (plan.pending === "events" && plan.waits === "now") {
    const run = handout.runAt(now);
    const song = run ? run.song + Math.max(0, now - run.context) : 0;
    want(found, newest, plan.fresh, now, song, ready + (look - now) / 4);
  } else if (plan.pending) {
    const line = plan.lineHanded(now) ?? plan.lineAfter(Math.max(plan.notBefore, now + handout.margin));
    const next = line && plan.lineAfter(line.context + 1);
    for (const at of [line, next]) {
      if (!at) continue;
      const song = newest.frameOf(at.beat);
      // Where more is wanted than can be rendered, what is left for good would always come first.
      if (plan.isBehind && at === line) want(found, newest, plan.awaited, now - look, song, ready);
      want(found, newest, plan.awaited, at.context, song, Math.max(ready, look - at.context));
    }
  }
  return byDue(found);
}

/**
 * Every loop of the coil where it may come in next, so that a key that is pressed is heard in time; after all that is heard sooner.
 * @param {Map<string, Wanted>} found @param {import("./song-plan.js").SongPlan} plan @param {Laid} newest @param {number} now @param {number} look
 */
function wantCoil(found, plan, newest, now, look) {
  const line = plan.isPlaying ? plan.lineAfter(now) : null;
  const song = newest.frameOf(line ? line.beat : plan.startBeat);
  const ready = READY_SECONDS * plan.rate;
  for (const { events } of newest.sheet.coil) {
    want(found, newest, events, look, song, ready);
    want(found, newest, events, look + 1, 0, ready);
  }
}

/**
 * Note the blocks of a stretch of song frames that is heard from a context frame on.
 * @param {Map<string, Wanted>} found @param {Laid} laid @param {readonly SheetEvent[]} events
 * @param {number} context @param {number} song @param {number} frames
 */
function want(found, laid, events, context, song, frames) {
  for (const event of events) {
    for (const index of blocksBetween(event, song, song + frames)) {
      const begins = event.at + index * BLOCK_FRAMES - event.start;
      add(found, laid, event.digest, index, context + Math.max(0, begins - song, event.at - song));
    }
  }
}

/** @param {Map<string, Wanted>} found @param {Laid} laid @param {string} digest @param {number} index @param {number} due */
function add(found, laid, digest, index, due) {
  const key = `${digest}/${index}`;
  if ((found.get(key)?.due ?? Infinity) <= due) return;
  found.set(key, { digest, index, due, channels: laid.sheet.shapes[digest]?.channels ?? 2 });
}

/** @param {Map<string, Wanted>} found */
const byDue = (found) => [...found.values()].sort((a, b) => a.due - b.due);

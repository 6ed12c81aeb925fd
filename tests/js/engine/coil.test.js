// @ts-check
/** The coil: loops on keys, switched in time while the song plays. */

import assert from "node:assert/strict";
import { test } from "node:test";
import { drifted, stretchesOf } from "../../../src/zeroknot/web/static/js/arrange/coiling.js";
import { coiledEvents } from "../../../src/zeroknot/web/static/js/engine/laid.js";
import { frames, Kitchen, sheetOf, Stage } from "./stage.js";

const BEAT = 60 / 96;
const BAR = 4 * BEAT;
const COIL = [{ slot: "a", bars: 2 }, { slot: "b", bars: 2 }, { slot: "c", bars: 4 }];
const JOIN = frames(0.006);

/** @param {any} [more] */
const stageOf = (more = {}) => new Stage({ sheet: sheetOf({ coil: COIL, ...more }), kitchen: more.kitchen });

/** The coil's loops that are heard at a context frame, and where in their pass. @param {Stage} stage @param {number} at @returns {{slot: string, place: number}[]} */
const coiled = (stage, at) => stage.heard(at).filter((h) => h.event.track === "coil" && h.gain > 0.99).map((h) => ({ slot: h.event.strand, place: h.song - h.event.at }));

/** @param {Stage} stage */
const begun = (stage) => stage.firstOf((e) => e.track === "t");

test("a loop comes in on the next bar line, where it would be by then, and the other goes", () => {
  const stage = stageOf().play(0).run(0.5);
  const zero = begun(stage);
  stage.plan.hearCoil("a", "bar", false, stage.now);
  stage.run(BAR - 0.3);
  assert.deepEqual(coiled(stage, zero + frames(BAR) - 10), []);
  assert.deepEqual(coiled(stage, zero + frames(BAR) + JOIN), [{ slot: "a", place: frames(BAR) + JOIN }]);
  stage.plan.hearCoil("c", "bar", false, stage.now);
  stage.run(2 * BAR);
  const line = zero + frames(2 * BAR);
  assert.deepEqual(coiled(stage, line - JOIN), [{ slot: "a", place: frames(2 * BAR) - JOIN }]);
  assert.deepEqual(coiled(stage, line + JOIN), [{ slot: "c", place: frames(2 * BAR) + JOIN }]);
  // What else plays plays on.
  assert.ok(stage.heard(line).some((h) => h.event.track === "t" && h.gain === 1));
});

test("on the next beat, or at once", () => {
  const stage = stageOf().play(0).run(1.0);
  const zero = begun(stage);
  stage.plan.hearCoil("a", "beat", false, stage.now);
  stage.run(1);
  const line = zero + frames(2 * BEAT);
  assert.deepEqual(coiled(stage, line - 5), []);
  assert.equal(coiled(stage, line + JOIN)[0].slot, "a");
  const pressed = stage.now;
  stage.plan.hearCoil("b", "now", false, pressed);
  stage.run(0.3);
  assert.equal(coiled(stage, pressed + frames(0.05))[0].slot, "b");
});

test("with its start, wherever it comes in", () => {
  const stage = stageOf().play(0).run(0.5);
  const zero = begun(stage);
  stage.plan.hearCoil("c", "bar", true, stage.now);
  stage.run(2 * BAR);
  assert.deepEqual(coiled(stage, zero + frames(BAR) + JOIN), [{ slot: "c", place: JOIN }]);
  const pressed = stage.now;
  stage.plan.hearCoil("b", "now", true, pressed);
  stage.run(0.5);
  const first = stage.firstOf((e) => e.track === "coil" && e.strand === "b");
  assert.ok(first - pressed < frames(0.05));
  assert.ok(coiled(stage, first + JOIN)[0].place - JOIN <= 2);
});

test("eight presses before the line: the last one counts", () => {
  const stage = stageOf().play(0).run(0.5);
  for (const slot of ["a", "b", "c", "a", "b", "c", "a", "b"]) {
    stage.plan.hearCoil(slot, "bar", false, stage.now);
    stage.run(0.03);
  }
  stage.run(BAR);
  const played = new Set(stage.parts().filter((p) => p.event.track === "coil").map((p) => p.event.strand));
  assert.deepEqual([...played], ["b"]);
});

test("it plays on past the end of the song, round the cycle, and stops where it is told to", () => {
  const stage = stageOf({ clips: [{ passes: 1 }] }).play(0).run(0.2);
  const zero = begun(stage);
  stage.plan.hearCoil("a", "bar", false, stage.now);
  stage.run(4 * BAR);
  assert.equal(coiled(stage, stage.now)[0].slot, "a");
  stage.plan.setCycle({ from: 16, to: 20 }, stage.now);
  stage.run(3 * BAR);
  assert.equal(coiled(stage, stage.now)[0].slot, "a");
  stage.plan.hearCoil(null, "bar", false, stage.now);
  stage.run(1.5 * BAR);
  assert.deepEqual(coiled(stage, stage.now), []);
  void zero;
});

test("where its blocks come late it comes in at the next line at which they are there", () => {
  const kitchen = new Kitchen();
  const stage = stageOf({ kitchen }).play(0).run(0.5);
  const zero = begun(stage);
  const { never } = kitchen;
  kitchen.never = () => false;
  kitchen.aSecond = 0;
  stage.plan.hearCoil("b", "bar", true, stage.now);
  for (const key of [...kitchen.here]) if (key.startsWith("b@")) kitchen.here.delete(key);
  stage.run(BAR);
  kitchen.aSecond = Infinity;
  stage.run(3 * BAR);
  const first = stage.firstOf((e) => e.track === "coil");
  assert.ok(first > zero + frames(BAR) + 100);
  assert.equal((first - zero) % frames(BAR), 0);
  assert.equal(coiled(stage, first + JOIN)[0].place, JOIN);
  void never;
});

test("with its start it sounds round a cycle, too, wherever that turns back to", () => {
  const stage = stageOf();
  stage.plan.setCycle({ from: 0, to: 16 }, stage.now);
  stage.play(0).run(2.5 * BAR);
  const zero = begun(stage);
  stage.plan.hearCoil("b", "bar", true, stage.now); // its start on bar 4, beat 12
  stage.run(4 * BAR);
  const line = zero + frames(3 * BAR);
  assert.ok(Math.abs(coiled(stage, line + JOIN)[0].place - JOIN) <= 1);
  // Back at bar 1: 12 beats before its start, four into its eight.
  const [one] = coiled(stage, zero + frames(4 * BAR) + frames(0.5));
  assert.equal(one.slot, "b");
  assert.ok(Math.abs(one.place - frames(BAR) - frames(0.5)) <= 2);
});

test("one that is begun anew at each bar is not moved off the bars by where it comes in", () => {
  const sheet = sheetOf({ coil: COIL });
  sheet.coil[0].anew = true;
  const moved = coiledEvents(sheet, { slot: "a", from: 5 });
  assert.deepEqual(moved, sheet.coil[0].events);
});

test("what was switched is told, beat by beat, and where it stopped", () => {
  const stage = stageOf().play(0).run(0.5);
  stage.plan.hearCoil("a", "bar", false, stage.now);
  stage.run(BAR);
  stage.plan.hearCoil("c", "beat", true, stage.now);
  stage.run(BAR);
  stage.plan.stop(stage.now, stage.now);
  const told = stage.plan.switched.map(({ beat, coiled: c }) => [Math.round(beat * 1000) / 1000, c?.slot ?? null, c?.from ?? null]);
  assert.deepEqual(told.slice(0, 2), [[4, "a", 0], [5, "c", 5]]);
  assert.equal(told[2][1], null);
});

test("a new tempo keeps what the coil plays", () => {
  const stage = stageOf().play(0).run(0.5);
  stage.plan.hearCoil("a", "bar", false, stage.now);
  stage.run(2 * BAR);
  stage.plan.adopt(sheetOf({ coil: COIL, bpm: 120 }), stage.now);
  stage.run(2 * BAR);
  const [one] = coiled(stage, stage.now);
  assert.equal(one.slot, "a");
  assert.ok(stage.heard(stage.now).every((h) => h.event.digest.includes("@120")));
});

test("a cycle: what is recorded begins again with it", () => {
  const stage = stageOf();
  stage.plan.setCycle({ from: 0, to: 4 }, stage.now);
  stage.play(0).run(0.3);
  stage.plan.hearCoil("b", "beat", false, stage.now);
  stage.run(2 * BAR);
  const beats = stage.plan.switched.map(({ beat }) => Math.round(beat * 100) / 100);
  assert.deepEqual(beats.slice(0, 3), [1, 0, 0]);
});

test("what was switched is told as stretches of the song, from where it was recorded", () => {
  const time = { frameOf: (/** @type {number} */ beat) => beat * 100, beatOf: (/** @type {number} */ song) => song / 100 };
  const [a, b] = [{ slot: "a", from: 0 }, { slot: "b", from: 8 }];
  const switched = [{ context: 1000, beat: 4, coiled: a }, { context: 1400, beat: 8, coiled: b }, { context: 1600, beat: 10, coiled: null }, { context: 1900, beat: 13, coiled: a }];
  assert.deepEqual(stretchesOf(switched, 1200, 2000, time), [
    { slot: "a", beat: 6, end: 8, origin: 0 }, { slot: "b", beat: 8, end: 10, origin: 8 }, { slot: "a", beat: 13, end: 14, origin: 0 },
  ]);
  assert.deepEqual(stretchesOf(switched, 2000, 2100, time).length, 1);
  assert.deepEqual(stretchesOf([], 0, 100, time), []);
});

test("how far a loop that runs on is off the bar", () => {
  assert.equal(drifted(8, 0, 8, 4), 0);
  assert.equal(drifted(4, 0, 8, 4), 0); // of two bars: its second begins there
  assert.equal(drifted(4, 0, 3, 4), 1); // it began again a beat before the line
  assert.equal(drifted(4, 1, 8, 4), -1); // it began a beat after the last
  assert.equal(drifted(4, 5, 4, 4), -1);
});

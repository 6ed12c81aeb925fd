// @ts-check
/** What is in hand, heard alone: rounds, ways and places, on a clock that is stepped by hand. */

import assert from "node:assert/strict";
import { test } from "node:test";
import { HandPlan } from "../../../src/zeroknot/web/static/js/engine/hand-plan.js";
import { AS_THEY_ARE, patternOf } from "../../../src/zeroknot/web/static/js/engine/patterns.js";
import { Kitchen, RATE, Stage, frames } from "./stage.js";

const BODY = frames(2);
const TAIL = frames(0.5);

/** A loop of two seconds that lasts two and a half as recorded. @param {Record<string, unknown>} [given] */
const sheetOf = (given = {}) => /** @type {any} */ ({
  rate: RATE, digest: "fitted", against: "other", source: "loop", recorded: "source:loop", gain: 1, channels: 2,
  source_frames: frames(3), frames: 1000 + BODY + TAIL, lead: 1000, body: BODY, span: 4,
  knots: [[0.25, 0], [2.75, BODY]], zero_s: 0.25, end_s: 2.75, ...given,
});

/** @param {Kitchen} [kitchen] */
function staged(kitchen) {
  const plan = new HandPlan(RATE);
  const stage = new Stage({ kitchen, sheet: null, plan: /** @type {any} */ (withBeat(plan)) });
  return { stage, plan };
}

/** The stage asks every plan for its beat. @param {HandPlan} plan */
const withBeat = (plan) => Object.assign(plan, { beatAt: (/** @type {number} */ at) => plan.placeAt(at) });

test("rounds meet on the sample, and the tail rings into the next", () => {
  const { stage, plan } = staged();
  plan.hear(sheetOf(), "fitted", AS_THEY_ARE, false);
  stage.run(7);
  const begins = stage.parts().filter((p) => p.offset === 1000 && p.index === 0).map((p) => p.at);
  assert.deepEqual(begins.map((at) => at - begins[0]), [0, BODY, 2 * BODY, 3 * BODY]);
  assert.deepEqual(stage.heard(begins[1] + 500).map((h) => h.song).sort((a, b) => a - b), [500, BODY + 500]);
});

test("as recorded it lasts as long as it was recorded, cut at its end", () => {
  const pattern = patternOf(sheetOf(), "recorded", AS_THEY_ARE);
  assert.equal(pattern.period, frames(2.5));
  assert.equal(pattern.events[0].start, frames(0.25));
  assert.equal(pattern.events[0].frames, frames(2.5));
});

test("another way goes on at the same moment of the recording", () => {
  const { stage, plan } = staged();
  plan.hear(sheetOf(), "recorded", AS_THEY_ARE, false);
  stage.run(1);
  const before = /** @type {number} */ (plan.secondAt(stage.now));
  plan.hear(sheetOf(), "fitted", AS_THEY_ARE, false);
  stage.run(0.1);
  const switched = stage.parts().find((p) => p.event.digest === "fitted").at;
  const [from, to] = [plan.secondAt(switched - 1), plan.secondAt(switched)];
  assert.ok(Math.abs(/** @type {number} */ (to) - /** @type {number} */ (from)) < 2 / RATE, `${from} to ${to}`);
  assert.ok(/** @type {number} */ (from) > before);
});

test("another method goes on at the very frame", () => {
  const { stage, plan } = staged();
  plan.hear(sheetOf(), "fitted", AS_THEY_ARE, false);
  stage.run(1);
  plan.hear(sheetOf(), "against", AS_THEY_ARE, false);
  stage.run(0.1);
  const begun = stage.firstOf((e) => e.digest === "fitted");
  const other = stage.parts().find((p) => p.event.digest === "other");
  assert.equal(other.from, other.at - begun);
});

test("what sounds goes on until the next way is there; asked for twice, the last is heard", () => {
  const kitchen = new Kitchen();
  const { stage, plan } = staged(kitchen);
  plan.hear(sheetOf(), "fitted", AS_THEY_ARE, false);
  stage.run(1);
  kitchen.aSecond = 0;
  plan.hear(sheetOf({ digest: "second" }), "fitted", AS_THEY_ARE, true);
  stage.run(0.5);
  assert.equal(plan.isWaiting, true);
  assert.equal(stage.heard(stage.now)[0].event.digest, "fitted");
  plan.hear(sheetOf({ digest: "third" }), "fitted", AS_THEY_ARE, true);
  kitchen.aSecond = Infinity;
  stage.run(0.2);
  assert.deepEqual([...new Set(stage.parts().map((p) => p.event.digest))], ["fitted", "third"]);
});

test("let go while it is on its way, it does not begin", () => {
  const kitchen = new Kitchen(0);
  const { stage, plan } = staged(kitchen);
  plan.hear(sheetOf(), "fitted", AS_THEY_ARE, false);
  stage.run(0.3);
  plan.stop(stage.now);
  kitchen.aSecond = Infinity;
  stage.run(1);
  assert.equal(stage.parts().length, 0);
  assert.equal(plan.isWaiting || plan.isPlaying, false);
});

test("a loop of a few samples is heard, and does not hang", () => {
  const { stage, plan } = staged();
  plan.hear(sheetOf({ zero_s: 0, end_s: 1 / RATE, source_frames: 1 }), "recorded", AS_THEY_ARE, false);
  stage.run(1);
  assert.ok(stage.parts().length >= 80);
});

test("of what is only tried little is asked for ahead", () => {
  const { stage, plan } = staged();
  plan.hear(sheetOf(), "fitted", AS_THEY_ARE, true);
  stage.run(0.1);
  assert.ok(Math.max(...plan.wanted(stage.now).map((w) => w.due)) < stage.now + frames(0.9));
  plan.isExpecting = true;
  assert.equal(plan.wanted(stage.now).length, 0);
});

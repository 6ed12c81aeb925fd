// @ts-check
/**
 * Whatever is done in whatever order, on a server of whatever speed: each frame of an event is heard
 * once, at its place, or is known to be missing.
 */

import assert from "node:assert/strict";
import { test } from "node:test";
import { Kitchen, RATE, Stage, ear, frames, sheetOf } from "./stage.js";

const FADE = Math.round(0.005 * RATE);
const SEEDS = Number(process.env.ZEROKNOT_SEEDS ?? 60);

/** @param {number} seed */
function dice(seed) {
  let a = seed * 2654435761;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** @param {number} seed */
function played(seed) {
  const roll = dice(seed);
  /** @template T @param {T[]} list @returns {T} */
  const pick = (list) => list[Math.floor(roll() * list.length)];
  const sheets = () => sheetOf({
    bpm: pick([60, 96, 97, 120, 174]), metre: pick([3, 4]), tail: pick([0, 5_000, 40_000]), lead: pick([0, 3_000]),
    clips: pick([[{}], [{}, { name: "keys", beat: 1 }], [{ bars: 1, passes: 2 }, { name: "keys", bars: 4 }], [{ name: "bass", beat: 5.3, bars: 3 }, {}]]),
    hand: true,
  });
  const kitchen = new Kitchen(pick([Infinity, 400, 60, 25]));
  kitchen.never = roll() < 0.15 ? (key) => key.endsWith("/3") : () => false;
  const stage = new Stage({ kitchen, sheet: sheets() });
  const exchange = stage.plan.exchange.bind(stage.plan);
  let changed = 0;
  stage.plan.exchange = (at, now, known) => {
    changed = at;
    exchange(at, now, known);
  };
  stage.play(pick([0, 0, 4, 13.7]));
  /** @type {string[]} */
  const done = [];
  let checked = stage.now;
  for (let i = 0; i < 14; i += 1) {
    const what = pick(["sheet", "sheet", "sheet", "go", "cycle", "no cycle", "hand", "no hand", "at bar", "stall", "stop", "wait", "wait"]);
    done.push(what);
    const { plan, now } = stage;
    if (what === "sheet") plan.adopt(sheets(), now);
    if (what === "go") plan.go(roll() * 20);
    if (what === "cycle") {
      const from = Math.floor(roll() * 12);
      plan.setCycle({ from, to: from + pick([0.5, 2, 4, 8]) }, now);
    }
    if (what === "no cycle") plan.setCycle(null, now);
    if (what === "hand") plan.hearHand("hand", now);
    if (what === "no hand") plan.hearHand(null, now);
    if (what === "at bar") {
      plan.waits = "bar";
      plan.hearHand("hand", now);
    }
    if (what === "stop") {
      plan.stop(now, now);
      plan.play();
    }
    if (what === "stall") stage.stall(roll() * 1.5);
    stage.run(pick([0.05, 0.3, 0.8, 1.6]));
    if (stage.now - checked > frames(0.1)) {
      check(stage, checked, stage.now - frames(0.02), changed, `seed ${seed}: ${done.join(", ")}`);
      checked = stage.now - frames(0.02);
    }
  }
  return stage;
}

/** @param {Stage} stage @param {number} from @param {number} to @param {number} changed when events were exchanged last @param {string} story */
function check(stage, from, to, changed, story) {
  const recent = stage.log.filter((o) => o.do !== "part" || o.at + o.frames > from);
  const points = new Set(recent.filter((o) => o.do === "part").flatMap((p) => [p.at, p.at + p.frames - 1]).filter((p) => p >= from && p < to));
  for (let at = from; at < to; at += 4001) points.add(at);
  for (const at of points) {
    /** @type {Map<string, number>} */
    const sums = new Map();
    for (const { event, song, gain } of ear(recent, at)) {
      const key = `${event.id} ${event.digest} ${event.frames} ${song}`;
      sums.set(key, (sums.get(key) ?? 0) + gain);
    }
    for (const [key, sum] of sums) assert.ok(sum <= 1 + 1e-6, `${story}\n${key} is heard ${sum} times at ${at}`);
    if (at > changed + FADE) expectWhole(stage, sums, at, story);
  }
}

/** What the run in force has at a frame is heard there, where its block was there in time. @param {Stage} stage @param {Map<string, number>} sums @param {number} at @param {string} story */
function expectWhole(stage, sums, at, story) {
  const { plan } = stage;
  const run = plan.handout.runAt(at);
  if (!plan.isPlaying || !run || !plan.current || at - run.context < 0) return;
  // Near a moment at which something changed, one comes as another goes.
  const near = stage.log.some((o) => (o.do === "release" || o.do === "hush") && at >= o.at - FADE && at <= o.at + frames(0.05));
  if (near || plan.handout.missed > 0 || plan.handout.late.length || run !== plan.handout.last) return;
  const song = run.song + at - run.context;
  const cycle = plan.cycleFrames(plan.current);
  if (cycle && run.song < cycle.to && song > cycle.to - FADE) return;
  for (const event of plan.current.events) {
    if (song < Math.max(event.at, run.song) + FADE || song >= event.at + event.frames) continue;
    const heard = sums.get(`${event.id} ${event.digest} ${event.frames} ${song}`) ?? 0;
    assert.ok(Math.abs(heard - 1) < 1e-6, `${story}\n${event.id} is heard ${heard} times at ${at}, song frame ${song}`);
  }
}

test(`no frame of an event is heard twice or left out, whatever happens (${SEEDS} stories)`, () => {
  let seen = 0;
  for (let seed = 1; seed <= SEEDS; seed += 1) {
    const stage = played(seed);
    seen += stage.parts().length;
    for (const part of stage.parts()) {
      assert.ok(part.at >= part.given, `seed ${seed}: ordered for what is past`);
      assert.ok(part.frames > 0 && part.offset >= 0 && part.offset + part.frames <= 16_384, `seed ${seed}: outside its block`);
      const axis = part.event.start + part.from;
      assert.equal(part.index * 16_384 + part.offset, axis, `seed ${seed}: another place of the render`);
    }
  }
  assert.ok(seen > SEEDS * 20);
});

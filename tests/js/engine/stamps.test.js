// @ts-check
/** Two clocks, one of which goes by steps and is read late: where a moment of the other lies on it. */

import assert from "node:assert/strict";
import { test } from "node:test";
import { Stamps, tappedAfter } from "../../../src/zeroknot/web/static/js/engine/stamps.js";

const LEAD = 3.25; // seconds that the audio clock is ahead

/** @param {number} step seconds by which the audio clock goes @param {number} [drift] seconds a second */
function looked(step, drift = 0) {
  const stamps = new Stamps();
  for (let i = 0; i < 300; i += 1) {
    const page = 1000 + i * 16.67 + (i % 7) * 0.4;
    const true_ = page / 1000 + LEAD + (drift * page) / 1000;
    stamps.look(Math.floor(true_ / step) * step, page);
  }
  return stamps;
}

for (const step of [128 / 44_100, 512 / 44_100, 0.02]) {
  test(`steps of ${(1000 * step).toFixed(1)} ms are told within 1 ms`, () => {
    const stamps = looked(step);
    for (const page of [3000, 4321.5, 5900]) {
      const off = stamps.secondAt(page) - (page / 1000 + LEAD);
      assert.ok(Math.abs(off) < 1e-3, `${1000 * off} ms`);
    }
  });
}

test("clocks that drift are followed", () => {
  const stamps = looked(128 / 44_100, 5e-5);
  const off = stamps.secondAt(5900) - (5.9 + LEAD + 5e-5 * 5.9);
  assert.ok(Math.abs(off) < 1e-3, `${1000 * off} ms`);
});

test("who taps along tells how long it takes to the ear and back", () => {
  const ticks = Array.from({ length: 10 }, (_, i) => 5 + i * 0.5);
  const late = ticks.map((tick, i) => tick + 0.043 + [0.004, -0.006, 0.002][i % 3]);
  assert.ok(Math.abs((tappedAfter(late, ticks) ?? 0) - 0.045) < 0.004);
  // One tap that is wholly off, and some that are missing, say nothing.
  assert.ok(Math.abs((tappedAfter([...late.slice(0, 6), 8.83], ticks) ?? 0) - 0.045) < 0.005);
  assert.equal(tappedAfter(late.slice(0, 3), ticks), null);
  assert.equal(tappedAfter(ticks.map((t, i) => t + (i % 2 ? 0.2 : 0.01)), ticks), null);
  assert.equal(tappedAfter([], ticks), null);
});

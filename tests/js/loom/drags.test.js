// What a press on the loom begins, and what it comes to.
import assert from "node:assert/strict";
import { test } from "node:test";

import { intentOf, movable, OWN_TIME, pressed, preview } from "../../../src/zeroknot/web/static/js/loom/drags.js";
import { xOfBeat, xOfSecond } from "../../../src/zeroknot/web/static/js/loom/model.js";

// Four seconds of eight beats, a knot tied in the middle, drawn on a thousand pixels.
const hand = { knots: [[0, 0, 0], [2, 4.2, 0], [4, 8, 0]], pace: [0.25, 16], fastened: [], beat_share: 1, follows: true };
const view = { left: 0, width: 1000, recorded: { from: -1, to: 5 }, fitted: { from: -2, to: 10 } };
const rails = { recorded: 100, fitted: 200 };
const attacks = [[0, 1, 1], [1, 1, 1], [2, 1, 1], [3, 1, 1]];
const scene = { hand, attacks, view, rails, chosen: new Set(), range: null };
const press = (x, y, more = {}, isMore = false) => pressed({ ...scene, ...more }, x, y, isMore);
const above = (second) => xOfSecond(view, second);
const below = (beat) => xOfBeat(view, beat);

const CASES = [
  ["an upper knot goes along the recording", press(above(2), 100), "knots", "recorded"],
  ["a lower knot goes along the grid", press(below(4.2), 200), "knots", "fitted"],
  ["the upper zero knot goes as any other", press(above(0), 100), "knots", "recorded"],
  ["the lower zero knot moves the grid", press(below(0), 200), "shift", "fitted"],
  ["the lower end knot lays the pass on another span", press(below(8), 200), "span", "fitted"],
  ["a hit's foot moves that hit alone", press(below(2.1), 200), "hit", "fitted"],
  ["a rail chooses a stretch", press(above(0.5), 50), "range", "recorded"],
  ["the edge of a chosen stretch goes alone", press(above(0.5), 50, { range: [0.5, 1.5] }), "edge", "recorded"],
  ["between the rails one pulls the picture", press(500, 150), "pan", "recorded"],
];

for (const [name, { drag }, kind, rail] of CASES) test(name, () => assert.deepEqual([drag.kind, drag.rail], [kind, rail]));

test("Shift and a press: one knot more, one fewer, and nothing is dragged", () => {
  assert.deepEqual(press(above(2), 100, {}, true), { chosen: new Set([2]) });
  assert.deepEqual(press(above(2), 100, { chosen: new Set([2]) }, true), { chosen: new Set() });
});

test("what is fastened, and what keeps its own time, says so and stays", () => {
  const fast = press(above(2), 100, { hand: { ...hand, fastened: [[1.5, 2.5]] } });
  assert.match(fast.says, /fastened/);
  assert.equal(fast.drag, undefined);
  const own = { hand: { ...hand, follows: false } };
  assert.equal(press(below(4.2), 200, own).says, OWN_TIME);
  assert.equal(press(below(2.1), 200, own).says, OWN_TIME);
  assert.equal(press(above(2), 100, own).drag.kind, "knots");
});

test("knots that are chosen move together; the ends stay on the grid", () => {
  assert.deepEqual(movable(hand, new Set([0, 2, 4]), "fitted"), new Set([1]));
  assert.deepEqual(movable(hand, new Set([0, 2, 4]), "recorded"), new Set([0, 1, 2]));
});

test("a drag that went nowhere asks for nothing", () => {
  const { drag } = press(below(4.2), 200);
  assert.equal(intentOf(hand, attacks, drag), null);
});

test("each kind asks in the server's words", () => {
  const asked = (pressedAt, by) => intentOf(hand, attacks, { ...pressedAt.drag, by });
  assert.deepEqual(asked(press(below(4.2), 200), 0.5), { kind: "tie_knots", knots: [{ at: 2, second: 2, beat: 4.7 }] });
  assert.deepEqual(asked(press(above(2), 100), 0.1), { kind: "tie_knots", knots: [{ at: 2, second: 2.1 }] });
  assert.deepEqual(asked(press(below(8), 200), 8), { kind: "lay_on", beats: 16 });
  assert.deepEqual(asked(press(below(0), 200), 0.25), { kind: "shift_grid", beats: 0.25 });
  const hit = asked(press(below(2.1), 200), 0.2);
  assert.deepEqual(hit.knots.map((k) => k.second), [0, 2, 1]);
  assert.ok(Math.abs(hit.knots[2].beat - 2.3) < 1e-9);
});

test("what is shown while it is dragged is what it would be", () => {
  const { drag } = press(below(8), 200);
  assert.deepEqual(preview(hand, attacks, { ...drag, by: 8 }).map((k) => k[1]), [0, 8.4, 16]);
});

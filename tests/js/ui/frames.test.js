// @ts-check
// A page that rests is looked at a few times a second; whatever stirs it has it drawn on every frame.
import assert from "node:assert/strict";
import { test } from "node:test";

const FRAME_MS = 10;
let now = 0;
let next = 1;
/** @type {Map<number, {at: number, run: () => void}>} */
const due = new Map();
/** @type {Map<string, () => void>} */
const heard = new Map();

const later = (/** @type {() => void} */ run, /** @type {number} */ ms) => {
  due.set(next, { at: now + ms, run });
  return next++;
};
const never = (/** @type {number} */ id) => { due.delete(id); };
Object.defineProperty(globalThis, "performance", { value: { now: () => now } });
Object.assign(globalThis, {
  requestAnimationFrame: (/** @type {() => void} */ run) => later(run, FRAME_MS - (now % FRAME_MS)),
  cancelAnimationFrame: never,
  setTimeout: later,
  clearTimeout: never,
  addEventListener: (/** @type {string} */ type, /** @type {() => void} */ run) => heard.set(type, run),
  document: { fonts: { addEventListener() {} }, documentElement: { dataset: {} } },
  matchMedia: () => ({ matches: false, addEventListener() {} }),
});
const { eachFrame, stir } = await import("../../../src/zeroknot/web/static/js/ui/frames.js");

/** So much time passes. @param {number} ms */
function pass(ms) {
  const until = now + ms;
  for (;;) {
    const [first] = [...due].sort(([, a], [, b]) => a.at - b.at);
    if (!first || first[1].at > until) break;
    due.delete(first[0]);
    now = Math.max(now, first[1].at);
    first[1].run();
  }
  now = until;
}

/** How many frames are drawn meanwhile. @param {number} ms @param {() => void} [each] */
function drawn(ms, each) {
  let count = 0;
  const end = eachFrame(() => { count += 1; each?.(); });
  pass(700); // what has just begun is drawn at first
  count = 0;
  pass(ms);
  end();
  return count;
}

test("a page that rests is looked at a few times a second", () => {
  const looks = drawn(10_000);
  assert.ok(looks >= 80 && looks <= 100, `${looks} in ten seconds`);
});

test("what stirs has every frame drawn", () => {
  assert.ok(drawn(10_000, stir) >= 990);
});

test("whatever a person does wakes it at the next frame, for a while", () => {
  let count = 0;
  const end = eachFrame(() => { count += 1; });
  pass(2000);
  for (const type of ["pointermove", "keydown", "wheel", "input", "resize"]) {
    count = 0;
    heard.get(type)?.();
    pass(FRAME_MS);
    assert.equal(count, 1, type);
    pass(500);
    assert.ok(count >= 50, `${type}: ${count}`);
    pass(2000);
  }
  end();
});

test("there is one loop, whoever ends and begins within it", () => {
  let [first, second] = [0, 0];
  /** @type {() => void} */
  let endSecond = () => {};
  const endFirst = eachFrame(() => {
    first += 1;
    endFirst();
    endSecond = eachFrame(() => { second += 1; stir(); });
  });
  pass(20);
  assert.equal(first, 1);
  second = 0;
  pass(1000);
  assert.equal(second, 100);
  endSecond();
  pass(1000);
  assert.equal(second, 100);
  assert.equal(due.size, 0, "nothing waits any more");
});

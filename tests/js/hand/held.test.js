// @ts-check
import assert from "node:assert/strict";
import { test } from "node:test";
import { Held } from "../../../src/zeroknot/web/static/js/hand/held.js";

/** A hand whose server answers what it is told to. @param {any} known @param {any[]} answers */
function held(known, answers) {
  const session = { path: "/api/projects/p", state: { id: "p", strands: [], metres: [{ beat: 0, bar: 1, numerator: 4, denominator: 4 }] }, beat: () => 0, saving: 0, setHand: () => {} };
  const view = { isOver: false, title: "Fit", ask: async () => answers.shift() };
  const made = new Held(/** @type {any} */ (session), /** @type {any} */ ({ viewData: () => known }), /** @type {any} */ (view));
  const seen = { told: 0 };
  made.told = () => (seen.told += 1);
  made.fetch = async () => {};
  return { made, session, seen };
}

const HAND = { hand: "h", shelved: "h", tempo: { bpm: 96, beats: 8 } };

test("what was asked in case and says nothing new is told nobody, in whatever order it comes", async () => {
  const { made, seen } = held(HAND, [{ tempo: { beats: 8, bpm: 96 }, shelved: "h", hand: "h" }]);
  await made.refresh(true);
  assert.equal(seen.told, 0);
});

test("what says something new is told, however it was asked", async () => {
  const { made, seen } = held(HAND, [{ ...HAND, tempo: { bpm: 97, beats: 8 } }]);
  await made.refresh(true);
  assert.equal(seen.told, 1);
  assert.equal(made.hand.tempo.bpm, 97);
});

test("a change whose answer was passed over is owed: the next answer is told even where it says the same", async () => {
  const { made, session, seen } = held(HAND, [HAND, HAND, HAND]);
  session.saving = 1; // something more was asked for meanwhile
  await made.refresh();
  assert.equal(seen.told, 0);
  session.saving = 0;
  await made.refresh(true);
  assert.equal(seen.told, 1);
  await made.refresh(true); // and is owed no more
  assert.equal(seen.told, 1);
});

// @ts-check
import assert from "node:assert/strict";
import { test } from "node:test";
import { Connection } from "../../../src/zeroknot/web/static/js/net/connection.js";

test("all who wait share one ping, and are let go together", async () => {
  let pings = 0;
  const answers = [false, false, true];
  const connection = new Connection(async () => answers[pings++]);
  const seen = /** @type {boolean[]} */ ([]);
  connection.watchers.add(() => seen.push(connection.isAway));
  await Promise.all(Array.from({ length: 50 }, () => connection.answers()));
  assert.equal(pings, 3);
  assert.deepEqual(seen, [true, false]);
});

test("one that answers at once was never away", async () => {
  const connection = new Connection(async () => true);
  let told = 0;
  connection.watchers.add(() => (told += 1));
  await connection.answers();
  assert.equal(told, 0);
});

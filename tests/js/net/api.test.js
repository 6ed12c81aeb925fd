// @ts-check
/** On a real server that cuts its answers off in the middle, as one does that is ended there. */
import assert from "node:assert/strict";
import { createServer } from "node:http";
import { after, before, beforeEach, test } from "node:test";
import { ApiError, getBlock, getBytes, getJson, isGivenUp, post, postOnce } from "../../../src/zeroknot/web/static/js/net/api.js";

const WHOLE = JSON.stringify({ tempos: Array.from({ length: 4000 }, (_, i) => i) });
let cuts = 0;
/** @type {string[]} */
let asked = [];
const server = createServer((request, response) => {
  if (request.url === "/api/alive") {
    response.end("{}");
    return;
  }
  asked.push(`${request.method}`);
  response.writeHead(200, { "content-type": "application/json", "content-length": WHOLE.length });
  if (cuts > 0) {
    cuts -= 1;
    response.write(WHOLE.slice(0, WHOLE.length / 2), () => response.destroy());
  } else {
    response.end(WHOLE);
  }
});

before(async () => {
  await new Promise((done) => { server.listen(0, "127.0.0.1", () => done(null)); });
  const { port } = /** @type {import("node:net").AddressInfo} */ (server.address());
  const { fetch } = globalThis;
  globalThis.fetch = (path, init) => fetch(`http://127.0.0.1:${port}${path}`, init);
});
beforeEach(() => { [cuts, asked] = [0, []]; });
after(() => { server.close(); server.closeAllConnections(); });

test("what was cut off is asked for again, whole", async () => {
  cuts = 2;
  assert.equal((await getJson("/api/projects/1")).tempos.length, 4000);
  assert.equal(asked.length, 3);
});

test("so are bytes and blocks of sound", async () => {
  cuts = 1;
  assert.equal((await getBytes("/api/renders/1/peaks/256")).data.byteLength, WHOLE.length);
  cuts = 1;
  assert.equal((await getBlock("/api/renders/1/0", 500, new AbortController().signal)).byteLength, WHOLE.length);
  assert.equal(asked.length, 4);
});

test("what carries an id of its own, too", async () => {
  cuts = 1;
  assert.equal((await postOnce("/api/projects/1/intents", {})).tempos.length, 4000);
  assert.deepEqual(asked, ["POST", "POST"]);
});

test("what must not be sent twice says that there was no answer", async () => {
  cuts = 1;
  await assert.rejects(post("/api/projects/1/prints", {}), ApiError);
  assert.deepEqual(asked, ["POST"]);
});

test("what is given up in the middle is given up", async () => {
  cuts = 1000;
  const given = new AbortController();
  const question = getJson("/api/projects/1", given.signal);
  setTimeout(() => given.abort(), 50);
  await assert.rejects(question, isGivenUp);
});

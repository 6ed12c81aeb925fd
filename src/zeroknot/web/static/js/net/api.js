// @ts-check
/**
 * The only place that talks to the server.
 *
 * What may be asked twice (reading; what carries an id of its own) waits while the server does not
 * answer and is asked again when it does; the rest fails with a sentence.
 */

import { connection } from "./connection.js";
import { newId } from "./secure.js";

const DEADLINE_MS = 60_000;
const LONG_DEADLINE_MS = 900_000; // printing, bringing in, looking for loops in a take
const FIRST_PAUSE_MS = 200;
const LONGEST_PAUSE_MS = 5_000;
const NO_ANSWER = "The server does not answer. What was saved is safe; start it again.";
const GATEWAY = [502, 503, 504]; // something in between speaks for a server that is not there

/** A sentence the server said instead of an answer. */
export class ApiError extends Error {
  /** @param {string} message @param {number} status @param {string[]} since */
  constructor(message, status, since = []) {
    super(message);
    this.status = status;
    this.since = since;
  }
}

/** @param {unknown} error */
export const isGivenUp = (error) => error instanceof DOMException && error.name === "AbortError";

/**
 * @typedef {{signal?: AbortSignal, again?: boolean, deadlineMs?: number}} How
 *   again: asked again once the server answers; signal: ends the question
 */

/**
 * What the server answers, read to its end: one that is cut off is none.
 * @template T
 * @param {string} path @param {RequestInit} init @param {How} how @param {(response: Response) => Promise<T>} read
 */
async function ask(path, init, { signal, again = false, deadlineMs = DEADLINE_MS }, read) {
  for (let pause = FIRST_PAUSE_MS; ; pause = Math.min(LONGEST_PAUSE_MS, 2 * pause)) {
    // Known to be away: one asks for all whether it is back.
    if (again && connection.isAway) await until(connection.answers(), signal);
    const deadline = AbortSignal.timeout(deadlineMs);
    const ends = signal ? AbortSignal.any([signal, deadline]) : deadline;
    try {
      const response = await fetch(path, { ...init, signal: ends });
      if (!GATEWAY.includes(response.status)) return await read(await answered(response));
    } catch (error) {
      if (signal?.aborted) throw new DOMException("given up", "AbortError");
      if (error instanceof ApiError || error instanceof SyntaxError) throw error;
      if (deadline.aborted) throw new ApiError(`No answer within ${deadlineMs / 1000} seconds. Try it again.`, 0);
    }
    const back = connection.answers();
    if (!again) throw new ApiError(NO_ANSWER, 0);
    await until(Promise.all([back, new Promise((done) => setTimeout(done, pause))]), signal);
  }
}

/** @param {Response} response */
async function answered(response) {
  if (response.ok) return response;
  const said = await response.json().catch(() => ({}));
  const text = typeof said.error === "string" ? said.error : describe(said, response.status);
  throw new ApiError(text, response.status, said.since ?? []);
}

/** @param {Promise<unknown>} promise @param {AbortSignal} [signal] */
async function until(promise, signal) {
  if (!signal) return promise;
  return new Promise((done, failed) => {
    const give = () => failed(new DOMException("given up", "AbortError"));
    if (signal.aborted) give();
    signal.addEventListener("abort", give, { once: true });
    promise.then(done, failed).finally(() => signal.removeEventListener("abort", give));
  });
}

/** @param {any} said @param {number} status */
function describe(said, status) {
  const first = Array.isArray(said.detail) ? said.detail[0] : null;
  if (!first) return `The server answered ${status}.`;
  const field = first.loc?.at(-1) ?? "a value";
  return `${String(field).replaceAll("_", " ")}: ${first.msg}`;
}

/** @param {Response} response @returns {Promise<any>} */
const json = (response) => response.json();
/** @param {Response} response */
const bytes = (response) => response.arrayBuffer();
/** @param {Response} response */
const bytesAndHead = async (response) => ({ data: await response.arrayBuffer(), headers: response.headers });
/** @param {Response} response */
const page = async (response) => ({ html: await response.text(), url: new URL(response.url).pathname });
/** @param {Response} response @returns {Promise<any>} */
const whatWasSaid = async (response) => (response.status === 204 ? null : response.json());

/** @param {unknown} body */
const written = (body) => ({ headers: { "content-type": "application/json" }, body: JSON.stringify(body ?? {}) });

/** @param {string} path @param {AbortSignal} [signal] */
export const getJson = (path, signal) => ask(path, {}, { signal, again: true, deadlineMs: LONG_DEADLINE_MS }, json);

/** @param {string} path @param {AbortSignal} [signal] */
export const getBytes = (path, signal) => ask(path, {}, { signal, again: true, deadlineMs: LONG_DEADLINE_MS }, bytesAndHead);

/** What an answer to something holds, as bytes. @param {string} path @param {unknown} body */
export const postBytes = (path, body) => ask(path, { method: "POST", ...written(body) }, { deadlineMs: LONG_DEADLINE_MS }, bytesAndHead);

/** A block of sound, due so many milliseconds from now. @param {string} path @param {number} dueMs @param {AbortSignal} signal */
export const getBlock = (path, dueMs, signal) => ask(path, { headers: { "x-due": String(dueMs) } }, { signal, again: true }, bytes);

/** The inner part of a page. @param {string} path @param {AbortSignal} [signal] */
export const getInner = (path, signal) => ask(path, { headers: { "x-zeroknot-part": "view" } }, { signal, again: true }, page);

/** @param {string} path @param {unknown} body @param {How} how @param {string} [method] */
const sent = (path, body, how, method = "POST") => ask(path, { method, ...written(body) }, how, whatWasSaid);

/** @param {string} path @param {unknown} [body] @param {How} [how] */
export const post = (path, body, how = {}) => sent(path, body, { deadlineMs: LONG_DEADLINE_MS, ...how });

/** What is done once however often it is sent: it has an id of its own, and waits for the server. @param {string} path @param {Record<string, unknown>} body */
export const postOnce = (path, body) => sent(path, { ...body, id: newId() }, { again: true });

/** What comes to the same however often it is sent. @param {string} path @param {unknown} body */
export const putJson = (path, body) => sent(path, body, { again: true }, "PUT");

/** @param {string} path */
export const remove = (path) => ask(path, { method: "DELETE" }, { again: true }, async () => true);

/** @param {string} path @param {Blob} file @param {How} [how] */
export const putFile = (path, file, how = {}) => ask(path, { method: "PUT", body: file }, { deadlineMs: LONG_DEADLINE_MS, ...how }, json);

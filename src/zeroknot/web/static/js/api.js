// @ts-check
/** The only place that talks to the server. */

/** A sentence the server said instead of an answer. */
export class ApiError extends Error {
  /** @param {string} message @param {number} status @param {string[]} since */
  constructor(message, status, since = []) {
    super(message);
    this.status = status;
    this.since = since;
  }
}

/** @param {string} path @param {RequestInit} [init] */
async function ask(path, init) {
  let response;
  try {
    response = await fetch(path, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError("The server does not answer. What was saved is safe; start it again.", 0);
  }
  if (!response.ok) {
    const said = await response.json().catch(() => ({}));
    const text = typeof said.error === "string" ? said.error : describe(said, response.status);
    throw new ApiError(text, response.status, said.since ?? []);
  }
  return response;
}

/** @param {any} said @param {number} status */
function describe(said, status) {
  const first = Array.isArray(said.detail) ? said.detail[0] : null;
  if (!first) return `The server answered ${status}.`;
  const field = first.loc?.at(-1) ?? "a value";
  return `${String(field).replaceAll("_", " ")}: ${first.msg}`;
}

/** @param {string} path */
export const getJson = async (path) => (await ask(path)).json();

/** @param {string} path @param {AbortSignal} [signal] */
export const getBytes = async (path, signal) => {
  const response = await ask(path, { signal });
  return { data: await response.arrayBuffer(), headers: response.headers };
};

/** A block of sound, due so many milliseconds from now. @param {string} path @param {number} dueMs @param {AbortSignal} signal */
export const getBlock = async (path, dueMs, signal) =>
  (await ask(path, { signal, headers: { "x-due": String(dueMs) } })).arrayBuffer();

/** The inner part of a page. @param {string} path */
export const getInner = async (path) => {
  const response = await ask(path, { headers: { "x-zeroknot-part": "view" } });
  return { html: await response.text(), url: new URL(response.url).pathname };
};

/** @param {string} path @param {unknown} [body] */
export const post = async (path, body) => {
  const response = await ask(path, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body ?? {}),
  });
  return response.status === 204 ? null : response.json();
};

/** @param {string} path */
export const remove = async (path) => {
  await ask(path, { method: "DELETE" });
  return true;
};

/** @param {string} path @param {Blob} file */
export const putFile = async (path, file) =>
  (await ask(path, { method: "PUT", body: file })).json();

/** Server-sent events; returns a function that ends them. @param {(event: any) => void} heard */
export function listen(heard) {
  const source = new EventSource("/api/events");
  source.onmessage = (message) => heard(JSON.parse(message.data));
  return () => source.close();
}

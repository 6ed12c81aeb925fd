// @ts-check
/**
 * What happens on the server, told to this page: one stream for all tabs, by a shared worker, or by
 * the tab that holds a lock where there is none.
 */

const WORKER = new URL("./events-worker.js", import.meta.url).pathname;
const CHANNEL = "zeroknot.events";
const AGAIN_MS = 1_000;

/**
 * @param {(event: any) => void} heard "hello" each time the stream begins, "silent" when it breaks
 * @returns {() => void} ends it
 */
export function listen(heard) {
  return "SharedWorker" in window ? byWorker(heard) : byLock(heard);
}

/** @param {(event: any) => void} heard */
function byWorker(heard) {
  const { port } = new SharedWorker(WORKER, { name: CHANNEL });
  port.onmessage = ({ data }) => {
    if (data.kind === "trouble") reportError(new Error(data.text));
    else heard(data);
  };
  const leave = () => port.postMessage("leave");
  window.addEventListener("pagehide", leave);
  return () => {
    window.removeEventListener("pagehide", leave);
    leave();
  };
}

/** @param {(event: any) => void} heard */
export function byLock(heard) {
  const channel = new BroadcastChannel(CHANNEL);
  channel.onmessage = ({ data }) => heard(data);
  const ended = new AbortController();
  /** @type {EventSource | null} */
  let source = null;
  /** @param {any} event */
  const tell = (event) => {
    channel.postMessage(event);
    heard(event);
  };
  const open = () => {
    if (ended.signal.aborted) return;
    source = new EventSource("/api/events");
    source.onmessage = ({ data }) => tell(JSON.parse(data));
    source.onerror = () => {
      tell({ kind: "silent" });
      source?.close();
      setTimeout(open, AGAIN_MS);
    };
  };
  navigator.locks.request(CHANNEL, { signal: ended.signal }, () => {
    open();
    return new Promise((done) => ended.signal.addEventListener("abort", done));
  }).catch(() => undefined); // ended before it was its turn
  return () => {
    ended.abort();
    source?.close();
    channel.close();
  };
}

// One stream of events for all tabs, handed on to each; troubles are handed on, too.
const ports = new Set();
const AGAIN_MS = 1000;
let hello = null;

const tell = (event) => {
  if (event.kind === "hello") hello = event;
  for (const port of ports) port.postMessage(event);
};

function open() {
  const source = new EventSource("/api/events");
  source.onmessage = (message) => tell(JSON.parse(message.data));
  source.onerror = () => {
    hello = null;
    tell({ kind: "silent" });
    source.close();
    setTimeout(open, AGAIN_MS);
  };
}

self.onconnect = ({ ports: [port] }) => {
  ports.add(port);
  port.onmessage = () => ports.delete(port); // it says so when its page goes
  if (hello) port.postMessage(hello);
};
self.onerror = (error) => tell({ kind: "trouble", text: String(error) });
open();

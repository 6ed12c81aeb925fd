"""Who is told what has happened? Every open page, over server-sent events."""

import asyncio
import threading
from typing import Any

MOST_WAITING = 1000


class Announcer:
    """Events from any thread to the queues of the pages that listen."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._listeners: dict[asyncio.Queue[dict[str, Any]], asyncio.AbstractEventLoop] = {}

    def listen(self) -> asyncio.Queue[dict[str, Any]]:
        """A queue that gets every event from now on; call within a running loop."""
        queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue(MOST_WAITING)
        with self._lock:
            self._listeners[queue] = asyncio.get_running_loop()
        return queue

    def leave(self, queue: asyncio.Queue[dict[str, Any]]) -> None:
        with self._lock:
            self._listeners.pop(queue, None)

    def say(self, kind: str, **what: Any) -> None:
        with self._lock:
            listeners = list(self._listeners.items())
        for queue, loop in listeners:
            if not loop.is_closed():
                loop.call_soon_threadsafe(_put, queue, {"kind": kind, **what})


def _put(queue: asyncio.Queue[dict[str, Any]], event: dict[str, Any]) -> None:
    # A page that stopped reading misses events; it asks for the whole state when it comes back.
    if not queue.full():
        queue.put_nowait(event)

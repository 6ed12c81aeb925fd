"""The server, and how it ends: who waits for a long sum is told, not cut off."""

import signal
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn
from fastapi import FastAPI

PATIENCE_SECONDS = 1.0  # what is asked for has so long once the server is told to end
CUT_OFF_SECONDS = 3  # whatever is not answered by then, on a machine that stands still


class Server(uvicorn.Server):
    def __init__(self, app: FastAPI, certificate: tuple[Path, Path] | None = None):
        """certificate: it and its key, where other machines are let in"""
        file, key = certificate or (None, None)
        super().__init__(
            uvicorn.Config(
                app, log_level="warning", server_header=False, ssl_certfile=file, ssl_keyfile=key,
                timeout_graceful_shutdown=CUT_OFF_SECONDS,
            )
        )  # fmt: skip
        self._app = app

    @contextmanager
    def capture_signals(self) -> Iterator[None]:
        """The end of the terminal is one more way to be told, unless somebody said it is not."""
        with super().capture_signals():
            before = signal.getsignal(signal.SIGHUP)
            if before is not signal.SIG_IGN:
                signal.signal(signal.SIGHUP, self.handle_exit)
            try:
                yield
            finally:
                signal.signal(signal.SIGHUP, before)

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Whoever waits longer than that is answered with 503."""
        executors = self._app.state.studio.executors
        soon = threading.Timer(PATIENCE_SECONDS, executors.end_questions)
        soon.start()
        try:
            await super().shutdown(sockets)
        finally:
            soon.cancel()

"""A real server in a process of its own, as a person would start it."""

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
import weakref
from contextlib import suppress
from pathlib import Path

from zeroknot.web.addresses import addresses_of
from zeroknot.web.certificate import trusting

LONGEST_END_SECONDS = 30  # at the lowest priority, behind browsers that play in real time


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


class Server:
    """`zeroknot serve` on a data folder."""

    def __init__(self, data: Path, **settings: str):
        self.data, self.port, self.settings = data, free_port(), settings
        self.base, self.from_elsewhere = addresses_of(
            settings.get("ZEROKNOT_HOST", "127.0.0.1"), self.port
        )
        self.said = tempfile.TemporaryFile()  # noqa: SIM115
        weakref.finalize(self, self.said.close)
        self.start()

    def start(self) -> None:
        """Begin, or begin again at the same address."""
        began = time.perf_counter()
        self.said.seek(0)
        self.said.truncate()
        self.process = subprocess.Popen(
            [sys.executable, "-c", "from zeroknot.cli.start import run; run()", "serve", "--port",
             str(self.port)],
            env={
                **os.environ, "PYTHONFAULTHANDLER": "1", "ZEROKNOT_DATA": str(self.data),
                **self.settings,
            },
            stdout=self.said, stderr=subprocess.STDOUT,
            start_new_session=True,
        )  # fmt: skip
        while True:
            try:
                self.get("/api/projects")
                break
            except (OSError, urllib.error.URLError):
                if time.perf_counter() - began > 30 or self.process.poll() is not None:
                    raise
                time.sleep(0.05)
        self.start_seconds = time.perf_counter() - began

    @property
    def is_running(self) -> bool:
        return self.process.poll() is None

    def _answer(self, request: urllib.request.Request | str, seconds: float):
        trusted = trusting(self.data) if self.base.startswith("https") else None
        return urllib.request.urlopen(request, timeout=seconds, context=trusted)

    def get(self, path: str):
        with self._answer(self.base + path, 60) as response:
            return json.load(response)

    def bytes(self, path: str) -> bytes:
        with self._answer(self.base + path, 60) as response:
            return bytes(response.read())

    def send(self, method: str, path: str, body: bytes):
        request = urllib.request.Request(self.base + path, body, method=method)
        request.add_header("content-type", "application/json")
        with self._answer(request, 120) as response:
            return None if response.status == 204 else json.load(response)

    def post(self, path: str, **body):
        return self.send("POST", path, json.dumps(body).encode())

    def bring(self, data: bytes, name: str):
        return self.send("PUT", f"/api/incoming?name={urllib.parse.quote(name)}", data)

    def rows(self, words: str = "") -> list[dict]:
        """Rows of the shelf with these words, newest first."""
        query = urllib.parse.urlencode({"words": words, "count": 500})
        return self.get(f"/api/shelf?{query}")["rows"]

    def settle(self, seconds: float = 60) -> list[dict]:
        """Wait until nothing is on its way in any more."""
        end = time.perf_counter() + seconds
        while time.perf_counter() < end:
            items = self.get("/api/bring/items")
            if all(i["state"] not in ("waiting", "listening") for i in items):
                return items
            time.sleep(0.05)
        raise TimeoutError("bringing in did not end")

    def words(self) -> str:
        """All that it wrote to the terminal since it was started."""
        self.said.seek(0)
        return self.said.read().decode()

    def kill(self) -> None:
        """SIGKILL to the server and its workers, as a crash would."""
        self.kill_what_is_left()
        self.process.wait()

    def kill_what_is_left(self) -> None:
        with suppress(ProcessLookupError):
            os.killpg(self.process.pid, signal.SIGKILL)

    def stop(self) -> None:
        """A clean stop; whatever it did, it complains of nothing in the terminal."""
        if self.is_running:
            self.process.terminate()
            self._ends_quietly()

    def interrupt(self) -> None:
        """Ctrl+C in its terminal: the server and all its workers are told at once."""
        os.killpg(self.process.pid, signal.SIGINT)
        self._ends_quietly()

    def hang_up(self) -> None:
        """Its terminal is closed, of which all are told, too."""
        os.killpg(self.process.pid, signal.SIGHUP)
        self._ends_quietly()

    def _ends_quietly(self) -> None:
        try:
            self.process.wait(LONGEST_END_SECONDS)
        except subprocess.TimeoutExpired:
            self.process.send_signal(signal.SIGABRT)  # it says where it stands
            self.process.wait()
            self.kill_what_is_left()
            raise AssertionError(f"the server did not end:\n{self.words()}") from None
        end = time.perf_counter() + 10
        while _has_processes(self.process.pid) and time.perf_counter() < end:
            time.sleep(0.05)
        words = self.words()
        if "ERROR" in words or "Traceback" in words:
            raise AssertionError(f"the server wrote:\n{words}")


def _has_processes(group: int) -> bool:
    try:
        os.killpg(group, 0)
    except ProcessLookupError:
        return False
    return True

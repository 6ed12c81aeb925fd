import hashlib
import os
import signal
import tempfile
import threading
import time
import unittest
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from http.client import HTTPException
from pathlib import Path

import numpy as np

from tests.server import Server
from tests.sounds import audio, hits, rendered
from zeroknot.core.formats.riff import wav_bytes


@contextmanager
def closing_of_terminals(is_taken: signal.Handlers) -> Iterator[None]:
    """How what is started meanwhile takes the end of its terminal."""
    before = signal.signal(signal.SIGHUP, is_taken)
    try:
        yield
    finally:
        signal.signal(signal.SIGHUP, before)


class StoppedTest(unittest.TestCase):
    """Whatever ends the server while files come in: none that arrived is lost, none is doubled."""

    def test_kill_in_the_middle_of_bringing_in(self):
        self.stopped_by(Server.kill)

    def test_a_clean_stop_in_the_middle_of_bringing_in(self):
        began = time.perf_counter()
        self.stopped_by(Server.stop)
        self.assertEqual(self.ended_with, 0)
        self.assertLess(time.perf_counter() - began, 120)

    def test_ctrl_c_in_the_middle_of_bringing_in(self):
        """Every process of the terminal gets the signal, those that are at work, too."""
        self.stopped_by(Server.interrupt)
        self.assertEqual(self.ended_with, 0)

    def test_the_terminal_is_closed_in_the_middle_of_bringing_in(self):
        # Tests that were started by nohup would have the server stay.
        with closing_of_terminals(signal.SIG_DFL):
            self.stopped_by(Server.hang_up)
        self.assertEqual(self.ended_with, 0)

    def test_a_server_that_outlives_its_terminal_by_wish_goes_on(self):
        """Started by nohup, which has the signal ignored."""
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        with closing_of_terminals(signal.SIG_IGN):
            server = Server(Path(folder.name))
        self.addCleanup(server.stop)
        os.killpg(server.process.pid, signal.SIGHUP)
        time.sleep(1.5)  # three times as long as it takes one that is told to end
        self.assertEqual(server.get("/api/projects"), [])

    def test_a_clean_stop_under_an_open_page_is_quiet(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        server = Server(Path(folder.name))
        self.addCleanup(server.stop)
        with urllib.request.urlopen(f"{server.base}/api/events", timeout=20) as events:
            self.assertIn(b"hello", events.readline())
            server.stop()
            while events.readline():
                pass  # to its proper end: one that is cut off raises
        self.assertEqual(server.process.returncode, 0)
        self.assertEqual(server.words(), f"Zero Knot: {server.base}\n")

    def test_a_clean_stop_tells_who_waits_for_a_long_sum(self):
        """It would be cut off in the middle, with a page of complaints in the terminal."""
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        server = Server(Path(folder.name))
        self.addCleanup(server.stop)
        long = audio(hits(np.arange(1, 200, 0.5), 200.0))
        server.bring(wav_bytes(long, 16), "long.wav")
        (row,) = server.settle(120)
        project = server.post("/api/projects", name="Ended")["id"]
        digests = []
        for bpm in (90, 94, 98, 102):  # more than any machine has done by then
            state = server.get(f"/api/projects/{project}")
            server.post(
                f"/api/projects/{project}/intents",
                revision=state["revision"], intent={"kind": "set_steady_tempo", "bpm": bpm},
            )  # fmt: skip
            sheet = server.get(f"/api/projects/{project}/hand/{row['sha']}/sheet")
            digests.append(sheet["digest"])
        answers = {}

        def ask(path):
            try:
                server.bytes(path)
                answers[path] = 200
            except urllib.error.HTTPError as error:
                answers[path] = error.code

        paths = [
            f"/api/renders/{d}/{what}" for d in digests for what in ("loudness/body", "peaks/256")
        ]
        asking = [threading.Thread(target=ask, args=(path,)) for path in paths]
        for one in asking:
            one.start()
        time.sleep(0.5)  # they are at it
        server.stop()
        for one in asking:
            one.join()
        self.assertEqual(server.process.returncode, 0)
        self.assertEqual(server.words(), f"Zero Knot: {server.base}\n")
        # What pages take for a server that is away: they ask again once it is back.
        self.assertEqual(set(answers), set(paths))  # whatever is asked is answered
        self.assertGreaterEqual(list(answers.values()).count(503), 2)
        self.assertLessEqual(set(answers.values()), {200, 503})

    def stopped_by(self, stop):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        data = Path(folder.name)
        server = Server(data)
        self.addCleanup(server.stop)
        project = server.post("/api/projects", name="Kept")["id"]
        for bpm in (90, 91, 92):
            state = server.get(f"/api/projects/{project}")
            server.post(
                f"/api/projects/{project}/intents",
                revision=state["revision"], intent={"kind": "set_steady_tempo", "bpm": bpm},
            )  # fmt: skip
        server.bring(wav_bytes(rendered("bass_97"), 16), "first.wav")
        server.settle()

        arrived = []

        def bring_many():
            for i in range(16):
                sound = wav_bytes(audio(hits([0.1, 0.6, 1.1], 6.0, seed=i)), 32)
                try:
                    server.bring(sound, f"many/{i}.wav")
                    arrived.append(hashlib.sha256(sound).hexdigest())
                except (OSError, urllib.error.URLError, HTTPException):
                    return  # the server is gone, as it should be

        sender = threading.Thread(target=bring_many)
        sender.start()
        time.sleep(1.2)
        stop(server)
        self.ended_with = server.process.returncode
        sender.join()
        again = Server(data)
        self.addCleanup(again.stop)
        state = again.get(f"/api/projects/{project}")
        self.assertEqual((state["bpm"], state["undo"]), (92, "tempo 92 BPM"))
        again.settle()
        rows = again.rows()
        self.assertIn("first", {r["name"] for r in rows})
        # What had arrived is there, once; the one that was on its way may have got in, too.
        shas = [r["sha"] for r in rows]
        self.assertEqual(len(shas), len(set(shas)))
        self.assertLessEqual(set(arrived), set(shas))
        self.assertLessEqual(len(shas), len(arrived) + 2)
        self.assertGreater(len(arrived), 2)
        kept = {p.name for p in (data / "audio").glob("??/*")}
        self.assertEqual(kept, set(shas))
        self.assertEqual(list((data / "incoming").iterdir()), [])
        # What did not arrive can simply be brought in again.
        again.bring(wav_bytes(audio(hits([0.1, 0.6, 1.1], 6.0, seed=15)), 32), "15.wav")
        self.assertIn(again.settle()[-1]["state"], ("done", "double"))

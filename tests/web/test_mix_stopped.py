"""A long mix over a clean stop and a kill: it goes on. Ended by hand it is soon over."""

import io
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

import soundfile

from tests.server import Server
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes

PASSES, BPM = 40, 100  # of eight beats: 192 s of song


class MixStoppedTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.data = Path(folder.name)
        self.server = Server(self.data)
        self.addCleanup(lambda: self.server.stop())
        self.project = self.server.post("/api/projects", name="Long")["id"]
        self.intent(kind="set_steady_tempo", bpm=BPM)
        for name in ("drums_103", "keys_88"):
            self.server.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
        self.server.settle()
        for row in self.server.get("/api/shelf?count=9")["rows"]:
            self.intent(kind="place", hand=row["sha"], beat=0, passes=PASSES)

    def intent(self, **intent):
        state = self.server.get(f"/api/projects/{self.project}")
        path = f"/api/projects/{self.project}/intents"
        self.server.post(path, revision=state["revision"], intent=intent)

    def begin(self, id_):
        asked = {"id": id_, "start": 0, "end": 8 * PASSES, "stems": "tracks", "lufs": -14}
        return self.server.post(f"/api/projects/{self.project}/mixes", **asked)["job"]

    def waited(self, id_, until, seconds):
        end = time.monotonic() + seconds
        while not until(job := self.server.get(f"/api/jobs/{id_}")):
            self.assertLess(time.monotonic(), end, job)
            time.sleep(0.05)
        return job

    def test_it_goes_on_after_a_clean_stop_and_after_a_kill(self):
        self.begin("long")
        for stop in (Server.stop, Server.kill):
            self.waited("long", lambda j: j["state"] == "running" and j["done"] > 0, 60)
            time.sleep(0.4)
            began = time.monotonic()
            stop(self.server)
            self.assertLess(time.monotonic() - began, 20)
            self.server = Server(self.data)
        job = self.waited("long", lambda j: j["state"] not in ("waiting", "running"), 120)
        self.assertEqual((job["state"], job["error"]), ("done", ""))
        with zipfile.ZipFile(io.BytesIO(self.server.bytes("/api/mixes/long/file"))) as packed:
            sounds = [n for n in packed.namelist() if n.endswith(".wav")]
            lengths = {soundfile.info(packed.open(n)).frames for n in sounds}
        self.assertEqual((len(sounds), len(lengths)), (3, 1))
        self.assertGreaterEqual(lengths.pop(), round(8 * PASSES * 60 / BPM * 44_100))

    def test_ended_by_hand_it_is_soon_over_and_leaves_nothing(self):
        self.begin("brief")
        self.waited("brief", lambda j: j["state"] == "running", 30)
        time.sleep(1.0)
        self.server.post("/api/jobs/brief/cancel")
        job = self.waited("brief", lambda j: j["state"] not in ("waiting", "running"), 5)
        self.assertEqual(job["state"], "cancelled")
        self.assertEqual(list((self.data / "mixes").glob("brief*")), [])

"""A watched folder, by the server's own clock: files are laid there, it is stopped and started."""

import tempfile
import time
import unittest
from pathlib import Path

import soundfile

from tests.server import Server
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.studio.watched import LOOK_EVERY_SECONDS, PRINTED

SOON = 2 * LOOK_EVERY_SECONDS + 20  # two looks, and listening to it beside whatever else runs


class WatchedFolderTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.watch = self.folder / "in"
        self.watch.mkdir()
        self.server = Server(self.folder / "data", ZEROKNOT_WATCH=str(self.watch))
        self.addCleanup(self.server.stop)

    def rows(self, count):
        """The shelf, once so many loops lie on it."""
        end = time.monotonic() + SOON
        while time.monotonic() < end and len(self.server.rows()) < count:
            time.sleep(0.1)
        return self.server.rows()

    def test_what_is_laid_there_comes_in_by_itself_once_and_prints_go_out(self):
        (self.watch / "drums_103.wav").write_bytes(wav_bytes(rendered("drums_103"), 16))
        [row] = self.rows(1)
        self.assertEqual(row["name"], "drums_103")
        project = self.server.post("/api/projects", name="P")["id"]
        self.server.post(f"/api/projects/{project}/prints", hand=row["sha"], seam="wrap",
                         with_lead=False)  # fmt: skip
        [out] = (self.watch / PRINTED).iterdir()
        self.assertGreater(soundfile.info(out).frames, 0)
        # Stopped cleanly and started again: nothing comes in twice, what is new comes in.
        self.server.stop()
        self.assertGreaterEqual(self.server.process.returncode, -15)  # by itself, not killed
        (self.watch / "keys_88.wav").write_bytes(wav_bytes(rendered("keys_88"), 16))
        self.server.start()
        self.assertEqual({r["name"] for r in self.rows(3)}, {"drums_103", "keys_88", *(
            r["name"] for r in self.server.rows() if r["is_print"])})  # fmt: skip
        time.sleep(LOOK_EVERY_SECONDS + 0.5)
        self.assertEqual(len(self.server.rows()), 3)
        self.assertNotIn("double", [i["state"] for i in self.server.get("/api/bring/items")])

"""`zeroknot bring` and `zeroknot shelf`: alone, and beside a server that holds the data folder."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
import unittest.mock
from pathlib import Path

from tests.cli.test_commands import run_here
from tests.server import Server
from tests.sounds import audio, hits, sine
from tests.studio.test_bringing import packed, tone
from zeroknot.core.formats.riff import wav_bytes


class ShelfCommandsTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.data = self.folder / "data"
        self.pack = self.folder / "Quay"
        self.pack.mkdir()
        beat = 60 / 100
        sound = hits([i * beat / 2 for i in range(16)], 8 * beat, seed=3)
        (self.pack / "drum loop 100bpm.wav").write_bytes(wav_bytes(audio(sound), 16))
        (self.pack / "letter.txt").write_bytes(b"dear friend")
        (self.folder / "more.zip").write_bytes(packed([("hum 1.wav", tone(110))]))

    def run_(self, *arguments):
        return subprocess.run(
            [sys.executable, "-c", "from zeroknot.cli.start import run; run()",
             *map(str, arguments)],
            env={**os.environ, "ZEROKNOT_DATA": str(self.data)},
            capture_output=True, text=True, timeout=120,
        )  # fmt: skip

    def shelf(self, *arguments):
        """`zeroknot shelf` in this process."""
        with unittest.mock.patch.dict(os.environ, {"ZEROKNOT_DATA": str(self.data)}):
            return run_here("shelf", *arguments, folder=self.folder)

    def test_bring_and_find(self):
        done = self.run_("bring", self.pack, self.folder / "more.zip", "--json")
        self.assertEqual(done.returncode, 1, done.stderr)  # one was refused
        told = json.loads(done.stdout)
        self.assertEqual((told["done"], told["refused"]), (2, 1))
        self.assertEqual(told["troubles"][0]["name"], "Quay/letter.txt")
        done = self.run_("bring", self.pack / "drum loop 100bpm.wav")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("0 brought in, 1 there already", done.stdout)
        found = json.loads(self.shelf("drum", "--json").stdout)
        self.assertEqual(found["total"], 1)
        self.assertEqual(found["rows"][0]["set"], "Quay")
        self.assertEqual(found["facets"]["kinds"], [{"value": "audio", "count": 1}])
        plain = self.shelf("--sort", "name")
        self.assertIn("2 loops", plain.stdout)
        self.assertIn("drum loop 100bpm", plain.stdout)
        for bad in (("bring", self.folder / "nothing"), ("shelf", "--sort", "colour")):
            with self.subTest(bad):
                refused = self.shelf(*bad[1:]) if bad[0] == "shelf" else self.run_(*bad)
                self.assertEqual(refused.returncode, 1)
                self.assertTrue(refused.stderr)
                self.assertNotIn("Traceback", refused.stderr)
        self.assertEqual(self.shelf("--hits", "some").returncode, 2)

    def test_a_server_brings_them_in_itself(self):
        server = Server(self.data)
        self.addCleanup(server.stop)
        done = self.run_("bring", self.pack)
        self.assertIn("1 brought in", done.stdout, done.stderr)
        self.assertIn("letter.txt", done.stderr)
        self.assertEqual([r["name"] for r in server.rows()], ["drum loop 100bpm"])
        # What fits a project, as on its page.
        server.post("/api/projects", name="Tide")
        fits = self.shelf("--project", "Tide", "--stretch-within", "30", "--json")
        row = json.loads(fits.stdout)["rows"][0]
        self.assertAlmostEqual(row["duration_ratio"], row["tempo_bpm"] / 120, places=3)
        self.assertEqual(self.shelf("--stretch-within", "5").returncode, 2)
        self.assertEqual(self.shelf("--project", "None such").returncode, 1)
        # The shelf is read beside it.
        self.assertIn("1 loops", self.shelf().stdout)
        (self.pack / "hum.wav").write_bytes(wav_bytes(audio(sine(90, 0.5)), 16))
        self.run_("bring", self.pack / "hum.wav")
        self.assertEqual(len(server.rows()), 2)

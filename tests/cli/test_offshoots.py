"""`zeroknot grow`, `resample` and `like`."""

import json
import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from tests.cli.test_commands import run_here
from tests.sounds import FIXTURES

DRUMS, BASS, KEYS = (FIXTURES / f"{n}.flac" for n in ("drums_103", "bass_97", "keys_88"))


class OffshootsTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def run_json(self, *arguments):
        done = run_here(*arguments, "--json", folder=self.folder)
        self.assertEqual(done.returncode, 0, done.stderr)
        return json.loads(done.stdout)

    def refused(self, *arguments):
        done = run_here(*arguments, folder=self.folder)
        self.assertEqual(done.returncode, 1)
        return done.stderr

    def test_what_is_grown_is_made_again_from_its_recipe(self):
        told = self.run_json("grow", DRUMS, "--out", "more", "--n", "3", "--seed", "7")
        self.assertEqual(len(told["grown"]), 3)
        again = self.run_json("grow", DRUMS, "--out", "again", "--n", "3", "--seed", "7")
        self.assertEqual(told["grown"], again["grown"])
        wav = self.folder / "more" / told["grown"][0]["wav"]
        recipe = wav.with_suffix(".json")
        same = self.run_json("resample", DRUMS, "--recipe", recipe, "--out", "same.wav")
        self.assertEqual(same["how"], "the same again")
        self.assertEqual((self.folder / "same.wav").read_bytes(), wav.read_bytes())
        # Faster, and over another loop: as long as the recipe says, to the sample.
        faster = self.run_json("resample", DRUMS, "--recipe", recipe, "--tempo", "120",
                               "--out", "faster.wav")  # fmt: skip
        beats = json.loads(recipe.read_text())["strand"]["knots"][-1]["beat"]
        self.assertEqual(faster["frames"], round(beats * 22_050))
        other = self.run_json("resample", BASS, "--recipe", recipe, "--out", "other.wav")
        self.assertEqual(other["how"], "its recipe laid over bass_97")
        sound, _ = soundfile.read(self.folder / "other.wav")
        self.assertGreater(np.abs(sound).max(), 0.05)

    def test_bad_use_is_a_sentence(self):
        (self.folder / "no.json").write_text("{}")
        self.assertIn("no recipe", self.refused("resample", DRUMS, "--recipe", "no.json",
                                                "--out", "x.wav"))  # fmt: skip
        self.assertIn("no such file", self.refused("grow", "nothing.wav", "--out", "x"))
        self.assertIn("'colour' may change", self.refused("grow", DRUMS, "--may", "colour",
                                                          "--out", "x"))  # fmt: skip
        self.assertIn("likeness goes by", self.refused("like", DRUMS, "--by", "smell"))

    def test_what_is_like_a_file_is_found_on_the_shelf(self):
        with mock.patch.dict(os.environ, {"ZEROKNOT_DATA": str(self.folder / "data")}):
            self.assertIn("shelf is empty", self.refused("like", DRUMS))
            done = run_here("bring", DRUMS, BASS, KEYS, folder=self.folder)
            self.assertEqual(done.returncode, 0, done.stderr)
            found = self.run_json("like", DRUMS, "--n", "2")["like"]
        self.assertEqual(found[0]["name"], "drums_103")
        self.assertGreater(found[0]["alike"], 0.99)
        self.assertEqual(len(found), 2)

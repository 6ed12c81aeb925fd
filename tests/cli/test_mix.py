"""`zeroknot mix` and `export`: the song as files, by name and from a project file elsewhere."""

import json
import os
import tempfile
from pathlib import Path
from unittest import mock

import numpy as np
import pyloudnorm
import soundfile

from tests.cli.test_commands import run_here
from tests.sounds import rendered
from tests.studio.helper import StudioTest
from zeroknot.core.formats.mix_file import MixHow
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.mixdown import AskedMix
from zeroknot.studio.song_range import SongRange


class MixTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("Slate")
        self.submit(self.project, SetSteadyTempo(bpm=100))
        for name in ("drums_103", "keys_88"):
            item = self.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
            self.submit(self.project, Place(hand=item.sha, beat=0))
        out = tempfile.TemporaryDirectory()
        self.addCleanup(out.cleanup)
        self.out = Path(out.name)

    def run_here(self, *arguments, data=None):
        with mock.patch.dict(os.environ, {"ZEROKNOT_DATA": str(data or self.folder)}):
            return run_here(*arguments, folder=self.out)

    def told(self, *arguments, **where):
        done = self.run_here(*arguments, "--json", **where)
        self.assertEqual(done.returncode, 0, done.stderr)
        return json.loads(done.stdout)

    def refused(self, *arguments, **where):
        done = self.run_here(*arguments, **where)
        self.assertEqual(done.returncode, 1)
        self.assertNotIn("Traceback", done.stderr)
        return done.stderr

    def sound(self, name):
        return soundfile.read(self.out / name)[0]

    def test_it_is_the_mix_of_the_application_by_name_and_by_id(self):
        tree = self.studio.projects.state(self.project).project
        asked = AskedMix(SongRange(0.0, 8.0), MixHow("wav24"))
        job = self.studio.jobs.waited(self.studio.mixdowns.begin(tree, asked).id, 60)
        ours = self.studio.mixdowns.file(job.id).read_bytes()
        told = self.told("mix", "Slate", "--out", "mix.wav")
        self.assertEqual((self.out / "mix.wav").read_bytes(), ours)
        self.assertEqual(told["frames"], len(self.sound("mix.wav")))
        self.told("mix", self.project, "--out", "again.wav")
        self.assertEqual((self.out / "again.wav").read_bytes(), ours)

    def test_bars_loudness_formats_and_stems(self):
        self.told("mix", "Slate", "--out", "mix.flac", "--lufs", "-20", "--bars", "1-2",
                  "--stems", "parts")  # fmt: skip
        whole, rate = soundfile.read(self.out / "mix.flac")
        self.assertAlmostEqual(pyloudnorm.Meter(rate).integrated_loudness(whole), -20, delta=0.2)
        stems = sorted((self.out / "parts").glob("*.flac"))
        self.assertEqual(len(stems), 2)
        self.assertTrue((self.out / "parts" / "credits.txt").is_file())
        summed = sum(soundfile.read(s)[0] for s in stems)
        self.assertLess(np.abs(summed - whole).max(), 0.02)  # the limiter is for the sum alone
        bar = self.told("mix", "Slate", "--out", "bar.wav", "--bars", "2", "--bits", "32")
        self.assertGreaterEqual(bar["frames"], round(2.4 * 44_100))

    def test_a_project_file_opens_elsewhere_with_the_same_sound(self):
        """On a data folder of its own, from nothing but the file: to the bit here (below −120 dB
        asked)."""
        done = self.run_here("export", "Slate", "--out", "slate.zip")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("2 loops", done.stdout)
        with tempfile.TemporaryDirectory() as elsewhere:
            self.told("mix", "slate.zip", "--out", "there.wav", "--bits", "32", data=elsewhere)
        self.told("mix", "Slate", "--out", "here.wav", "--bits", "32")
        np.testing.assert_array_equal(self.sound("there.wav"), self.sound("here.wav"))

    def test_bad_use_is_a_sentence(self):
        for arguments, said in (
            (("mix", "Slete", "--out", "x.wav"), "there are: Slate"),
            (("mix", "Slate", "--out", "x.aac"), "ends in .wav"),
            (("mix", "Slate", "--out", "x.wav", "--bits", "12"), "16, 24 or 32"),
            (("mix", "Slate", "--out", "x.wav", "--bars", "nine"), "5-8"),
            (("mix", "Slate", "--out", "x.wav", "--bars", "4-2"), "end before"),
            (("mix", "Slate", "--out", "x.wav", "--bars", "90-91"), "nothing sounds"),
            (("mix", "Slate", "--out", "x.wav", "--lufs", "9"), "between"),
            (("mix", "Slate", "--out", "no/x.wav"), "is no folder"),
            (("export", "Slate", "--out", "no/x.zip"), "cannot be written"),
        ):
            with self.subTest(arguments):
                self.assertIn(said, self.refused(*arguments))
        with tempfile.TemporaryDirectory() as empty:
            said = self.refused("mix", "Slate", "--out", "x.wav", data=empty)
            self.assertIn("nothing was made here yet", said)
        self.studio.projects.create("Slate")
        self.assertIn("by its id", self.refused("mix", "Slate", "--out", "x.wav"))

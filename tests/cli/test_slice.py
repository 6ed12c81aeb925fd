"""`zeroknot slice`: kits, cues, a dealt order, its MIDI file; and what it says of bad use."""

import io
import json
import tempfile
import unittest
from pathlib import Path

import mido
import numpy as np
import soundfile
from wavinfo import WavInfoReader

from tests.cli.test_commands import run_here
from tests.core.formats.test_order_files import regions
from tests.sounds import FIXTURES

DRUMS = FIXTURES / "drums_103.flac"


class SliceTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def slice(self, *arguments):
        done = run_here("slice", DRUMS, *arguments, "--json", folder=self.folder)
        self.assertEqual(done.returncode, 0, done.stderr)
        return json.loads(done.stdout)

    def test_a_kit_whose_samples_are_the_slices(self):
        told = self.slice("--by", "1/8", "--bars", "2", "--out", "kit.sfz")
        self.assertEqual(len(told["slices"]), 16)
        found = regions((self.folder / "kit.sfz").read_text())
        self.assertEqual([r["key"] for r in found], [str(k) for k in range(36, 52)])
        source, rate = soundfile.read(DRUMS, always_2d=True)
        for region, one in zip(found, told["slices"], strict=True):
            sound, own = soundfile.read(self.folder / region["sample"], always_2d=True)
            self.assertEqual(own, rate)
            start = round(one["start_s"] * rate)
            # Its fade-in lies before the cut: from there on it is the recording. Before the first
            # there is none, and half a millisecond of it is faded in.
            lead = sound.shape[0] - round(one["end_s"] * rate) + start
            sharp = 0 if lead else 23
            np.testing.assert_allclose(
                sound[lead + sharp : lead + 2000], source[start + sharp : start + 2000], atol=1e-6
            )

    def test_a_folder_of_wavs_and_a_wav_with_cue_points(self):
        told = self.slice("--by", "4", "--out", "pieces")
        self.assertEqual(sorted(p.name for p in (self.folder / "pieces").iterdir()),
                         ["1.wav", "2.wav", "3.wav", "4.wav"])  # fmt: skip
        self.assertEqual(len(told["written"]), 4)
        cues = self.slice("--by", "4", "--out", "cues.wav", "--bits", "24")
        info = WavInfoReader(str(self.folder / "cues.wav"))
        starts = [round(s["start_s"] * 44_100) for s in cues["slices"]]
        self.assertEqual([c.sample_offset for c in info.cues.cues], starts)

    def test_the_same_seed_is_the_same_file_and_as_long_as_the_loop(self):
        for name in ("a.wav", "b.wav"):
            self.slice("--by", "1/8", "--deal", "7", "--like", "--out", name)
        self.slice("--by", "1/8", "--deal", "8", "--like", "--out", "c.wav")
        a, b, c = ((self.folder / f"{n}.wav").read_bytes() for n in "abc")
        self.assertEqual(a, b)
        self.assertNotEqual(a, c)
        fast = self.slice("--by", "1/8", "--bars", "2", "--deal", "7", "--tempo", "120",
                          "--out", "d.wav")  # fmt: skip
        self.assertEqual(fast["tempo_bpm"], 120)
        self.assertEqual(soundfile.info(self.folder / "d.wav").frames, 4 * 44_100)

    def test_midi_of_the_order(self):
        told = self.slice("--by", "1/8", "--deal", "7", "--out", "order.mid")
        file = mido.MidiFile(file=io.BytesIO((self.folder / "order.mid").read_bytes()))
        notes = [m.note - 36 for m in file.tracks[0] if m.type == "note_on"]
        self.assertEqual(notes, [t["piece"] for t in told["order"]])

    def test_bad_use_is_said(self):
        for arguments, status, words in (
            (("--out", "a.mp3"), 2, "folder"), (("--by", "1/7", "--out", "a.wav"), 2, "1/64"),
            (("--by", "0", "--out", "a.wav"), 2, "1 to"),
            (("--like", "--out", "a.wav"), 2, "--deal"),
            (("--deal", "-1", "--out", "a.wav"), 2, "from 0"),
            (("--bits", "20", "--out", "a.wav"), 2, "16, 24"),
        ):  # fmt: skip
            with self.subTest(arguments):
                done = run_here("slice", DRUMS, *arguments, folder=self.folder)
                self.assertEqual(done.returncode, status)
                self.assertIn(words, done.stderr)
        done = run_here("slice", "nothing.wav", "--out", "a.wav", folder=self.folder)
        self.assertEqual(done.returncode, 1)
        self.assertIn("cannot be opened", done.stderr)
        self.assertEqual(list(self.folder.iterdir()), [])

"""Files to hand over, read by readers of other making: soundfile, wavinfo."""

import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
from wavinfo import WavInfoReader

from tests.sounds import RATE, audio, rendered, sine
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.handed import FORMATS, HandOver, encoded, stem, unlike_names
from zeroknot.core.formats.pack_page import PackLoop, pack_page
from zeroknot.core.formats.riff import Cue, LoopMark, WavTags, read_marks
from zeroknot.core.mixing.loudness import loudness


class EncodedTest(unittest.TestCase):
    def setUp(self):
        self.sound = rendered("drums_103")
        self.tags = WavTags(title="Winch", tempo_bpm=103.0, key="Dm")

    def file(self, **how):
        mark = LoopMark(10, self.sound.frames - 10)
        return encoded(self.sound, HandOver(**how), mark, self.tags, [Cue(500, "slice 2")])

    def test_every_format_holds_the_sound(self):
        wanted = self.sound.samples.T
        for name in FORMATS:
            with self.subTest(name):
                data, changed = self.file(format=name)
                found, rate = soundfile.read(io.BytesIO(data), dtype="float32", always_2d=True)
                self.assertEqual((rate, changed), (RATE, 0.0))
                self.assertEqual(found.shape, wanted.shape)
                off = np.sqrt(np.mean((found - wanted) ** 2) / np.mean(wanted**2))
                allowed = {"ogg": -10.0, "wav16": -60.0, "wav32": -200.0}.get(name, -90.0)
                self.assertLess(20 * np.log10(off + 1e-12), allowed)

    def test_a_wav_has_its_loop_its_cues_and_its_tags(self):
        data, _ = self.file(format="wav24")
        marks = read_marks(io.BytesIO(data))
        self.assertEqual(marks.loops, (LoopMark(10, self.sound.frames - 10),))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.wav"
            path.write_bytes(data)
            info = WavInfoReader(str(path))
            self.assertEqual([c.sample_offset for c in info.cues.cues], [500])
            self.assertEqual(info.fmt.bits_per_sample, 24)
        self.assertIn(b"TBPM", data)

    def test_levels(self):
        data, changed = self.file(format="wav32", level="peak")
        found, _ = soundfile.read(io.BytesIO(data), dtype="float32")
        self.assertAlmostEqual(20 * np.log10(np.abs(found).max()), -1.0, places=3)
        self.assertNotEqual(changed, 0.0)
        data, _ = self.file(format="wav32", level="matched")
        found, rate = soundfile.read(io.BytesIO(data), dtype="float32", always_2d=True)
        self.assertAlmostEqual(loudness(found.T, rate), -18.0, delta=0.05)

    def test_what_would_clip_is_lowered_and_said_but_not_in_floats(self):
        loud = audio(sine(200.0, 1.0, 2.0))
        data, changed = encoded(loud, HandOver("flac"), None, WavTags())
        found, _ = soundfile.read(io.BytesIO(data))
        self.assertLessEqual(np.abs(found).max(), 1.0)
        self.assertAlmostEqual(changed, -6.02, delta=0.01)
        _, changed = encoded(loud, HandOver("wav32"), None, WavTags())
        self.assertEqual(changed, 0.0)

    def test_what_there_is_not_is_said(self):
        for how, words in (
            ({"format": "wax"}, "format is one of"), ({"level": "loud"}, "level is one of"),
            ({"names": "{mood}"}, "no field {mood}"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(FormatError, words):
                HandOver(**how)


class NamesTest(unittest.TestCase):
    def test_fields_and_what_stands_around_empty_ones(self):
        fields = {"name": "Winch/house", "bpm": "103", "key": "Dm", "n": "02"}
        self.assertEqual(stem("{name}_{bpm}bpm_{key}", fields), "Winch house_103bpm_Dm")
        self.assertEqual(stem("{name}_{bpm}bpm_{key}", {"name": "A"}), "A")
        self.assertEqual(stem("{n} {name}", fields), "02 Winch house")
        self.assertEqual(stem("../{name}", {"name": "..\\x"}), "x")
        self.assertEqual(stem("{name}", {}), "loop")

    def test_each_name_is_there_once(self):
        self.assertEqual(unlike_names(["a", "b", "A", "a"]), ["a", "b", "A 2", "a 3"])


class PageTest(unittest.TestCase):
    def test_it_plays_from_the_disk_and_says_what_it_shows(self):
        loops = [PackLoop("a b.wav", "<b>", "2 bars", [(0.0, 1.0), (0.5, 0.2)], ["Fit: 8 beats"])]
        page = pack_page("Half & half", loops)
        self.assertIn("Half &amp; half", page)
        self.assertIn("&lt;b&gt;", page)
        self.assertIn('src="a b.wav"', page)
        self.assertIn("Fit: 8 beats", page)
        self.assertNotIn("<script", page)
        self.assertNotIn("http", page)

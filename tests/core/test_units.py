import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core import units
from zeroknot.core.audio import Audio, resampled
from zeroknot.core.digest import digest_of
from zeroknot.core.errors import AudioError
from zeroknot.core.harmony.key import Key, KeyNameError


class UnitsTest(unittest.TestCase):
    def test_pitch(self):
        # ISO 16: A4 = 440 Hz; MIDI note number formula 440 · 2^((n − 69) / 12).
        self.assertEqual(units.hertz_of_note(69), 440.0)
        self.assertAlmostEqual(units.hertz_of_note(60), 261.6256, places=4)
        self.assertEqual(units.pitch_ratio(12), 2.0)
        # Tempo 88.46 to 96: 12 · log2(96 / 88.46) = 1.416 semitones.
        self.assertAlmostEqual(units.semitones_of_ratio(96 / 88.46), 1.416, places=3)

    def test_level(self):
        self.assertAlmostEqual(units.gain_of_db(-6.0206), 0.5, places=5)
        self.assertAlmostEqual(units.db_of_gain(0.5), -6.0206, places=4)
        self.assertEqual(units.db_of_gain(0.0), -120.0)

    @given(st.integers(-(10**12), 10**12), st.floats(-0.499, 0.499))
    def test_frame_is_the_nearest(self, whole, off):
        self.assertEqual(units.frame(whole + off), whole)

    def test_halves_go_up(self):
        self.assertEqual([units.frame(x) for x in (-1.5, -0.5, 0.5, 1.5)], [-1, 0, 1, 2])


class AudioTest(unittest.TestCase):
    def test_refusals(self):
        good = np.zeros((1, 8), np.float32)
        for name, samples, rate in (
            ("float64", good.astype(np.float64), 44_100),
            ("one dimension", good[0], 44_100),
            ("three channels", np.zeros((3, 8), np.float32), 44_100),
            ("no samples", np.zeros((1, 0), np.float32), 44_100),
            ("too slow", good, 7_999),
            ("too fast", good, 192_001),
            ("not a number", np.array([[0, np.nan]], np.float32), 44_100),
            ("infinite", np.array([[0, 1], [0, -np.inf]], np.float32), 44_100),
        ):
            with self.subTest(name), self.assertRaises(AudioError):
                Audio(samples, rate)

    def test_very_loud_is_not_refused(self):
        Audio(np.full((1, 64), 3e20, np.float32), 44_100)

    def test_samples_cannot_be_changed(self):
        sound = Audio(np.zeros((1, 8), np.float32), 44_100)
        with self.assertRaises(ValueError):
            sound.samples[0, 0] = 1

    def test_resampling_keeps_pitch_and_place(self):
        t = np.arange(48_000) / 48_000
        sound = Audio(np.sin(2 * np.pi * 1000 * t).astype(np.float32)[None], 48_000)
        out = resampled(sound, 44_100)
        expected = np.sin(2 * np.pi * 1000 * np.arange(44_100) / 44_100)
        self.assertEqual(out.frames, 44_100)
        np.testing.assert_allclose(out.samples[0], expected, atol=1e-4)

    def test_resampling_keeps_the_edges_of_what_was_cut_in_a_tone(self):
        for old, new in ((48_000, 44_100), (44_100, 48_000), (44_100, 22_050), (44_101, 48_000)):
            tone = [np.cos(2 * np.pi * 313.3 * np.arange(r) / r) for r in (old, new)]
            out = resampled(Audio(tone[0].astype(np.float32)[None], old), new)
            with self.subTest(old=old, new=new):
                np.testing.assert_allclose(out.samples[0], tone[1], atol=1e-3)
        self.assertEqual(resampled(Audio(np.ones((2, 1), np.float32), 48_000), 44_100).frames, 1)


class DigestTest(unittest.TestCase):
    def test_order_of_keys_has_no_say(self):
        self.assertEqual(digest_of({"a": 1, "b": [1.5]}), digest_of({"b": [1.5], "a": 1}))
        self.assertNotEqual(digest_of({"a": 1}), digest_of({"a": 2}))

    def test_against_sha256_of_the_text(self):
        # sha256sum of the 2 bytes "{}" (coreutils).
        self.assertTrue(digest_of({}).startswith("44136fa355b3678a1146ad16f7e8649e"))


class KeyTest(unittest.TestCase):
    def test_forms(self):
        for text, shown, tkey, pitch_class in (
            ("Dm", "D minor", "Dm", 2),
            ("d minor", "D minor", "Dm", 2),
            ("F#", "F♯ major", "F#", 6),
            ("Ebm", "E♭ minor", "Ebm", 3),
            ("Cb maj", "C♭ major", "Cb", 11),
        ):
            with self.subTest(text):
                key = Key.parse(text)
                self.assertEqual((str(key), key.tkey, key.pitch_class), (shown, tkey, pitch_class))

    def test_refusals(self):
        for text in ("", "H", "D dorian x", "minor"):
            with self.subTest(text), self.assertRaises(KeyNameError):
                Key.parse(text)

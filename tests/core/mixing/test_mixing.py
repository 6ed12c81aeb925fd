import unittest

import numpy as np
import pyloudnorm

from tests.sounds import audio, sine
from zeroknot.core.mixing.loudness import loudness
from zeroknot.core.mixing.mix import mix
from zeroknot.core.mixing.sheet import Event, Sheet, TrackLevel
from zeroknot.core.overview import peaks, ring


class LoudnessTest(unittest.TestCase):
    def test_ebu_tech_3341_signals(self):
        # EBU Tech 3341, case 1 and 3: 1 kHz stereo sines.
        def tone(level_db, seconds):
            return np.tile(sine(1000, seconds, 10 ** (level_db / 20), 48_000), (2, 1))

        case_1 = tone(-23, 20)
        case_3 = np.concatenate([tone(-36, 10), tone(-23, 60), tone(-36, 10)], axis=1)
        for name, samples in (("case 1", case_1), ("case 3", case_3)):
            with self.subTest(name):
                value = loudness(samples.astype(np.float32), 48_000)
                self.assertAlmostEqual(value, -23.0, delta=0.1)

    def test_short_sounds_and_silence(self):
        short = np.tile(sine(1000, 0.2, 10 ** (-23 / 20), 48_000), (2, 1)).astype(np.float32)
        self.assertAlmostEqual(loudness(short, 48_000), -23.0, delta=0.8)
        self.assertEqual(loudness(np.zeros((1, 100), np.float32), 48_000), -120.0)
        self.assertEqual(loudness(np.zeros((1, 48_000), np.float32), 48_000), -120.0)

    def test_against_pyloudnorm_itself(self):
        noise = np.random.default_rng(1).standard_normal((2, 48_000)).astype(np.float32) * 0.1
        expected = pyloudnorm.Meter(48_000).integrated_loudness(noise.T.astype(np.float64))
        self.assertAlmostEqual(loudness(noise, 48_000), expected, places=6)


class MixTest(unittest.TestCase):
    def test_sums_gains_and_fades(self):
        render = np.ones((1, 100), np.float32)
        event = Event("c:0", "t", "s", "d", 10, 0, 100, 0.5, 10, 20)
        sheet = Sheet(44_100, (event,), (TrackLevel("t", 0.5),), 2.0)
        out = mix(sheet, lambda _, first, count: render[:, first : first + count], 0, 120)
        # 1 · 0.5 · 0.5 · 2 = 0.5 in the middle; linear in over 10, out over 20.
        self.assertEqual(out.shape, (2, 120))
        np.testing.assert_allclose(
            out[0, 8:22], [0, 0, 0, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.5]
        )
        np.testing.assert_allclose(out[1, 88:112:4], [0.5, 0.45, 0.35, 0.25, 0.15, 0.05])

    def test_a_window_is_a_part_of_the_whole(self):
        rng = np.random.default_rng(2)
        render = rng.standard_normal((2, 500)).astype(np.float32)
        events = tuple(Event(f"c:{i}", "t", "s", "d", 70 * i, i, 300, 0.4, 5, 7) for i in range(5))
        sheet = Sheet(44_100, events, (TrackLevel("t", 0.7),), 1.0)

        def read(_, first, count):
            return render[:, first : first + count]

        whole = mix(sheet, read, 0, 600)
        parts = [mix(sheet, read, a, 150) for a in range(0, 600, 150)]
        np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)

    def test_muted_tracks_are_silent(self):
        event = Event("c:0", "t", "s", "d", 0, 0, 10, 1.0, 0, 0)
        sheet = Sheet(44_100, (event,), (TrackLevel("t", 0.0),), 1.0)
        self.assertEqual(np.abs(mix(sheet, lambda *_: self.fail("read"), 0, 10)).max(), 0)


class OverviewTest(unittest.TestCase):
    def test_peaks(self):
        sound = audio(np.array([[0, 0.5, -0.25, 0.1, 0.9], [0, -0.75, 0, 0, 0]]))
        np.testing.assert_allclose(peaks(sound, 2), [[-0.75, 0.5], [-0.25, 0.1], [0, 0.9]])

    def test_ring_has_its_loudest_sector_where_the_sound_is(self):
        table = np.zeros((640, 2), np.float32)
        table[320:330, 1] = 0.5
        sectors = ring(table, 100.0, 0.0, 6.4)
        self.assertEqual(int(np.argmax(sectors)), 32)
        self.assertEqual(ring(table * 0, 100.0, 0.0, 6.4).max(), 0)

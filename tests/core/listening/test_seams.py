import unittest

import numpy as np

from tests.sounds import RATE, audio, sine
from tests.takes import beat_times, drummer
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.picture import COARSE
from zeroknot.core.listening.seams import (
    TakePicture,
    at_zero_crossing,
    loops_in,
    overhang_of,
    seam_of,
)

BPM = 104
BEAT = 60 / BPM


def heard(samples):
    material = material_of(audio(samples))
    picture = material.picture
    return TakePicture(picture.colours, COARSE * picture.hop_seconds), material.attacks


def chord(hertz, seconds):
    return sum(sine(h, seconds, 0.12) for h in hertz)


class SeamsTest(unittest.TestCase):
    """A take whose bars are known: 16 of an even groove, then 16 in which it wanders."""

    @classmethod
    def setUpClass(cls):
        def tempo(beat):
            return BPM if beat < 64 else BPM * (1 + 0.05 * np.sin(beat))

        cls.times = beat_times(tempo, 128, 1.0)
        samples, _ = drummer(cls.times, seed=3)
        # Chords: four bars of one, four of another, over the even half; then something else a bar.
        chords = [(220, 277, 330), (196, 247, 294)]
        for bar in range(32):
            a, b = (round(cls.times[4 * i] * RATE) for i in (bar, bar + 1))
            hertz = chords[(bar // 4) % 2] if bar < 16 else (180 + 13 * bar, 200 + 29 * (bar % 7))
            samples[a:b] += chord(hertz, (b - a) / RATE)[: b - a]
        cls.picture, cls.attacks = heard(0.4 * samples)
        cls.found = loops_in(cls.picture, cls.attacks, cls.times, 0, 4)

    def test_what_repeats_and_is_even_comes_first(self):
        self.assertEqual({f.bars for f in self.found}, {1, 2, 4, 8})
        for bars in (1, 2, 4, 8):
            best = next(f for f in self.found if f.bars == bars)
            self.assertLess(best.end_s, self.times[64] + 0.1, best)
        grades = [f.grade for f in self.found]
        self.assertEqual(grades, sorted(grades, reverse=True))

    def test_eight_bars_start_where_the_chords_do(self):
        best = next(f for f in self.found if f.bars == 8)
        self.assertIn(best.bar, (1, 9, 5))
        self.assertAlmostEqual(best.tempo_bpm, BPM, delta=0.05)
        self.assertAlmostEqual(best.end_s - best.start_s, 32 * BEAT, delta=0.002)

    def test_no_two_of_one_length_are_much_the_same(self):
        for a in self.found:
            for b in self.found:
                if a is not b and a.bars == b.bars:
                    shared = min(a.end_s, b.end_s) - max(a.start_s, b.start_s)
                    self.assertLessEqual(shared, 0.51 * (a.end_s - a.start_s))

    def test_a_seam_on_the_bar_is_better_than_one_beside_it(self):
        start = self.times[0]
        good = seam_of(self.picture, start, self.times[32])
        for end in (self.times[33], self.times[31], self.times[32] + 0.15):
            self.assertLess(seam_of(self.picture, start, end), good)

    def test_overhang_in_milliseconds(self):
        start, end = self.times[8], self.times[24]
        for off in (-0.02, 0.0, 0.007, 0.04):
            found = overhang_of(self.attacks, start, end + off, BEAT)
            self.assertAlmostEqual(found, off, delta=0.003)
        # Past the end of everything no hit tells.
        self.assertIsNone(overhang_of(self.attacks, start, self.times[-1] + 1, BEAT))

    def test_zero_crossings(self):
        sound = audio(sine(100, 1.0))
        for second in (0.1204, 0.4987, 0.0):
            at = at_zero_crossing(sound, second)
            self.assertLess(abs(at - second), 0.006)
            self.assertAlmostEqual(at * 100, round(at * 100), delta=0.01)
        self.assertEqual(at_zero_crossing(audio(np.ones(RATE)), 0.5), 0.5)

"""Roughness against the published curve, and loops against loops."""

import unittest

import numpy as np

from tests.sounds import RATE, audio, rendered
from zeroknot.core.harmony.clash import clash, pair_text, partials_of, roughness
from zeroknot.core.listening.chroma import spectral_peaks


def tone(note, partials=6):
    """A harmonic tone whose partials fall off: notes and amplitudes of one moment."""
    numbers = np.arange(1, partials + 1)
    notes = note + 12 * np.log2(numbers)
    return notes[None].astype(np.float32), (0.88**numbers)[None].astype(np.float32)


class RoughnessTest(unittest.TestCase):
    def test_the_formula_is_that_of_the_source(self):
        for low, high in ((440.0, 466.0), (100.0, 112.0), (2000.0, 2300.0)):
            s = 0.24 / (0.021 * low + 19)
            wanted = np.exp(-3.5 * s * (high - low)) - np.exp(-5.75 * s * (high - low))
            self.assertAlmostEqual(float(roughness(np.asarray(low), np.asarray(high))), wanted)
            self.assertAlmostEqual(float(roughness(np.asarray(high), np.asarray(low))), wanted)
        self.assertEqual(float(roughness(np.asarray(440.0), np.asarray(440.0))), 0.0)

    def test_its_curve_dips_at_the_simple_ratios(self):
        # Sethares 1993, figure of a harmonic tone: 6:5, 5:4, 4:3, 3:2, 5:3, 2:1.
        steps = np.arange(0.5, 12.6, 0.02)
        base = 60.0
        curve = np.asarray([clash(tone(base), tone(base + s)).value for s in steps])
        dips = steps[1:-1][(curve[1:-1] < curve[:-2]) & (curve[1:-1] < curve[2:])]
        for ratio in (6 / 5, 5 / 4, 4 / 3, 3 / 2, 5 / 3, 2):
            with self.subTest(ratio=ratio):
                self.assertLess(np.abs(dips - 12 * np.log2(ratio)).min(), 0.05)

    def test_the_worst_pair_is_named(self):
        found = clash(tone(64), tone(65))
        self.assertEqual(pair_text(found.worst), "E against F")
        self.assertGreater(found.value, 3 * clash(tone(60), tone(67)).value)

    def test_nothing_clashes_with_silence(self):
        nothing = (np.zeros((3, 6), np.float32), np.zeros((3, 6), np.float32))
        self.assertEqual(clash(nothing, nothing), (0.0, None))
        self.assertEqual(clash(tone(60), (nothing[0][:1], nothing[1][:1])).value, 0.0)


class PartialsTest(unittest.TestCase):
    def test_the_strongest_peaks_of_each_moment_are_kept(self):
        t = np.arange(2 * RATE) / RATE
        sound = audio(0.3 * np.sin(2 * np.pi * 440 * t) + 0.1 * np.sin(2 * np.pi * 660 * t))
        found = partials_of(spectral_peaks(sound))
        notes, amplitudes = found.at(np.asarray([1.0, 9.0, -1.0]))
        self.assertAlmostEqual(notes[0, 0], 69.0, delta=0.05)
        self.assertAlmostEqual(notes[0, 1], 69.0 + 7.02, delta=0.05)
        self.assertGreater(amplitudes[0, 0], amplitudes[0, 1])
        self.assertEqual(amplitudes[1:].sum(), 0.0)

    def test_a_loop_clashes_less_with_itself_than_half_a_step_off(self):
        found = partials_of(spectral_peaks(rendered("keys_88")))
        seconds = np.linspace(0.2, 5.0, 40)
        notes, amplitudes = found.at(seconds)
        values = [clash((notes, amplitudes), (notes + n, amplitudes)).value for n in range(-6, 7)]
        self.assertEqual(int(np.argmin(values)) - 6, 0)
        self.assertGreater(min(values[5], values[7]), 1.3 * values[6])


if __name__ == "__main__":
    unittest.main()

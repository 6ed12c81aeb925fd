"""Where hits begin under what rings, and which pieces sound alike in spite of it."""

import itertools
import unittest

import numpy as np

from tests.sounds import RATE, audio, sine
from zeroknot.core.slicing.alike import distances, traits
from zeroknot.core.slicing.edges import QUIETEST_DB, edges
from zeroknot.core.slicing.onset import BEFORE_SECONDS, begins


def ringing(seconds):
    """What rings on under everything: a chord, float64 [frames]."""
    return sum(sine(hertz, seconds, 0.08) for hertz in (98.0, 147.3, 196.2, 311.1))


def noise_hit(rng, seconds=0.2, low=False):
    """A snare-like (or a low, tuned) hit with a sharp begin: float64 [frames]"""
    t = np.arange(round(seconds * RATE)) / RATE
    if low:
        return np.sin(2 * np.pi * (60 * t + 2 * (1 - np.exp(-t * 50)))) * np.exp(-t * 18)
    return 0.5 * rng.standard_normal(t.size) * np.exp(-t * 30)


class BeginTest(unittest.TestCase):
    def test_a_hit_is_cut_before_it_begins_and_not_much(self):
        rng = np.random.default_rng(2)
        sound = ringing(6.0)
        times = [0.5 + i * 0.5 + 0.0137 * (i % 3) for i in range(10)]
        for i, time in enumerate(times):
            hit = noise_hit(rng, low=bool(i % 2))
            first = round(time * RATE)
            sound[first : first + hit.size] += hit
        # As attacks are heard: where the energy has risen, up to 6 ms late.
        heard = np.asarray([t + rng.uniform(0.0, 0.006) for t in times])
        off = begins(audio(sound), heard) - np.asarray(times)
        self.assertLess(off.max(), 0.001)
        self.assertGreater(off.min(), -0.0055)

    def test_silence_and_the_very_start_make_no_trouble(self):
        silent = audio(np.zeros(RATE))
        self.assertAlmostEqual(begins(silent, np.asarray([0.5]))[0], 0.5 - BEFORE_SECONDS)
        sound = np.concatenate([noise_hit(np.random.default_rng(1)), np.zeros(RATE)])
        self.assertLess(begins(audio(sound), np.asarray([0.001]))[0], 0.001)
        self.assertEqual(begins(silent, np.zeros(0)).size, 0)


class AlikeTest(unittest.TestCase):
    def test_the_nearest_is_of_the_same_kind_whatever_rings_and_however_loud(self):
        rng = np.random.default_rng(3)
        sound = np.concatenate([ringing(4.0), 0.3 * ringing(4.0)])
        kinds = [i % 2 for i in range(16)]
        edges = tuple(i * 0.5 for i in range(17))
        for i, kind in enumerate(kinds):
            hit = noise_hit(rng, low=bool(kind)) * (1.0 if i % 3 else 0.3)
            first = round(edges[i] * RATE)
            sound[first : first + hit.size] += hit
        table = distances(audio(sound), edges)
        self.assertEqual(np.abs(np.diag(table)).max(), 0.0)
        np.testing.assert_allclose(table, table.T)
        np.fill_diagonal(table, np.inf)
        for i, row in enumerate(table):
            self.assertEqual(kinds[int(row.argmin())], kinds[i])

    def test_very_short_silent_and_outside_pieces_are_told_in_finite_numbers(self):
        sound = audio(np.zeros(RATE))
        for start, end in itertools.pairwise((-0.5, 0.0, 0.005, 0.9, 1.5, 2.0)):
            with self.subTest(start=start):
                self.assertTrue(np.isfinite(traits(sound, start, end)).all())


class EdgesTest(unittest.TestCase):
    def test_at_a_crossing_only_the_slope_is_left_and_at_a_peak_only_the_step(self):
        tone = audio(sine(441.0, 1.0, 0.5))  # 100 frames a period
        (crossing, peak, before) = edges(tone, (0.5, 0.5 + 25 / RATE, -1.0))
        self.assertLess(crossing[0], -40.0)
        self.assertGreater(crossing[1], 0.0)
        self.assertAlmostEqual(peak[0], 3.01, delta=0.1)  # a sine's peak over its RMS
        self.assertLess(peak[1], crossing[1] - 20.0)
        self.assertEqual(before, (QUIETEST_DB, QUIETEST_DB))

    def test_silence_has_no_edge(self):
        self.assertEqual(edges(audio(np.zeros(RATE)), (0.5,)), ((QUIETEST_DB, QUIETEST_DB),))

"""Where a recording crosses zero next to a moment."""

import unittest

import numpy as np

from tests.sounds import RATE, audio, sine
from zeroknot.core.slicing.quiet import nearest_zero


class NearestZeroTest(unittest.TestCase):
    def test_a_sine_crosses_zero_every_half_period(self):
        sound = audio(sine(100.0, 1.0, 0.5))
        for second in (0.1013, 0.5071, 0.9):
            self.assertAlmostEqual(
                nearest_zero(sound, second), round(second * 200) / 200, delta=2 / RATE
            )

    def test_both_channels_count(self):
        """The sum of two crosses where neither does."""
        both = np.stack([sine(100.0, 1.0, 0.5), np.full(RATE, 0.25)])
        found = nearest_zero(audio(both), 0.4)
        self.assertAlmostEqual(abs(float(both.sum(axis=0)[round(found * RATE)])), 0.0, delta=0.01)

    def test_where_none_is_near_it_is_the_quietest(self):
        ramp = np.linspace(0.9, 0.1, RATE)
        self.assertAlmostEqual(nearest_zero(audio(ramp), 0.5), 0.51, delta=2 / RATE)
        self.assertEqual(nearest_zero(audio(ramp[:1]), 0.5), 0.5)

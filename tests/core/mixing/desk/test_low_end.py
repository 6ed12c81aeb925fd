"""What masks below 150 Hz, by hand: two tones in one third-octave and in two (CHECKS: low end)."""

import unittest

import numpy as np

from zeroknot.core.mixing.desk.fights import SILENT_DB, fights_of, said_bars, stretches
from zeroknot.core.mixing.desk.low_end import MIDDLES_HZ, band_powers, level_db, overlap_db

RATE = 44_100


def tone(hertz, db):
    t = np.arange(2 * RATE) / RATE
    return np.repeat((10 ** (db / 20) * np.sin(2 * np.pi * hertz * t))[None], 2, axis=0)


def powers(hertz, db=0.0):
    return band_powers(tone(hertz, db), RATE)


class LowEndTest(unittest.TestCase):
    def test_a_tone_is_in_its_band_as_loud_as_it_is(self):
        for i, middle in enumerate(MIDDLES_HZ):
            found = powers(round(middle, 1), -12.0)
            self.assertEqual(int(found.argmax()), i)
            self.assertAlmostEqual(level_db(float(found.sum())), -12.0, delta=0.1)

    def test_worked_examples(self):
        # In one band: what masks is the softer one, against the louder one's total.
        self.assertAlmostEqual(overlap_db(powers(50), powers(50)), 0.0)
        self.assertAlmostEqual(overlap_db(powers(50), powers(52, -6.0)), -6.0, delta=0.1)
        # In two: nothing does.
        self.assertLess(overlap_db(powers(50), powers(100)), -50)
        # Two tones of one, one of the other: half of the louder one's power is met.
        both = band_powers(tone(50, 0) + tone(100, 0), RATE)
        self.assertAlmostEqual(overlap_db(both, powers(50)), -3.0, delta=0.1)
        self.assertEqual(overlap_db(powers(50) * 0, powers(50) * 0), SILENT_DB)

    def test_fights_are_told_by_stretches_and_the_louder_first(self):
        levels = {"a": [-20.0] * 6, "b": [-14.0] * 6, "c": [-70.0] * 6}
        overlaps = {("a", "b"): [-20, -3, -2, -4, -20, -5], ("a", "c"): [0.0] * 6}
        [fight] = fights_of(levels, overlaps)
        self.assertEqual(fight.tracks, ("b", "a"))
        self.assertEqual(fight.bars, ((2, 4), (6, 6)))
        self.assertEqual(fight.worst, (3, -2))
        self.assertEqual(said_bars(fight.bars), "bars 2–4 and 6")
        self.assertEqual(said_bars(((7, 7),)), "bar 7")
        self.assertEqual(stretches([1, 2, 3, 7]), ((1, 3), (7, 7)))

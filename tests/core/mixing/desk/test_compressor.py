"""The compressor against the static curve and the time constants of Giannoulis, Massberg and Reiss
(J. Audio Eng. Soc. 60(6), 2012): equations 4 (knee), 7 (time constants) and 16 (branching)."""

import unittest

import numpy as np

from zeroknot.core.mixing.desk.compressor import KNEE_DB, compress, curve
from zeroknot.core.mixing.desk.strip import STEP

RATE = 48_000


def ran(sound, key=None, threshold=-20.0, ratio=4.0, attack=5.0, release=50.0, makeup=0.0):
    out = np.array(sound, np.float64)
    rows = np.asarray([[threshold, ratio, attack, release, makeup]])
    held = np.zeros(1)
    compress(out, out if key is None else key, rows, RATE, held, 0)
    return out, held[0]


def steady(db, seconds=1.0):
    return np.full((2, round(seconds * RATE)), 10 ** (db / 20))


class CompressorTest(unittest.TestCase):
    def test_a_steady_level_comes_out_on_the_curve(self):
        for level in np.arange(-40.0, 0.5, 2.5):
            out, _ = ran(steady(level))
            came = 20 * np.log10(out[0, -1])
            self.assertAlmostEqual(came, curve(np.asarray(level), -20.0, 4.0), places=6)
        # By hand: 12 dB over 4:1 leaves 3; under the knee nothing; in its middle W/8 (1 - 1/R).
        self.assertAlmostEqual(float(curve(np.asarray(-8.0), -20.0, 4.0)), -17.0)
        self.assertAlmostEqual(float(curve(np.asarray(-24.0), -20.0, 4.0)), -24.0)
        middle = float(curve(np.asarray(-20.0), -20.0, 4.0))
        self.assertAlmostEqual(middle, -20.0 - KNEE_DB / 8 * 0.75)

    def test_after_its_time_63_percent_of_the_way_is_gone(self):
        share = 1 - np.exp(-1)
        whole = -20.0 - float(curve(np.asarray(0.0), -20.0, 4.0)) + 20.0
        out, _ = ran(steady(0.0), attack=10.0)
        gone = -20 * np.log10(out[0, round(0.010 * RATE) - 1])
        self.assertAlmostEqual(gone, share * whole, delta=0.01)
        loud_then_soft = np.concatenate([steady(0.0), steady(-60.0)], axis=1)
        out, _ = ran(loud_then_soft, release=100.0)
        back = -60 - 20 * np.log10(out[0, RATE + round(0.100 * RATE) - 1])
        self.assertAlmostEqual(back, (1 - share) * whole, delta=0.01)

    def test_both_sides_go_by_the_louder(self):
        sound = steady(0.0)
        sound[1] *= 0.01
        out, _ = ran(sound)
        self.assertAlmostEqual(out[1, -1] / out[0, -1], 0.01)

    def test_by_another_it_ducks_and_is_left_alone_where_that_is_silent(self):
        key = np.concatenate([steady(-120.0), steady(0.0)], axis=1)
        out, _ = ran(np.concatenate([steady(-30.0), steady(-30.0)], axis=1), key)
        np.testing.assert_array_equal(out[:, :RATE], steady(-30.0))
        self.assertAlmostEqual(20 * np.log10(out[0, -1]), -45.0, places=5)

    def test_fed_in_pieces_it_is_the_same(self):
        sound = np.random.default_rng(2).standard_normal((2, 5000))
        whole, _ = ran(sound)
        rows, held = np.asarray([[-20.0, 4.0, 5.0, 50.0, 0.0]]), np.zeros(1)
        parts = []
        for a in range(0, 5000, 777):
            part = sound[:, a : a + 777].copy()
            compress(part, part, rows, RATE, held, a % STEP)
            parts.append(part)
        np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)

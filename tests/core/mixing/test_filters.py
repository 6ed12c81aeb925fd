"""Filters that move: against SciPy where they stand still, and by what they let through.

The browser's own filters are held against them in tests/browser/test_filters.py.
"""

import unittest

import numpy as np
from scipy import signal

from tests.sounds import RATE, sine
from zeroknot.core.mixing.filters import filtered


def db(a, b):
    return 20 * np.log10(np.sqrt(np.mean(a**2)) / np.sqrt(np.mean(b**2)))


def cookbook(kind, hertz, resonance_db):
    """Numerator and denominator after Bristow-Johnson's "Cookbook formulae for audio EQ biquad
    filter coefficients", as Web Audio has them."""
    turn, quality = 2 * np.pi * hertz / RATE, 10 ** (resonance_db / 20)
    cos, alpha = np.cos(turn), np.sin(turn) / (2 * quality)
    b = {
        "low": ((1 - cos) / 2, 1 - cos, (1 - cos) / 2),
        "high": ((1 + cos) / 2, -(1 + cos), (1 + cos) / 2),
        "band": (alpha, 0.0, -alpha),
    }[kind]
    return np.asarray(b), np.asarray((1 + alpha, -2 * cos, 1 - alpha))


class FilterTest(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(1)
        self.noise = rng.standard_normal((2, 20_000)).astype(np.float32)

    def test_where_it_stands_still_it_is_scipys(self):
        for kind in ("low", "high", "band"):
            for hertz, resonance in ((120.0, 0.0), (2000.0, 6.0), (15_000.0, 18.0)):
                with self.subTest(kind=kind, hertz=hertz):
                    cutoff = np.full(self.noise.shape[1], hertz)
                    own = filtered(self.noise, kind, cutoff, resonance, RATE)
                    theirs = signal.lfilter(
                        *cookbook(kind, hertz, resonance), self.noise.astype(float), axis=1
                    )
                    scale = np.abs(theirs).max()
                    self.assertLess(np.abs(own - theirs).max() / scale, 1e-5)  # −100 dB

    def test_a_low_pass_of_q_minus_3_db_is_butterworths(self):
        """Q = 1/√2 is −3.01 dB: the second order of Butterworth (scipy.signal.butter)."""
        b, a = signal.butter(2, 1000.0, fs=RATE)
        cutoff = np.full(self.noise.shape[1], 1000.0)
        own = filtered(self.noise, "low", cutoff, 20 * np.log10(np.sqrt(0.5)), RATE)
        theirs = signal.lfilter(b, a, self.noise.astype(float), axis=1)
        np.testing.assert_allclose(own, theirs, atol=1e-6)

    def test_what_it_lets_through(self):
        low, high = (sine(f, 0.6, 0.5)[None].astype(np.float32) for f in (100.0, 8000.0))
        cutoff = np.full(low.shape[1], 1000.0)
        for kind, kept, gone in (("low", low, high), ("high", high, low)):
            with self.subTest(kind):
                self.assertGreater(db(filtered(kept, kind, cutoff, 0.0, RATE), kept), -1.0)
                self.assertLess(db(filtered(gone, kind, cutoff, 0.0, RATE), gone), -30.0)

    def test_a_sweep_is_heard_as_it_moves_and_never_runs_away(self):
        tone = sine(3000.0, 1.0, 0.5)[None].astype(np.float32)
        cutoff = np.geomspace(12_000.0, 200.0, tone.shape[1])
        out = filtered(tone, "low", cutoff, 12.0, RATE)
        parts = np.array_split(np.abs(out[0]), 4)
        self.assertGreater(parts[0].max(), 0.4)
        self.assertLess(parts[3].max(), 0.02)
        wild = np.where(np.arange(20_000) // 500 % 2, 20.0, 30_000.0)
        self.assertLess(np.abs(filtered(self.noise, "band", wild, 24.0, RATE)).max(), 50.0)

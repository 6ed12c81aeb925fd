import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from zeroknot.core.stretch.decimation import filled, low_pass, most_step, smoothed

RATE = 44_100
MOST_OFF = 2e-5  # −94 dB


def tone(hz, frames=12_000):
    return np.sin(2 * np.pi * hz * np.arange(frames) / RATE + 0.3).astype(np.float32)[None]


class DecimationTest(unittest.TestCase):
    def test_steps_leave_room(self):
        found = [most_step(RATE, hz) for hz in (1200.0, 4700.0, 8000.0)]
        self.assertEqual(found, [8, 2, 1])

    @settings(deadline=None)
    @given(st.floats(500.0, 7000.0), st.floats(0.01, 1.0))
    def test_what_is_kept_comes_back_whole(self, highest, share):
        step = most_step(RATE, highest)
        sound = tone(share * highest)
        if step == 1:
            return
        taps = low_pass(RATE, highest, step)
        half, edge = taps.size // 2, 2 * taps.size
        kept = smoothed(sound, taps)
        np.testing.assert_allclose(kept, sound[:, half:-half], atol=MOST_OFF)
        whole = filled(sound[:, ::step], taps, step)[:, : sound.shape[1]]
        np.testing.assert_allclose(whole[:, edge:-edge], sound[:, edge:-edge], atol=MOST_OFF)

    @settings(deadline=None)
    @given(st.floats(500.0, 7000.0), st.floats(0.0, 1.0))
    def test_nothing_folds_onto_what_is_kept(self, highest, share):
        step = most_step(RATE, highest)
        if step == 1:
            return
        lowest_folding = RATE / step - highest
        hz = lowest_folding + share * (RATE / 2 - lowest_folding)
        kept = smoothed(tone(hz), low_pass(RATE, highest, step))
        self.assertLess(np.abs(kept).max(), MOST_OFF)

    def test_taps_are_scipys(self):
        count, beta = signal.kaiserord(110.0, (RATE / 8 - 2400.0) / (RATE / 2))
        expected = signal.firwin(count | 1, RATE / 16, window=("kaiser", beta), fs=RATE)
        np.testing.assert_allclose(low_pass(RATE, 1200.0, 8), expected, atol=1e-6)

    def test_the_filter_is_scipys(self):
        rng = np.random.default_rng(3)
        sound = rng.standard_normal((2, 5000)).astype(np.float32)
        taps = rng.standard_normal(31).astype(np.float32)
        expected = signal.oaconvolve(sound, taps[None], mode="valid", axes=1)
        np.testing.assert_allclose(smoothed(sound, taps), expected, atol=1e-4)
        step = 4
        spread = np.zeros((2, sound.shape[1] * step), np.float32)
        spread[:, ::step] = step * sound
        expected = signal.oaconvolve(spread, taps[None], mode="same", axes=1)
        np.testing.assert_allclose(filled(sound, taps, step), expected, atol=1e-4)

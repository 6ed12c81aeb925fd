"""Loudness and true peak against BS.1770-5's table and EBU Tech 3341's and 3342's test signals.

The synthetic signals of EBU Tech 3341 (2023), table 1, 1 to 5, 9, 12 and 15 to 19, and of Tech
3342, table 1, 1 to 4, are made here as they are described there, from memory; the programme
recordings are not to be had. pyloudnorm stands beside.
"""

import unittest

import numpy as np
import pyloudnorm
from scipy import signal

from zeroknot.core.mixing.meters import Meter, k_weighting, loudness_of

RATE = 48_000


def sine(seconds, db, hertz=1000.0, rate=RATE, phase=0.0):
    """Stereo, in phase, dBFS of its peak."""
    at = np.arange(round(seconds * rate)) / rate
    tone = 10 ** (db / 20) * np.sin(2 * np.pi * hertz * at + phase)
    return np.stack([tone, tone]).astype(np.float32)


def steps(*parts):
    return np.concatenate([sine(seconds, db) for seconds, db in parts], axis=1)


class WeightingTest(unittest.TestCase):
    def test_at_48_khz_it_is_the_table_of_bs_1770_annex_1(self):
        shelf, high = k_weighting(48_000)
        np.testing.assert_allclose(
            shelf,
            [1.53512485958697, -2.69169618940638, 1.19839281085285,
             1.0, -1.69065929318241, 0.73248077421585],
            atol=1e-9,
        )  # fmt: skip
        np.testing.assert_allclose(
            high, [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621], atol=1e-9
        )

    def test_at_other_rates_it_has_the_same_response(self):
        hertz = np.asarray([30.0, 100.0, 1000.0, 2000.0, 8000.0])
        for rate in (44_100, 96_000):
            _, here = signal.sosfreqz(k_weighting(rate), hertz, fs=rate)
            _, there = signal.sosfreqz(k_weighting(48_000), hertz, fs=48_000)
            np.testing.assert_allclose(
                20 * np.log10(np.abs(here)), 20 * np.log10(np.abs(there)), atol=0.08
            )


class LoudnessTest(unittest.TestCase):
    def assert_lufs(self, sound, expected, within=0.1):
        self.assertAlmostEqual(loudness_of(sound, RATE).integrated, expected, delta=within)

    def test_tech_3341_signals_1_to_5(self):
        self.assert_lufs(sine(20, -23), -23.0)
        self.assert_lufs(sine(20, -33), -33.0)
        self.assert_lufs(steps((10, -36), (60, -23), (10, -36)), -23.0)
        self.assert_lufs(steps((10, -72), (10, -36), (60, -23), (10, -36), (10, -72)), -23.0)
        self.assert_lufs(steps((20, -26), (20.1, -20), (20, -26)), -23.0)

    def test_tech_3341_signal_1_momentary_and_short_term(self):
        told = loudness_of(sine(20, -23), RATE)
        self.assertAlmostEqual(told.momentary, -23.0, delta=0.1)
        self.assertAlmostEqual(told.short_term, -23.0, delta=0.1)

    def test_tech_3341_signal_9_short_term_is_constant(self):
        sound = np.concatenate([steps((1.34, -20), (1.66, -30))] * 5, axis=1)
        short = loudness_of(sound, RATE).short_terms
        np.testing.assert_allclose(short, -23.0, atol=0.1)

    def test_tech_3341_signal_12_momentary_is_constant(self):
        sound = np.concatenate([steps((0.18, -20), (0.22, -30))] * 25, axis=1)
        told = loudness_of(sound, RATE)
        self.assertAlmostEqual(told.momentary, -23.0, delta=0.1)

    def test_tech_3342_signals_1_to_4(self):
        for parts, expected in (
            (((20, -20), (20, -30)), 10.0), (((20, -20), (20, -15)), 5.0),
            (((20, -40), (20, -20)), 20.0),
            (((20, -50), (20, -35), (20, -20), (20, -35), (20, -50)), 15.0),
        ):  # fmt: skip
            self.assertAlmostEqual(loudness_of(steps(*parts), RATE).range_lu, expected, delta=1.0)

    def test_in_pieces_it_reads_the_same(self):
        sound = np.random.default_rng(1).normal(size=(2, 5 * RATE)).astype(np.float32) * 0.1
        meter = Meter(RATE, 2)
        for at in range(0, sound.shape[1], 7_777):
            meter.feed(sound[:, at : at + 7_777])
        self.assertEqual(meter.read, loudness_of(sound, RATE))

    def test_pyloudnorm_reads_the_same(self):
        rng = np.random.default_rng(2)
        for rate in (44_100, 48_000):
            sound = 0.1 * rng.normal(size=(2, 12 * rate)) * np.linspace(0.01, 1, 12 * rate)
            beside = pyloudnorm.Meter(rate, filter_class="DeMan").integrated_loudness(sound.T)
            here = loudness_of(sound.astype(np.float32), rate).integrated
            self.assertAlmostEqual(here, beside, delta=0.05)

    def test_silence_and_next_to_nothing(self):
        for sound in (np.zeros((2, 3 * RATE), np.float32), sine(0.05, -6)):
            told = loudness_of(sound, RATE)
            self.assertEqual(told.integrated, -np.inf)
            self.assertEqual(told.range_lu, 0.0)


class TruePeakTest(unittest.TestCase):
    def test_tech_3341_signals_15_to_19(self):
        """Sines at a quarter, a sixth, an eighth of the rate, whose tops lie between samples."""
        for divisor, phase, db, expected in (
            (4, 0.0, -6.0, -6.0), (4, 45.0, -6.0, -6.0), (6, 60.0, -6.0, -6.0),
            (8, 67.5, -6.0, -6.0), (4, 45.0, 3.0, 3.0),
        ):  # fmt: skip
            tone = sine(1.0, db, RATE / divisor, phase=np.radians(phase))
            faded = tone * np.minimum(1, np.linspace(0, 50, tone.shape[1]))
            faded = faded * np.minimum(1, np.linspace(50, 0, tone.shape[1]))
            found = loudness_of(faded.astype(np.float32), RATE).true_peak_db
            self.assertLess(found, expected + 0.2)
            self.assertGreater(found, expected - 0.4)

    def test_it_is_never_less_than_the_sample_peak(self):
        click = np.zeros((1, 1000), np.float32)
        click[0, 500] = 1.0
        self.assertGreaterEqual(loudness_of(click, RATE).true_peak_db, 0.0)

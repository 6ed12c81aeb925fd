import unittest
from unittest.mock import patch

import numpy as np

from tests.sounds import RATE, audio
from zeroknot.core.listening import copies
from zeroknot.core.listening.copies import (
    BEFORE,
    BEHIND,
    HALVES,
    cut_of,
    edge_of,
    matches,
    thinned,
)

MS = 0.001


def noise(seconds, seed=1):
    return 0.2 * np.random.default_rng(seed).standard_normal(round(seconds * RATE))


class MatchesTest(unittest.TestCase):
    def matched(self, samples, start, end, parts=4, rate=RATE):
        given = (np.asarray([v]) for v in (start, end, parts))
        return matches(thinned(audio(samples, rate)), *given)

    def test_what_lies_before_and_behind_comes_again_to_a_tenth_of_a_millisecond(self):
        body = noise(1.4)
        cut = np.concatenate([body[-RATE // 3 :], body, body[: RATE // 5]])
        start = (RATE // 3) / RATE
        for off in (0.0, 4 * MS, -7.3 * MS):
            with self.subTest(off=off):
                found = self.matched(cut, start, start + 1.4 + off)
                for place in (BEFORE, BEHIND):
                    self.assertGreater(found.best[0, place], 0.9)
                    self.assertAlmostEqual(found.longer[0, place], -off, delta=0.1 * MS)
                if off:
                    self.assertLess(abs(found.exact[0, BEHIND]), 0.2)

    def test_the_second_half_of_a_pass_is_its_first(self):
        bar = noise(0.9)
        found = self.matched(np.tile(bar, 2), 0.0, 1.8 + 3 * MS, parts=8)
        self.assertGreater(found.best[0, HALVES], 0.9)
        self.assertAlmostEqual(found.longer[0, HALVES], -3 * MS, delta=0.2 * MS)
        self.assertEqual(self.matched(np.tile(bar, 2), 0.0, 1.8, parts=7).looked[0, HALVES], 0.0)

    def test_where_nothing_lies_or_all_is_silent_nothing_is_compared(self):
        found = self.matched(noise(1.4), 0.0, 1.4)
        self.assertEqual(found.looked[0, [BEFORE, BEHIND]].tolist(), [0.0, 0.0])
        quiet = np.concatenate([np.zeros(RATE // 2), noise(1.0), np.zeros(RATE // 2)])
        self.assertLess(abs(self.matched(quiet, 0.5, 1.5).best[0, BEHIND]), 0.2)
        self.assertEqual(self.matched(quiet, 0.0, 1.9).looked[0, BEHIND], 0.0)
        # Places outside the file, too.
        self.assertFalse(self.matched(noise(1.0), -0.4, 1.9).looked.any())

    def test_channels_out_of_phase_are_compared_as_well(self):
        body = noise(1.0)
        cut = np.concatenate([body, body[: RATE // 4]])
        thin = thinned(audio(np.stack([cut, -cut])))
        found = matches(thin, np.zeros(1), np.ones(1), np.full(1, 4))
        self.assertGreater(found.exact[0, BEHIND], 0.9)

    def test_of_a_long_take_no_more_is_kept_than_a_loop_may_be_long(self):
        with patch.object(copies, "LONGEST_LOOP_SECONDS", 1.5):
            thin = thinned(audio(noise(2.5)))
        self.assertAlmostEqual((thin.samples.size - 2 * thin.pad) / thin.rate, 1.5, delta=0.01)

    def test_every_pass_has_its_own_answer_though_near_ones_are_looked_at_once(self):
        body = noise(1.0)
        cut = np.concatenate([body, body[: RATE // 4]])
        thin = thinned(audio(cut))
        end = np.asarray([1.0, 1.006, 1.0001])
        found = matches(thin, np.zeros(3), end, np.full(3, 4))
        self.assertLess(np.abs(end + found.longer[:, BEHIND] - 1.0).max(), 0.3 * MS)


class EdgeTest(unittest.TestCase):
    def test_silence_ends_at_a_sample(self):
        rng = np.random.default_rng(2)
        loop = noise(1.0)
        for level in (0.0, 10 ** (-75 / 20)):
            for frames in (300, 5_000, 20_000):
                with self.subTest(level=level, frames=frames):
                    if level and frames < 2_000:
                        continue  # too short to know a hiss by
                    quiet = level * rng.standard_normal(frames)
                    sound = audio(np.concatenate([quiet, loop]))
                    edge = edge_of(sound, (frames + 3) / RATE)
                    self.assertAlmostEqual(edge.seconds * RATE, frames, delta=3)
                    self.assertLess(edge.quiet_db, -50)

    def test_where_nothing_rises_clearly_out_of_it_the_sure_second_holds(self):
        quiet = np.full(RATE // 2, 0.01)
        quiet[100] = 0.02  # a click, which what follows does not stand out of
        sound = audio(np.concatenate([quiet, np.full(RATE // 2, 0.025)]))
        self.assertEqual(edge_of(sound, 0.5).seconds, 0.5)

    def test_where_nothing_stands_in_front_it_begins_with_the_file(self):
        self.assertEqual(edge_of(audio(noise(0.5)), 0.0).seconds, 0.0)


class CutTest(unittest.TestCase):
    def test_a_fade_a_hard_cut_and_a_decay_differ(self):
        loop = noise(1.0)
        faded, decayed = loop.copy(), loop * np.exp(-np.arange(loop.size) / RATE * 9)
        faded[-200:] *= np.linspace(1, 0, 200)
        _, _, hard_end, hard_level, _ = cut_of(thinned(audio(loop)))
        _, _, faded_end, faded_level, _ = cut_of(thinned(audio(faded)))
        _, _, _, decayed_level, _ = cut_of(thinned(audio(decayed)))
        self.assertAlmostEqual(hard_end, 0.0, delta=0.1)
        self.assertLess(faded_end, -0.15)
        self.assertAlmostEqual(faded_level, hard_level, delta=0.1)
        self.assertLess(decayed_level, hard_level - 1.0)

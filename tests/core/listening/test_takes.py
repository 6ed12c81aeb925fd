"""A take is told with the other ways in which it may be counted; each can be adopted."""

import unittest

import numpy as np

from tests.sounds import audio
from tests.takes import beat_times, drummer, wandering
from zeroknot.core.listening.readings import listen
from zeroknot.core.listening.takes import MOST_BARS, bars_of_accents

BOTH = np.full(2, 0.7)


class TakeTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        # Kicks on one and three, snares between: where a bar begins is half a guess.
        cls.times = beat_times(wandering(92, 2, 128), 128, start=0.2)
        sound, _ = drummer(cls.times)
        cls.readings = listen(audio(sound)).readings

    def test_the_beats_come_first(self):
        best = self.readings[0]
        mean = 60 * 128 / (self.times[-1] - self.times[0])
        self.assertAlmostEqual(best.tempo_bpm, mean, delta=0.01 * mean)
        self.assertEqual(best.beats_per_bar, 4)
        self.assertLess(np.abs(self.times - best.downbeat_s).min(), 0.02)

    def test_where_else_bars_may_begin_is_said_and_is_a_beat(self):
        best = self.readings[0]
        moved = [r for r in self.readings[1:] if "its one is" in r.reason]
        self.assertTrue(moved)
        for reading in moved:
            with self.subTest(reading.reason):
                self.assertLess(np.abs(self.times - reading.downbeat_s).min(), 0.02)
                beats = (reading.downbeat_s - best.downbeat_s) * best.tempo_bpm / 60
                self.assertNotEqual(round(beats) % 4, 0)
        halves = [r for r in moved if "its one is 2 beats later" in r.reason]
        self.assertEqual(len(halves), 1)

    def test_between_the_beats_is_there_to_be_chosen(self):
        best = self.readings[0]
        [other] = [r for r in self.readings if "half a beat later" in r.reason]
        beats = (other.downbeat_s - best.downbeat_s) * best.tempo_bpm / 60
        self.assertAlmostEqual(abs(beats - round(beats)), 0.5, delta=0.06)
        self.assertLess(other.confidence, best.confidence)

    def test_all_of_them_together_are_not_surer_than_sure(self):
        sures = [r.confidence for r in self.readings]
        self.assertLessEqual(sum(sures), 1.0)
        self.assertEqual(sures[1:], sorted(sures[1:], reverse=True))


class AccentsTest(unittest.TestCase):
    def test_what_stands_out_alike_is_told_alike(self):
        accents = np.full((2, 64), 0.1)
        accents[:, ::2] += 1.0  # every other beat: one and three
        accents += np.random.default_rng(1).normal(0, 0.05, accents.shape)
        told = bars_of_accents(accents, BOTH)
        self.assertEqual([one[:2] for one in sorted(told[:2])], [(4, 0), (4, 2)])
        self.assertLessEqual(len(told), MOST_BARS)
        self.assertAlmostEqual(told[0][2], told[1][2], delta=0.25)

    def test_what_stands_out_clearly_stands_alone(self):
        accents = np.full((2, 64), 0.1)
        accents[:, 3::4] += 1.0
        [only] = bars_of_accents(accents, BOTH)
        self.assertEqual(only[:2], (4, 3))
        self.assertGreater(only[2], 0.95)

import unittest
from dataclasses import replace

import numpy as np

from tests.sounds import RATE, audio, drum_loop
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.copies import thinned
from zeroknot.core.listening.edges import better_edges, copied, grid_line, steadied
from zeroknot.core.listening.hypothesis import (
    END_BEAT,
    END_FILE,
    START_ATTACK,
    START_FILE,
    START_SOUND,
    Hypotheses,
)


class SteadiedTest(unittest.TestCase):
    """A start by ear is late by what an instrument takes to speak; all attacks together know."""

    def setUp(self):
        # Two bars of eighths at 128.37 BPM after 0.4 s; every sound comes 6 ms after its note.
        self.period = 60 / 128.37
        at = 0.4 + 0.006 + np.arange(16) * self.period / 2
        self.attacks = Attacks(at, np.ones(16), np.ones(16))
        end = 0.4 + 8 * self.period
        self.by_ear = Hypotheses(
            np.asarray([at[0]]), np.asarray([end]), np.asarray([2]), np.asarray([4]),
            np.asarray([START_SOUND]), np.asarray([END_FILE]),
        )  # fmt: skip

    def test_the_line_through_the_attacks_tells_how_they_fall_behind(self):
        line = grid_line(self.by_ear, self.attacks)
        # The hypothesis is 6 ms short over the pass; the attacks fall behind it by as much.
        length = self.by_ear.end - self.by_ear.start
        self.assertAlmostEqual(float((line.slope * length)[0]), 0.006, delta=0.0002)
        self.assertLess(abs(float(line.at_start[0])), 0.0002)
        self.assertAlmostEqual(float(line.hits[0]), 16, delta=0.5)

    def test_the_start_is_counted_back_from_the_end(self):
        better = steadied(self.by_ear, self.attacks)
        off = np.abs(better.tempo - 128.37)
        self.assertLess(off.min(), 0.02)
        self.assertLess(abs(better.start[off.argmin()] - 0.4), 0.0005)

    def test_an_end_that_was_counted_is_moved_the_farther_the_more_bars_were_counted(self):
        """A third of a hundredth of the tempo is a tenth of a second over sixteen bars."""
        at = np.arange(128) * 60 / 128 / 2 + 0.006
        attacks = Attacks(at, np.ones(128), np.ones(128))
        end = 64 * 60 / 128 * 1.0035
        columns = (0.0, end, 16, 4, START_FILE, END_BEAT)
        better = steadied(Hypotheses(*(np.asarray([v]) for v in columns)), attacks)
        self.assertLess(np.abs(better.tempo - 128).min(), 0.001)

    def test_edges_that_the_file_gives_stay(self):
        fixed = replace(self.by_ear, start_kind=np.asarray([START_FILE]))
        self.assertEqual(len(steadied(fixed, self.attacks)), 1)

    def test_without_attacks_nothing_is_moved(self):
        self.assertEqual(len(steadied(self.by_ear, Attacks.none())), 1)


class CopiedTest(unittest.TestCase):
    """Where a recording comes again is where a pass ends, whatever was heard there."""

    BPM, BARS = 131.27, 1

    def setUp(self):
        self.loop = drum_loop(self.BPM, self.BARS)
        self.seconds = self.loop.size / RATE

    def heard(self, samples, start, end, start_kind, end_kind):
        one = Hypotheses(*(np.asarray([v]) for v in (start, end, 1, 4, start_kind, end_kind)))
        return copied(one, thinned(audio(samples)))

    def test_a_pickup_that_the_end_holds_again_says_where_the_one_is(self):
        beat = round(self.loop.size / 4)
        cut = np.concatenate([self.loop[-beat:], self.loop])
        one = beat / RATE
        found = self.heard(cut, one + 0.007, cut.size / RATE, START_ATTACK, END_FILE)
        self.assertEqual(len(found), 2)
        self.assertLess(np.abs(found.start - one).min(), 0.0002)
        self.assertLess(np.abs(found.tempo - self.BPM).min(), 0.03)

    def test_a_beginning_that_comes_again_behind_says_where_the_end_is(self):
        cut = np.concatenate([self.loop, self.loop[: RATE // 5]])
        found = self.heard(cut, 0.0, self.seconds - 0.009, START_FILE, END_BEAT)
        self.assertLess(np.abs(found.end - self.seconds).min(), 0.0002)

    def test_both_ways_of_mending_stand_beside_what_was_heard(self):
        cut = np.concatenate([self.loop, self.loop[: RATE // 5]])
        heard = self.seconds - 0.009
        one = Hypotheses(
            *(np.asarray([v]) for v in (0.0, heard, 1, 4, START_FILE, END_BEAT))
        )  # fmt: skip
        ends = better_edges(one, Attacks.none(), thinned(audio(cut))).end
        for end in (heard, self.seconds, 240 / round(240 / heard)):
            self.assertLess(np.abs(ends - end).min(), 0.0002, f"{end} is not among {ends}")

    def test_what_does_not_come_again_moves_nothing(self):
        noise = np.random.default_rng(3).standard_normal(2 * RATE) * 0.1
        found = self.heard(noise, 0.4, 1.6, START_ATTACK, END_BEAT)
        self.assertEqual(len(found), 1)

import unittest

import numpy as np

from zeroknot.core.errors import EditError
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.corrected import corrected
from zeroknot.core.listening.counting import follows, from_taps, tapped_bpm
from zeroknot.core.listening.reading import Reading

TWO_BARS = Reading(1, 4, 46.0, 0.5, 0.5 + 8 * 60 / 92, 0.6)  # heard at half its tempo


def attacks(seconds):
    seconds = np.asarray(seconds, np.float64)
    return Attacks(seconds, np.ones(seconds.size), np.ones(seconds.size))


class CountingTest(unittest.TestCase):
    def test_taps_make_a_tempo_with_one_left_out_and_some_jitter(self):
        rng = np.random.default_rng(2)
        taps = np.arange(12) * 60 / 92 + rng.normal(0, 0.012, 12)
        self.assertAlmostEqual(tapped_bpm(taps), 92, delta=0.8)
        self.assertAlmostEqual(tapped_bpm(np.delete(taps, 5)), 92, delta=0.8)
        # Where the loop begins again the recording's seconds jump back: no distance is taken.
        round_again = np.concatenate([taps[6:], taps[:6]])
        self.assertAlmostEqual(tapped_bpm(round_again), 92, delta=1.2)

    def test_taps_propose_the_whole_number_of_bars_they_mean(self):
        first = from_taps(np.arange(8) * 60 / 91.4, TWO_BARS)[0]
        self.assertEqual((first.words, first.given), ("2 bars at 92", {"bars": 2}))
        self.assertAlmostEqual(corrected(TWO_BARS, first.correction).tempo_bpm, 92)

    def test_taps_beside_any_whole_number_move_the_end(self):
        moved = from_taps(np.arange(8) * 60 / 105, TWO_BARS)
        self.assertEqual([p.given["bars"] for p in moved], [2])
        after = corrected(TWO_BARS, moved[0].correction)
        self.assertAlmostEqual(after.tempo_bpm, 105)
        self.assertIn("earlier", moved[0].words)

    def test_what_follows_from_a_count(self):
        reading = Reading(3, 4, 92.2, 0.0, 12 * 60 / 92.2, 1.0)
        words = [p.words for p in follows(reading, attacks([]))]
        self.assertIn("6 bars at 184.4, counted twice as fast", words)
        self.assertIn("4 bars of 3 at 92.2", words)
        self.assertIn("6 bars of 2 at 92.2", words)
        self.assertTrue(any(w.startswith("exactly 92 BPM: it ends") for w in words))
        self.assertFalse(any("half as fast" in w for w in words))  # one and a half bars are none

    def test_no_tempo_that_nobody_counts_is_proposed(self):
        for seconds in (0.5, 60.0):  # 480 BPM, 4 BPM
            reading = Reading(1, 4, 240 / seconds, 0.0, seconds, 1.0)
            words = [p.words for p in follows(reading, attacks([]))]
            self.assertEqual([w for w in words if "counted" in w or "bars of" in w], [])

    def test_an_overhang_is_seen_by_the_hits_past_the_end(self):
        beat = 60 / 100
        hits = [0.2 + i * beat / 2 for i in range(40)]
        reading = Reading(2, 4, 8 * 60 / (8 * beat + 0.009), 0.2, 0.2 + 8 * beat + 0.009, 1.0)
        first = follows(reading, attacks(hits))[0]
        self.assertIn("9.0 ms earlier", first.words)
        self.assertAlmostEqual(first.correction.end_s, 0.2 + 8 * beat, places=4)

    def test_refusals(self):
        for taps, words in (
            ([0, 1, 2], "at least 4"), ([0, 0, 0, 0], "no tempo"),
            ([5, 0, 6, 0, 14], "no tempo"),  # no gap is like another
            ([0, 0.05, 0.1, 0.15, 0.2], "taps a minute"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(EditError, words):
                tapped_bpm(taps)

    def test_one_hit_near_the_end_is_no_beginning(self):
        # Two bars at 110 that end where the file does, a grace note 57 ms before its end.
        beat, end = 60 / 110, 8 * 60 / 110
        hits = np.sort([*(np.arange(16) * beat / 2), end - 0.0566])
        found = follows(Reading(2, 4, 110.0, 0.0, end, 0.9), attacks(hits))
        self.assertFalse([p.words for p in found if "begins again" in p.words])
        # Where the recording goes on and two hits agree, it is said.
        more = np.arange(24) * beat / 2
        found = follows(Reading(2, 4, 110.0, 0.0, end + 0.02, 0.9), attacks(more))
        self.assertTrue([p.words for p in found if "begins again" in p.words])

    def test_what_nobody_counts_is_not_offered(self):
        fast = Reading(14, 2, 322.0, 0.0, 28 * 60 / 322, 0.5)
        for proposal in follows(fast, attacks([0.0])):
            self.assertLess(corrected(fast, proposal.correction).tempo_bpm, 251, proposal.words)

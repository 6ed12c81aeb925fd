"""Hits of recordings: their register and level, however long the recording is."""

import tracemalloc
import unittest

import numpy as np

from tests.sounds import RATE, audio, drum_loop
from zeroknot.core.groove.measure import BESIDE_SECONDS, CHUNK_SECONDS, measured
from zeroknot.core.listening.attack import Attacks


def struck(times, hertz, level):
    """A decaying tone at each time: float64 [frames]"""
    t = np.arange(round(0.25 * RATE)) / RATE
    out = np.zeros(round((max(times) + 0.5) * RATE))
    for at in times:
        first = round(at * RATE)
        out[first : first + t.size] += level * np.sin(2 * np.pi * hertz * t) * np.exp(-t * 20)
    return out


def attacks(times):
    return Attacks(np.asarray(times), np.ones(len(times)), np.ones(len(times)))


class MeasureTest(unittest.TestCase):
    def test_a_hit_is_of_the_register_in_which_it_begins(self):
        for hertz, register in ((60.0, "low"), (900.0, "middle"), (9_000.0, "high")):
            [hit] = measured(audio(struck([0.1], hertz, 0.5)), attacks([0.1]))
            with self.subTest(hertz=hertz):
                self.assertEqual(hit.register, register)

    def test_levels_differ_as_the_hits_do_also_while_another_rings(self):
        times = [0.1, 0.3, 0.5]
        sound = struck([0.1, 0.5], 900.0, 0.4)
        soft = struck([0.3], 900.0, 0.1)
        sound[: soft.size] += soft
        loud, quiet, again = measured(audio(sound), attacks(times))
        # 0.4 to 0.1 is 12 dB.
        self.assertAlmostEqual(loud.level_db - quiet.level_db, 12.0, delta=1.0)
        self.assertAlmostEqual(loud.level_db, again.level_db, delta=0.5)

    def test_what_lies_on_the_edge_of_a_piece_is_measured_as_elsewhere(self):
        edge = CHUNK_SECONDS
        times = [1.0, edge - 0.002, edge + 0.4, edge + BESIDE_SECONDS + 1.0]
        levels = [h.level_db for h in measured(audio(struck(times, 70.0, 0.5)), attacks(times))]
        self.assertLess(max(levels) - min(levels), 0.2)

    def test_half_an_hour_takes_no_more_memory_than_a_minute(self):
        peaks = []
        loop = (0.3 * drum_loop(100.0, 1)).astype(np.float32)
        for seconds in (60, 360):
            sound = audio(np.tile(loop, round(seconds / 2.4)))
            times = attacks(np.arange(0.0, seconds - 1.0, 0.6))
            tracemalloc.start()
            self.assertEqual(len(measured(sound, times)), times.seconds.size)
            peaks.append(tracemalloc.get_traced_memory()[1])
            tracemalloc.stop()
        self.assertLess(peaks[1], 1.3 * peaks[0])

    def test_nothing_has_none(self):
        self.assertEqual(measured(audio(np.zeros(RATE)), Attacks.none()), ())


if __name__ == "__main__":
    unittest.main()

"""What was played on a grid with known offsets is read back as that."""

import random
import unittest

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.groove import GRIDS, REACH, Played, swing, swing_ratio
from zeroknot.core.groove.hit import Hit
from zeroknot.core.groove.take import grids_of, played_of, taken
from zeroknot.core.warp.warp_map import WarpMap


def played(per_beat, beats, offsets=(0.0,), spread=0.0, share=1.0, seed=1):
    """Hits on a share of the steps of a grid, offsets and a spread in shares of a step."""
    chance = random.Random(seed)
    found = []
    for i in range(round(per_beat * beats)):
        if i % (2 * per_beat) == 0 or chance.random() < share:
            off = offsets[i % len(offsets)] + chance.gauss(0.0, spread)
            found.append(Played((i + off) / per_beat, chance.uniform(0.4, 1.0), "middle", 0.0))
    return found


def one(beat, register="middle", accent=0.0, leans=False, weight=1.0):
    return Played(beat, weight, register, accent, leans)


class TakeTest(unittest.TestCase):
    def test_offsets_are_read_back(self):
        offsets = (0.0, 0.12, -0.05, 0.2, 0.0, 0.08, -0.1, 0.15)
        for fold, beats in ((0.0, 2.0), (2.0, 16.0)):
            hits = played(4, beats, offsets)
            made = taken(hits, 4, beats, fold)
            self.assertEqual(len(made.steps), 8)
            for step, offset in zip(made.steps, offsets, strict=True):
                self.assertAlmostEqual(step.offset, offset)
            self.assertEqual(made.steps[0].hits, round(beats / 2))

    def test_spread_is_that_of_the_hits_and_missing_steps_say_nothing(self):
        hits = played(4, 400.0, (0.0, 0.1), spread=0.03)
        made = taken(hits, 4, 400.0, 1.0)
        for step in made.steps:
            self.assertAlmostEqual(step.spread, 0.03, delta=0.01)
        only = taken([one(0.0), one(1.0)], 4, 2.0)
        self.assertEqual([s.hits for s in only.steps], [1, 0, 0, 0, 1, 0, 0, 0])

    def test_swing_ratios_are_read_back(self):
        # Friberg & Sundstrom 2002, from memory: about 3.5:1 at slow tempos to 1:1 at fast ones.
        # On eighths up to 2.3: what is later still is nearer to a finer grid's step.
        for ratio in (1.0, 1.3, 1.6, 2.0, 2.3):
            with self.subTest(ratio=ratio):
                percent = 100.0 * ratio / (1.0 + ratio)
                late = swing(percent, 2).steps[1].offset
                self.assertLess(late, REACH)
                hits = played(2, 16.0, (0.0, late), spread=0.01)
                self.assertAlmostEqual(swing_ratio(taken(hits, 2, 16.0, 1.0)), ratio, delta=0.1)

    def test_the_grid_that_was_played_is_proposed(self):
        right = 0
        cases = [
            (per_beat, swung, seed)
            for per_beat in (2, 3, 4, 5, 6, 7, 8)
            for swung in ((0.0, 0.16) if per_beat in (2, 4) else (0.0,))
            for seed in range(20)
        ]
        for per_beat, swung, seed in cases:
            hits = played(per_beat, 16.0, (0.0, swung), spread=0.03, share=0.75, seed=seed)
            right += grids_of(hits)[0].per_beat == per_beat
        self.assertGreaterEqual(right / len(cases), 0.95)

    def test_a_grid_that_does_not_divide_its_beats_is_refused(self):
        # A bar of 7/8 is 3.5 quarters: 14 sixteenths, but 17.5 quintuplets.
        self.assertEqual(len(taken([one(0.0)], 4, 3.5).steps), 14)
        with self.assertRaisesRegex(GrooveError, "quintuplets do not divide 3.5 beats"):
            taken([one(0.0)], 5, 3.5)

    def test_what_no_groove_can_be_taken_from_is_a_sentence(self):
        with self.assertRaises(GrooveError):
            grids_of([])
        with self.assertRaises(GrooveError):
            taken([one(0.125)], 4, 4.0)  # between two steps
        with self.assertRaises(GrooveError):
            taken([one(0.0)], 4, 4.0, 3.0)
        self.assertEqual(set(e.per_beat for e in grids_of([one(0.0)])), set(GRIDS))

    def test_each_register_has_steps_of_its_own(self):
        hits = [one(i / 4 + 0.025, "high", 1.0) for i in range(16)]
        hits += [one(i + 0.0125, "low", -2.0) for i in range(4)]
        made = taken(hits, 4, 4.0)
        self.assertAlmostEqual(made.high[4].offset, 0.1)
        self.assertAlmostEqual(made.low[4].offset, 0.05)
        self.assertAlmostEqual(made.steps[4].offset, 0.075)
        self.assertEqual((made.low[4].accent_db, made.low[1].hits), (-2.0, 0))
        self.assertEqual((made.middle, made.registers), ((), ("low", "high")))
        only = taken(hits, 4, 4.0, registers=("low",))
        self.assertEqual(only.registers, ("low",))
        self.assertEqual(len(only.played), 4)

    def test_ghosts_and_flams_lean_on_a_hit_and_do_not_move_its_step(self):
        warp = WarpMap.between(0.0, 2.0, 4.0)
        full = [Hit(i * 0.5, 0.9, 1.0, "middle", -10.0) for i in range(4)]
        flam = Hit(0.47, 0.3, 1.0, "middle", -16.0)
        ghost = Hit(1.09, 0.2, 1.0, "middle", -40.0)
        played = played_of(sorted([*full, flam, ghost]), warp, 0.0, 4.0)
        leaning = {round(p.beat, 2) for p in played if p.leans}
        self.assertEqual(leaning, {0.94, 2.18})
        made = taken(played, 2, 4.0)
        self.assertEqual([s.hits for s in made.steps], [1, 0, 1, 0, 1, 0, 1, 0])
        self.assertAlmostEqual(made.steps[2].offset, 0.0)
        self.assertEqual(len(made.played), 6)  # kept by value all the same

    def test_a_stretch_is_counted_from_its_downbeat(self):
        warp = WarpMap.between(1.0, 9.0, 16.0)
        hits = [Hit(1.0 + i * 0.25, 0.8) for i in range(32)]
        played = played_of(hits, warp, 4.0, 8.0)
        self.assertAlmostEqual(min(p.beat for p in played), 0.0)
        self.assertAlmostEqual(max(p.beat for p in played), 7.5)


if __name__ == "__main__":
    unittest.main()

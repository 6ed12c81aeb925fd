"""Grooves: their steps, their swing, and what becomes of hits they are laid over."""

import itertools
import unittest

from hypothesis import example, given, settings
from hypothesis import strategies as st

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.groove import (
    GRIDS,
    REACH,
    Groove,
    Step,
    even,
    mixed,
    swing,
    swing_ratio,
)
from zeroknot.core.groove.layer import MOST_PULL, GrooveLayer
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import WarpMap

BASE = WarpMap.between(0.5, 4.5, 8.0)  # two beats a second
SIXTEENTH = 0.125  # seconds of it

grooves = st.builds(
    Groove, per_beat=st.sampled_from(sorted(GRIDS)),
    steps=st.lists(
        st.builds(Step, offset=st.floats(-0.45, 0.45), hits=st.integers(0, 3)), min_size=1,
        max_size=16,
    ).map(tuple),
)  # fmt: skip
hits = st.lists(
    st.tuples(st.floats(0.5, 4.4), st.floats(0, 1)), max_size=40, unique_by=lambda h: round(h[0], 3)
).map(lambda found: tuple(sorted(found)))


def straight(step=SIXTEENTH, strength=0.8):
    """A hit on every sixteenth of the pass."""
    return tuple((0.5 + i * step, strength) for i in range(round(4.0 / step)))


class GrooveTest(unittest.TestCase):
    def test_swing_is_the_share_that_the_first_of_two_takes(self):
        # Common practice, no source: 50 % is even, 66.7 % a triplet (2:1), 75 % dotted (3:1).
        for percent, ratio in ((50.0, 1.0), (200 / 3, 2.0), (75.0, 3.0), (60.0, 1.5)):
            for per_beat in (2, 4):
                with self.subTest(percent=percent, per_beat=per_beat):
                    made = swing(percent, per_beat)
                    self.assertAlmostEqual(swing_ratio(made), ratio)
                    second = made.target_of(1 / per_beat)
                    self.assertAlmostEqual(second * per_beat / 2, percent / 100)
        for percent in (49.9, 75.1, float("nan")):
            with self.subTest(percent=percent), self.assertRaises(GrooveError):
                swing(percent, 2)

    def test_a_hit_belongs_to_the_nearest_step_within_reach(self):
        groove = Groove(4, (Step(0.0), Step(0.2), Step(hits=0), Step(-0.1)))
        self.assertAlmostEqual(groove.target_of(0.25), 0.3)
        self.assertAlmostEqual(groove.target_of(0.25 + 0.24 * REACH), 0.3)
        self.assertIsNone(groove.target_of(0.25 + 0.26 * REACH))
        self.assertIsNone(groove.target_of(0.5))  # a step of no hits says nothing
        self.assertAlmostEqual(groove.target_of(8.75), 8.725)  # over and over
        self.assertAlmostEqual(groove.target_of(-0.25), -0.275)

    def test_what_is_no_groove_is_refused(self):
        for per_beat, steps in (
            (9, (Step(),)), (4, ()), (4, (Step(0.6), Step(-0.5))), (4, (Step(),) * 10_000),
        ):  # fmt: skip
            with self.subTest(per_beat=per_beat), self.assertRaises(GrooveError):
                Groove(per_beat, steps)
        for wrong in ({"offset": 1.1}, {"offset": float("nan")}, {"spread": -1}, {"hits": -1}):
            with self.subTest(wrong), self.assertRaises(GrooveError):
                Step(**wrong)

    def test_two_are_mixed_by_a_share(self):
        one, other = even(4), swing(60.0, 4)
        for share in (0.0, 0.25, 1.0):
            self.assertAlmostEqual(mixed(one, other, share).steps[1].offset, 0.2 * share)
        silent = Groove(4, (Step(hits=0), Step(hits=0)))
        self.assertAlmostEqual(mixed(silent, other, 0.0).steps[1].offset, 0.2)
        with self.assertRaises(GrooveError):
            mixed(even(4), even(3), 0.5)


class LayerTest(unittest.TestCase):
    def test_a_straight_loop_goes_onto_a_shuffle(self):
        layer = GrooveLayer(swing(62.0, 4), straight(), timing=0.95)
        laid = layer.over(BASE)
        for i, (second, _) in enumerate(straight()):
            wanted = (i + (0.95 * 0.24 if i % 2 else 0.0)) / 4
            self.assertAlmostEqual(laid.beat_of_second(second), wanted, places=9)

    def test_nothing_is_the_loop_itself_and_so_is_everything_taken_back(self):
        layer = GrooveLayer(swing(70.0, 4), straight(), timing=0.0)
        self.assertIs(layer.over(BASE), BASE)

    def test_quantizing_is_laying_the_even_groove_over_it(self):
        late = tuple((second + 0.02, s) for second, s in straight())
        laid = GrooveLayer(even(4), late).over(BASE)
        for i, (second, _) in enumerate(late[1:], 1):
            self.assertAlmostEqual(laid.beat_of_second(second), i / 4, places=6, msg=i)
        # The one stays where it is: what was hit after it comes as near as the stretch allows.
        self.assertAlmostEqual(laid.beat_of_second(late[0][0]), 0.04 / MOST_PULL)

    def test_what_belongs_to_no_step_goes_along_with_its_neighbours(self):
        lost = 0.5 + 2.5 * SIXTEENTH
        layer = GrooveLayer(swing(66.0, 4), tuple(sorted((*straight(), (lost, 0.3)))))
        moved = {m.second: m for m in layer.moves(BASE)}
        self.assertIsNone(moved[lost].target)
        self.assertEqual(moved[lost].after, moved[lost].before)

    def test_a_flam_moves_as_one_led_by_its_strongest(self):
        pair = (0.5 + SIXTEENTH - 0.02, 0.2), (0.5 + SIXTEENTH, 0.9)
        moved = GrooveLayer(swing(70.0, 4), pair).moves(BASE)
        self.assertAlmostEqual(moved[1].after, 0.25 * 1.4)
        self.assertAlmostEqual(moved[1].after - moved[0].after, 0.04)  # as far apart as before

    def test_none_passes_its_neighbour_and_that_is_said(self):
        crowded = (0.5, 0.9), (0.5 + SIXTEENTH, 0.9), (0.5 + 1.45 * SIXTEENTH, 0.9)
        moved = GrooveLayer(Groove(4, (Step(), Step(0.9))), crowded).moves(BASE)
        self.assertTrue(any(m.held for m in moved))
        self.assertEqual(sorted(m.after for m in moved), [m.after for m in moved])

    def test_it_lies_over_what_is_straightened_and_is_computed_anew(self):
        """The amounts of what lies below may change: never from a result."""
        layer = GrooveLayer(swing(60.0, 2), straight(4 * SIXTEENTH / 2))
        bent = WarpMap((Knot(0.5, 0.0), Knot(2.6, 4.0), Knot(4.5, 8.0)))
        laid = layer.over(bent)
        second = 0.5 + SIXTEENTH * 2
        below = bent.beat_of_second(second)
        self.assertAlmostEqual(below, 0.4762, places=3)
        self.assertAlmostEqual(laid.beat_of_second(second), 0.6)

    @settings(max_examples=200, deadline=None)
    @given(grooves, hits, st.floats(0.0, 1.0))
    @example(even(2), ((2.39526, 0.0), (2.39592, 0.0)), 1.0)
    def test_whatever_is_laid_it_rises_keeps_the_ends_and_pulls_no_gap_too_far(
        self, groove, found, timing
    ):
        layer = GrooveLayer(groove, found, timing)
        laid = layer.over(BASE)
        self.assertEqual((laid.zero, laid.end), (BASE.zero, BASE.end))
        beats = [k.beat for k in laid.knots]
        self.assertEqual(beats, sorted(beats))
        moved = [m for m in layer.moves(BASE) if m.second >= 0.501]
        for a, b in itertools.pairwise(moved):
            pull = (b.after - a.after) / (b.before - a.before)
            self.assertLess(1 / MOST_PULL / MOST_PULL, pull)


if __name__ == "__main__":
    unittest.main()

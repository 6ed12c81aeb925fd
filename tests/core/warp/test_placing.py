import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.errors import KnotError
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.placing import Placing, Tied, fastened_from, joined, placed, removed
from zeroknot.core.warp.straighten import counted, tied
from zeroknot.core.warp.warp_map import WarpMap

PLAIN = Tied(WarpMap.between(1.0, 5.0, 8))
TIMES = np.asarray([1.0, 1.6, 2.0, 2.4, 3.0, 3.5, 4.1, 4.4, 5.0])


def straightened() -> Tied:
    base = PLAIN.base
    return Tied(base, tied(base, counted(1.0, 5.0, TIMES, 1.0), 1))


class PlacingTest(unittest.TestCase):
    def test_a_hit_moves_alone_when_its_neighbours_are_tied_first(self):
        warp = placed(PLAIN, [Placing(2.0), Placing(3.0), Placing(2.4, 3.0)]).warp
        self.assertEqual(warp.beat_of_second(2.4), 3.0)
        for second in (1.0, 1.7, 2.0, 3.0, 4.2, 5.0, 0.3, 6.0):
            self.assertAlmostEqual(warp.beat_of_second(second), PLAIN.base.beat_of_second(second))

    @given(
        st.lists(st.integers(105, 495), min_size=1, max_size=6, unique=True),
        st.floats(-0.05, 0.05),
    )
    def test_many_move_together(self, hundredths, by):
        seconds = [h / 100 for h in hundredths]
        tied_ = placed(PLAIN, [Placing(s) for s in seconds])
        beats = {s: tied_.warp.beat_of_second(s) for s in seconds}
        gaps = np.diff(sorted([0.0, 8.0, *beats.values()]))
        if gaps.min() < 0.06:
            return
        moved = placed(tied_, [Placing(s, b + by, s) for s, b in beats.items()]).warp
        for second, beat in beats.items():
            self.assertAlmostEqual(moved.beat_of_second(second), beat + by)

    def test_knots_that_move_together_may_go_where_others_leave(self):
        three = placed(PLAIN, [Placing(2.0), Placing(2.5), Placing(3.0)])
        moved = placed(three, [Placing(s + 0.5, at=s) for s in (2.0, 2.5, 3.0)]).warp
        self.assertEqual([k.second for k in moved.knots], [1.0, 2.5, 3.0, 3.5, 5.0])
        self.assertEqual([k.beat for k in moved.knots], [k.beat for k in three.warp.knots])

    def test_a_knot_may_choose_another_moment(self):
        tied_ = placed(PLAIN, [Placing(2.0, 2.0)])
        warp = placed(tied_, [Placing(2.2, 2.0, at=2.0)]).warp
        self.assertEqual(warp.knots, (Knot(1.0, 0), Knot(2.2, 2.0), Knot(5.0, 8)))

    def test_the_ends_move_along_the_recording_only(self):
        warp = placed(PLAIN, [Placing(1.2, 0.0, at=1.0), Placing(4.8, 8.0, at=5.0)]).warp
        self.assertEqual(warp.knots, (Knot(1.2, 0), Knot(4.8, 8)))
        for places in ([Placing(1.0, 0.5, at=1.0)], [Placing(5.0, 9.0, at=5.0)],
                       [Placing(5.5, 8.5)]):  # fmt: skip
            with self.assertRaises(KnotError):
                placed(PLAIN, places)

    def test_a_moved_tie_leaves_the_layer_and_the_others_stay(self):
        before = straightened()
        made = placed(before, [Placing(2.4, 3.25, at=2.4)])
        self.assertIn(Knot(2.4, 3.25), made.base.knots)
        self.assertNotIn(2.4, [t.second for t in made.layer.ties])
        for second in (1.6, 2.0, 3.0, 4.4):
            self.assertEqual(made.warp.beat_of_second(second), before.warp.beat_of_second(second))

    def test_removing(self):
        made = removed(straightened(), [1.6, 3.0, 1.0, 5.0])
        self.assertEqual([t.second for t in made.layer.ties], [2.0, 2.4, 3.5, 4.1, 4.4])
        made = removed(placed(PLAIN, [Placing(2.0, 2.2)]), [2.0])
        self.assertEqual(made, PLAIN)
        with self.assertRaisesRegex(KnotError, "no knot at 2.500 s"):
            removed(PLAIN, [2.5])

    def test_nothing_moves_where_it_is_fastened(self):
        before = straightened()
        made = fastened_from(before, 1.8, 3.2)
        fastened = joined((), 1.8, 3.2)
        for second in np.linspace(0.5, 6, 40):
            self.assertAlmostEqual(
                made.warp.beat_of_second(second), before.warp.beat_of_second(second)
            )
        # A neighbour outside moves; inside all stays.
        moved = placed(made, [Placing(3.5, 5.2, at=3.5)], fastened).warp
        for second in np.linspace(1.8, 3.2, 15):
            self.assertAlmostEqual(moved.beat_of_second(second), before.warp.beat_of_second(second))
        for places in ([Placing(2.4, 3.1, at=2.4)], [Placing(2.2, 2.9)],
                       [Placing(2.5, 3.5, at=3.5)], [Placing(1.8, 1.9, at=1.8)]):  # fmt: skip
            with self.subTest(places=places), self.assertRaisesRegex(KnotError, "fastened"):
                placed(made, places, fastened)
        with self.assertRaisesRegex(KnotError, "fastened"):
            removed(made, [2.4], fastened)
        # Turning the layer down does not reach inside.
        self.assertEqual({t.second for t in made.layer.ties}, {1.6, 3.5, 4.1, 4.4})

    def test_fastened_stretches_that_touch_become_one(self):
        self.assertEqual(joined(((1, 2), (4, 5)), 1.5, 3), ((1, 3), (4, 5)))
        self.assertEqual(joined(((1, 2), (4, 5)), 2, 4), ((1, 5),))

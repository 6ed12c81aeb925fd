import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.errors import KnotError, StretchError
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.time_map import TimeMap, refuse_beyond_limits
from zeroknot.core.warp.warp_map import WarpMap


@st.composite
def warp_maps(draw):
    steps = draw(
        st.lists(st.tuples(st.floats(0.01, 5), st.floats(0.05, 8)), min_size=1, max_size=8)
    )
    second = draw(st.floats(-2, 5))
    knots, beat = [Knot(second, 0.0)], 0.0
    for more_seconds, more_beats in steps:
        second, beat = second + more_seconds, beat + more_beats
        knots.append(Knot(second, beat))
    return WarpMap(tuple(knots))


class WarpMapTest(unittest.TestCase):
    @given(warp_maps(), st.floats(-20, 60))
    def test_second_and_beat_are_inverse(self, warp, second):
        beat = warp.beat_of_second(second)
        self.assertAlmostEqual(warp.second_of_beat(beat), second, places=8)

    @given(warp_maps())
    def test_knots_are_hit_exactly(self, warp):
        for knot in warp.knots:
            self.assertEqual(warp.beat_of_second(knot.second), knot.beat)

    @given(warp_maps(), st.floats(0.25, 64))
    def test_span_changes_the_output_only(self, warp, span):
        laid = warp.with_span(span)
        self.assertAlmostEqual(laid.span, span)
        self.assertEqual([k.second for k in laid.knots], [k.second for k in warp.knots])

    def test_moving_the_zero_knot_keeps_span_and_moments(self):
        warp = WarpMap((Knot(0, 0), Knot(2, 4), Knot(4, 8)))
        moved = warp.read_as(1.0, 4.0, 8)
        self.assertEqual((moved.zero, moved.end), (Knot(1.0, 0), Knot(4, 8)))
        # Beat 2 becomes beat 0: beat 4 is then 2 of 6 beats, a third of the span.
        self.assertAlmostEqual(moved.beat_of_second(2.0), 8 / 3)
        # Knots that would lie outside the pass are let go.
        self.assertEqual(warp.read_as(2.5, 6.0, 4).knots, (Knot(2.5, 0), Knot(6.0, 4)))

    def test_crossing_is_refused_with_both_knots_named(self):
        with self.assertRaisesRegex(KnotError, r"knot 3 at 2.100 s / beat 4 .* knot 2 at 2.400 s"):
            WarpMap((Knot(0, 0), Knot(2.4, 3), Knot(2.1, 4)))

    def test_refusals(self):
        warp = WarpMap.between(0, 4, 8)
        for name, make in {
            "one knot": lambda: WarpMap((Knot(0, 0),)),
            "no zero": lambda: WarpMap((Knot(0, 1), Knot(1, 2))),
            "beats fall": lambda: WarpMap((Knot(0, 0), Knot(1, -1))),
            "zero behind end": lambda: warp.read_as(4.0, 4.0, 8),
            "not finite": lambda: Knot(float("nan"), 0),
        }.items():
            with self.subTest(name), self.assertRaises(KnotError):
                make()


class TimeMapTest(unittest.TestCase):
    def test_outside_the_points_the_outer_segment_goes_on(self):
        time_map = TimeMap.of_points(((0.0, 0), (1.0, 1000), (2.0, 3000)))
        np.testing.assert_allclose(time_map.source_of(np.array([-500.0, 5000.0])), [-0.5, 3.0])
        np.testing.assert_allclose(time_map.output_of(np.array([0.5, 1.5])), [500, 2000])

    def test_limits(self):
        refuse_beyond_limits(((0.0, 0), (1.0, 8000)), 1000)
        with self.assertRaisesRegex(StretchError, "8.01 times"):
            refuse_beyond_limits(((0.0, 0), (1.0, 8010)), 1000)
        with self.assertRaises(StretchError):
            TimeMap.of_points(((0.0, 0), (1.0, 0)))

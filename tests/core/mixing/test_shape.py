"""Lines of corners: curves against their definitions, cuts and products against sampled lines."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.mixing.shape import along, cut, fall, in_db, product, rise


@st.composite
def lines(draw):
    frames = draw(st.lists(st.integers(-50, 2000), min_size=1, max_size=8, unique=True))
    gains = st.floats(0, 2, allow_nan=False)
    return tuple((x, draw(gains)) for x in sorted(frames))


class CurveTest(unittest.TestCase):
    def test_equal_gain_adds_up_to_one_and_equal_power_to_a_power_of_one(self):
        # Definitions of the two crossfades; common practice, no source.
        at = np.arange(0, 4411, dtype=float)
        up, down = rise(0, 4410, "gain"), fall(4410, 4410, "gain")
        np.testing.assert_allclose(along(up, at) + along(down, at), 1.0, atol=1e-12)
        up, down = rise(0, 4410, "power"), fall(4410, 4410, "power")
        power = along(up, at) ** 2 + along(down, at) ** 2
        self.assertLess(np.abs(10 * np.log10(power)).max(), 0.006)
        # Half way it is 3 dB down, where a straight one is 6.
        self.assertAlmostEqual(20 * np.log10(along(up, np.array([2205.0]))[0]), -3.01, 2)

    def test_a_curve_of_a_few_frames_and_of_none(self):
        self.assertEqual(rise(5, 0, "power"), ())
        self.assertEqual(rise(5, 1, "power"), ((5, 0.0), (6, 1.0)))
        frames = [x for x, _ in rise(0, 7, "power")]
        self.assertEqual(frames, sorted(set(frames)))

    def test_a_line_that_is_straight_in_db(self):
        corners = in_db([(0, -24.0), (44_100, 6.0)])
        at = np.linspace(0, 44_100, 301)
        found = 20 * np.log10(along(corners, at))
        self.assertLess(np.abs(found - np.interp(at, [0, 44_100], [-24, 6])).max(), 0.01)
        self.assertEqual(in_db([]), ())


class LineTest(unittest.TestCase):
    @given(lines(), st.integers(0, 1500), st.integers(1, 1000))
    def test_what_is_cut_is_the_same_line(self, line, first, frames):
        at = np.arange(frames + 1, dtype=float)
        np.testing.assert_allclose(
            along(cut(line, first, frames), at), along(line, at + first), atol=1e-9
        )

    @given(st.lists(lines(), max_size=3), st.integers(1, 2000))
    def test_a_product_is_near_and_where_one_moves_alone_it_is_exact(self, many, frames):
        at = np.arange(frames + 1, dtype=float)
        wanted = np.prod([along(line, at) for line in many], axis=0) if many else np.ones(at.size)
        found = along(product(many, frames), at)
        # Two straight lines make a parabola, three a cubic, of gains up to 8: in pieces of a 32nd.
        self.assertLessEqual(np.abs(found - wanted).max(), 0.02)
        if len(many) == 1:
            np.testing.assert_allclose(found, wanted, atol=1e-9)

    def test_what_changes_nothing_is_no_line(self):
        self.assertEqual(cut(((0, 1.0), (10, 1.0), (20, 0.0)), 0, 10), ())
        self.assertEqual(product([(), ((0, 1.0),)], 100), ())

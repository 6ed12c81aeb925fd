"""What was played becomes an order by as much of the grid as is asked for, from what was played."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.errors import SliceError
from zeroknot.core.order.played import Round, Stroke, quantized

LENGTHS = [0.5] * 8
LOOSE = Round(8.0, tuple(Stroke(i / 2 + 0.03 * (-1) ** i, i % 8, 0.8) for i in range(16)))


def beats(order):
    return [round(t.beat, 6) for t in order.tiles]


class PlayedTest(unittest.TestCase):
    def test_by_nothing_it_is_as_it_was_played_and_by_all_on_the_grid(self):
        played = [s.beat for s in LOOSE.strokes]
        self.assertEqual(beats(quantized(LOOSE, 0.5, 0.0, LENGTHS)), [round(b, 6) for b in played])
        self.assertEqual(beats(quantized(LOOSE, 0.5, 1.0, LENGTHS)), [i / 2 for i in range(16)])
        half = beats(quantized(LOOSE, 0.5, 0.5, LENGTHS))
        self.assertEqual(half, [round(i / 2 + 0.015 * (-1) ** i, 6) for i in range(16)])

    def test_what_is_early_on_the_one_begins_the_round(self):
        order = quantized(Round(4.0, (Stroke(3.97, 2), Stroke(2.0, 1))), 0.5, 1.0, LENGTHS)
        self.assertEqual([(t.beat, t.piece) for t in order.tiles], [(0.0, 2), (2.0, 1)])

    def test_how_hard_is_how_loud_unless_it_shall_not_be(self):
        soft = Round(4.0, (Stroke(0.0, 0, 0.5), Stroke(1.0, 1, 1.0)))
        levels = [t.gain_db for t in quantized(soft, 0.5, 1.0, LENGTHS).tiles]
        self.assertEqual(levels, [-12.04, 0.0])  # 40 dB a decade
        even = quantized(soft, 0.5, 1.0, LENGTHS, feels=False)
        self.assertEqual([t.gain_db for t in even.tiles], [0.0, 0.0])

    def test_of_strokes_at_one_moment_the_strongest_is_taken(self):
        together = Round(4.0, (Stroke(1.0, 0, 0.4), Stroke(1.004, 3, 0.9)))
        self.assertEqual([t.piece for t in quantized(together, 0.5, 1.0, LENGTHS).tiles], [3])

    def test_a_tile_lasts_until_the_next_or_as_long_as_its_piece_or_as_it_was_held(self):
        played = Round(4.0, (Stroke(0, 0), Stroke(0.25, 1), Stroke(2, 2), Stroke(3, 3, 1.0, 0.125)))
        lengths = [t.beats for t in quantized(played, 0.25, 1.0, LENGTHS).tiles]
        self.assertEqual(lengths, [0.25, 0.5, 0.5, 0.125])

    def test_slices_that_are_gone_are_left_out_and_none_at_all_is_said(self):
        order = quantized(LOOSE, 0.5, 1.0, LENGTHS[:4])
        self.assertLess(max(t.piece for t in order.tiles), 4)
        with self.assertRaisesRegex(SliceError, "nothing was struck"):
            quantized(Round(4.0, (Stroke(0.0, 7),)), 0.5, 1.0, LENGTHS[:4])

    @given(
        st.lists(st.tuples(st.floats(-1, 17), st.integers(0, 7), st.floats(0, 1)), min_size=1,
                 max_size=60),
        st.sampled_from([1.0, 0.5, 1 / 3, 0.25, 1 / 6, 0.125]), st.floats(0, 1),
    )  # fmt: skip
    def test_whatever_is_played_makes_an_order(self, strokes, step, strength):
        played = Round(8.0, tuple(Stroke(*s) for s in strokes))
        order = quantized(played, step, strength, LENGTHS)
        self.assertTrue(0 < len(order.tiles) <= len(strokes))

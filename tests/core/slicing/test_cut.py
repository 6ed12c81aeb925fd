"""Where a loop is cut, and what mending a cut keeps."""

import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.errors import SliceError
from zeroknot.core.slicing.cut import (
    Cut,
    at_knots,
    by_attacks,
    by_beats,
    into_equal,
    nearest,
)
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import WarpMap

WARP = WarpMap.between(0.5, 4.5, 8.0)


def sure(*seconds):
    return [(second, 1.0) for second in seconds]


class WaysTest(unittest.TestCase):
    def test_sixteen_of_two_bars_are_eighths(self):
        starts = into_equal(WARP, 16)
        self.assertEqual(len(starts), 16)
        self.assertEqual(starts, by_beats(WARP, 0.5))
        self.assertAlmostEqual(starts[1] - starts[0], 0.25)

    def test_equal_pieces_are_equal_as_they_are_laid(self):
        bent = WarpMap((Knot(0.0, 0.0), Knot(1.0, 4.0), Knot(4.0, 8.0)))
        self.assertEqual(into_equal(bent, 4), (0.0, 0.5, 1.0, 2.5))
        self.assertEqual(at_knots(bent), (0.0, 1.0))

    def test_triplets_and_what_does_not_come_out_even(self):
        self.assertEqual(len(by_beats(WARP, 1 / 3)), 24)
        self.assertEqual(by_beats(WARP, 3.0), (0.5, 2.0, 3.5))

    def test_a_first_piece_of_nothing_joins_its_neighbour(self):
        cut = by_attacks(sure(0.8, 1.5, 2.0), WARP, sounds_from=0.8)
        self.assertEqual(cut, (0.5, 1.5, 2.0))
        # What sounds before the first attack is a piece of its own.
        self.assertEqual(len(by_attacks(sure(0.8, 1.5, 2.0), WARP, sounds_from=0.1)), 4)

    def test_pieces_under_twenty_ms_are_not_made_by_themselves(self):
        cut = by_attacks(sure(1.0, 1.015, 1.5, 4.49), WARP, sounds_from=0.0)
        self.assertEqual(cut, (0.5, 1.0, 1.5))

    @given(st.lists(st.tuples(st.floats(0.4, 4.6), st.floats(0, 1)), max_size=30))
    def test_a_higher_sensitivity_only_adds(self, attacks):
        few, many = (
            set(by_attacks([a for a in attacks if a[1] >= least], WARP, 0.0))
            for least in (0.6, 0.3)
        )
        self.assertLessEqual(few, many)

    def test_beats_of_a_loose_loop_are_offered_at_the_attacks(self):
        cut = nearest(by_beats(WARP, 2.0), [1.53, 2.9, 3.47], reach=0.06)
        self.assertEqual(cut, (0.5, 1.53, 2.5, 3.47))

    def test_too_many_or_none_is_said(self):
        for wrong in (
            lambda: into_equal(WARP, 0),
            lambda: by_beats(WARP, 0.0),
            lambda: into_equal(WARP, 4000),
            lambda: by_beats(WARP, float("nan")),
        ):
            with self.assertRaises(SliceError):
                wrong()


class MendedTest(unittest.TestCase):
    def setUp(self):
        self.cut = Cut((0.5, 1.5, 2.5, 3.5), tuple(Piece(name=n) for n in "abcd"))

    def names(self, cut):
        return "".join(p.name or "-" for p in cut.pieces)

    def test_an_added_cut_gives_both_parts_the_settings(self):
        more = self.cut.added(2.0, 4.5)
        self.assertEqual((more.starts, self.names(more)), ((0.5, 1.5, 2.0, 2.5, 3.5), "abbcd"))
        with self.assertRaisesRegex(SliceError, "5 ms"):
            self.cut.added(1.502, 4.5)

    def test_a_piece_joins_the_one_before_it(self):
        self.assertEqual(self.names(self.cut.joined(2)), "abd")
        with self.assertRaisesRegex(SliceError, "none before"):
            self.cut.joined(0)

    def test_a_cut_moves_between_its_neighbours(self):
        self.assertEqual(self.cut.moved(2, 2.7, 4.5).starts, (0.5, 1.5, 2.7, 3.5))
        for second in (1.5, 3.5, 9.0, float("nan")):
            with self.subTest(second), self.assertRaisesRegex(SliceError, "between 1.505 and"):
                self.cut.moved(2, second, 4.5)

    def test_cut_otherwise_the_pieces_that_match_keep_their_settings(self):
        again = self.cut.again((0.5, 1.0, 1.501, 3.499))
        self.assertEqual(self.names(again), "a-bd")

    def test_what_holds_a_second(self):
        self.assertEqual([self.cut.index_at(s) for s in (0.0, 0.5, 2.0, 9.0)], [0, 0, 1, 3])

    def test_what_does_not_hold_together_is_refused(self):
        for starts in ((), (1.0, 1.0), (2.0, 1.0)):
            with self.subTest(starts), self.assertRaises(SliceError):
                Cut(starts, (Piece(),) * len(starts))
        with self.assertRaises(SliceError):
            replace(self.cut, pieces=(Piece(),))

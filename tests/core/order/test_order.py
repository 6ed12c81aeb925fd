"""What is done to an order: by hand, and as a whole."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.errors import SliceError
from zeroknot.core.order.order import LEAST_BEATS, Order, Tile
from zeroknot.core.slicing.cut import Cut, into_equal
from zeroknot.core.warp.warp_map import WarpMap

WARP = WarpMap.between(0.0, 4.0, 8.0)


def even(pieces, beats=1.0):
    return Order(
        len(pieces) * beats, tuple(Tile(i * beats, beats, p) for i, p in enumerate(pieces))
    )


def told(order):
    return [(t.beat, t.beats, t.piece) for t in order.tiles]


def pieces(order):
    return [t.piece for t in order.tiles]


orders = st.builds(
    lambda beats, tiles: Order.of(beats, [Tile(b, n, p) for b, n, p in tiles]),
    st.sampled_from([4.0, 7.5, 16.0]),
    st.lists(
        st.tuples(st.floats(0, 15.5), st.floats(LEAST_BEATS, 4), st.integers(0, 12)), max_size=20
    ),
)


class OrderTest(unittest.TestCase):
    def test_as_cut_fills_the_pass(self):
        order = Order.as_cut(into_equal(WARP, 4), WARP)
        self.assertEqual(told(order), [(0, 2, 0), (2, 2, 1), (4, 2, 2), (6, 2, 3)])

    def test_a_mirror_twice_is_the_order(self):
        order = Order.of(8.0, [Tile(0, 1, 0), Tile(2, 3, 1), Tile(6, 1, 2)])
        self.assertEqual(told(order.mirrored()), [(1, 1, 2), (3, 3, 1), (7, 1, 0)])
        self.assertEqual(order.mirrored().mirrored(), order)

    def test_rotated_round_the_end(self):
        self.assertEqual(pieces(even([0, 1, 2, 3]).rotated(1.0)), [3, 0, 1, 2])
        self.assertEqual(told(even([0, 1, 2, 3]).rotated(0.5))[0:2], [(0.0, 0.5, 3), (0.5, 1.0, 0)])

    def test_resolution_doubled_and_halved_in_place(self):
        order = even([0, 1, 2, 3])
        doubled = order.halved({1})
        self.assertEqual(told(doubled)[1:3], [(1.0, 0.5, 1), (1.5, 0.5, 1)])
        self.assertEqual(doubled.merged({1, 2}), order)
        self.assertEqual(told(order.merged({0, 1, 2, 3})), [(0, 2, 0), (2, 2, 2)])

    def test_swapped_tiles_keep_their_places(self):
        order = Order.of(4.0, [Tile(0, 1, 0), Tile(1, 3, 1, gain_db=-3)])
        swapped = order.swapped(0, 1)
        self.assertEqual(told(swapped), [(0, 1, 1), (1, 3, 0)])
        self.assertEqual(swapped.tiles[0].gain_db, -3)

    def test_moved_copied_repeated_lie_over_what_was_there(self):
        order = even([0, 1, 2, 3])
        self.assertEqual(told(order.moved({0}, 2.0)), [(1, 1, 1), (2, 1, 0), (3, 1, 3)])
        # Past the end it goes as far as it fits in.
        self.assertEqual(told(order.moved({0, 1}, 9.0)), [(2, 1, 0), (3, 1, 1)])
        self.assertEqual(told(order.moved({2}, -9.0)), [(0, 1, 2), (1, 1, 1), (3, 1, 3)])
        self.assertEqual(pieces(order.copied({0, 1}, 2.0)), [0, 1, 0, 1])
        self.assertEqual(pieces(order.repeated({1})), [0, 1, 1, 3])
        self.assertEqual(
            told(order.copied({0}, 1.5)), [(0, 1, 0), (1, 0.5, 1), (1.5, 1, 0), (3, 1, 3)]
        )

    def test_thinned_and_only_some_beats(self):
        order = even([0, 1, 2, 3, 4, 5, 6, 7])
        self.assertEqual(pieces(order.thinned()), [0, 2, 4, 6])
        self.assertEqual(pieces(order.only(4.0, {3, 4})), [2, 3, 6, 7])

    def test_a_fill_of_the_last_beat(self):
        filled = even([0, 1, 2, 3]).filled(1.0, 0.25)
        self.assertEqual(told(filled)[3:], [(3 + k / 4, 0.25, 3) for k in range(4)])

    def test_half_and_double_time(self):
        order = even([0, 1, 2, 3])
        self.assertEqual(pieces(order.in_time(2)), [0, 1, 2, 3, 0, 1, 2, 3])
        self.assertEqual(told(order.in_time(0.5)), [(0, 2, 0), (2, 2, 1)])

    def test_longer_repeats_and_shorter_cuts_off(self):
        order = even([0, 1, 2, 3])
        self.assertEqual(pieces(order.long(6.0)), [0, 1, 2, 3, 0, 1])
        self.assertEqual(pieces(order.long(2.0)), [0, 1])

    def test_a_level_line(self):
        order = even([0, 1, 2, 3]).levelled([0, 1, 2, 3], -9.0, 0.0)
        self.assertEqual([t.gain_db for t in order.tiles], [-9, -6, -3, 0])

    @given(orders, st.floats(-20, 20))
    def test_whatever_is_done_tiles_never_lie_over_one_another(self, order, by):
        every = set(range(len(order.tiles)))
        some = {i for i in every if i % 2}
        for done in (
            order.mirrored(), order.rotated(by), order.halved(some), order.merged(some),
            order.repeated(some), order.copied(some, by), order.moved(some, by), order.thinned(),
            order.filled(1.0, 0.25), order.in_time(2), order.in_time(0.5), order.long(10.0),
            order.on_grid(0.25), order.only(4.0, {1}),
        ):  # fmt: skip
            self.assertIsInstance(done, Order)  # making one checks that it holds together


class RecutTest(unittest.TestCase):
    def setUp(self):
        self.before = Cut.at(into_equal(WARP, 4))
        self.order = Order.of(8.0, [Tile(0, 2, 3), Tile(2, 2, 1), Tile(4, 2, 2), Tile(6, 2, 0)])

    def test_a_piece_that_fell_in_two_is_played_as_both(self):
        after = self.before.added(1.5, 4.0)
        order = self.order.recut(self.before.starts, after.starts, WARP)
        self.assertEqual(told(order), [(0, 2, 4), (2, 1, 1), (3, 1, 2), (4, 2, 3), (6, 2, 0)])
        # Joined again it is what it was.
        self.assertEqual(order.recut(after.starts, self.before.starts, WARP), self.order)

    def test_reversed_its_second_part_comes_first(self):
        order = Order.of(8.0, [Tile(0, 2, 1, reverse=True)])
        after = self.before.added(1.25, 4.0)
        told_ = told(order.recut(self.before.starts, after.starts, WARP))
        self.assertEqual(told_, [(0, 1.5, 2), (1.5, 0.5, 1)])

    def test_a_cut_that_moved_is_still_the_same_tile(self):
        after = self.before.moved(1, 1.1, 4.0)
        order = self.order.recut(self.before.starts, after.starts, WARP)
        self.assertEqual([t.piece for t in order.tiles], [3, 1, 2, 0])
        self.assertEqual(order.beats, 8.0)

    def test_whatever_it_is_cut_into_no_tile_is_without_a_piece(self):
        for count in range(1, 40):
            after = into_equal(WARP, count)
            order = self.order.recut(self.before.starts, after, WARP)
            with self.subTest(count):
                self.assertTrue(all(t.piece < count for t in order.tiles))
                self.assertTrue(order.tiles)

    def test_tiles_over_one_another_are_refused(self):
        with self.assertRaisesRegex(SliceError, "one after another"):
            Order(4.0, (Tile(0, 2, 0), Tile(1, 2, 1)))
        with self.assertRaisesRegex(SliceError, "ends with the order"):
            Order(4.0, (Tile(3, 2, 0),))

"""A deal: the same seed deals the same order, and what is held stays."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.core.order.test_order import WARP, even, pieces
from zeroknot.core.order.deal import Deal, dealt
from zeroknot.core.order.order import Order

SIXTEEN = even(range(16), 0.5)
# Four kinds of four that sound alike.
KINDS = np.arange(16) % 4
DISTANCES = np.abs(KINDS[:, None] - KINDS[None]).astype(float)


class DealTest(unittest.TestCase):
    def test_the_same_seed_deals_the_same_order(self):
        """What the deal of a seed is stands in projects: it may never be another."""
        self.assertEqual(
            pieces(dealt(SIXTEEN, Deal(4127), None)),
            [2, 0, 9, 7, 8, 14, 1, 5, 10, 4, 3, 15, 11, 13, 6, 12],
        )
        self.assertEqual(dealt(SIXTEEN, Deal(7), None), dealt(SIXTEEN, Deal(7), None))
        self.assertNotEqual(dealt(SIXTEEN, Deal(7), None), dealt(SIXTEEN, Deal(8), None))

    @given(st.integers(0, 2**31 - 1))
    def test_a_reshuffle_loses_no_piece_and_keeps_what_is_held(self, seed):
        order = dealt(SIXTEEN, Deal(seed, held=(0, 5), strong=(1.0,)), None)
        self.assertEqual(sorted(pieces(order)), list(range(16)))
        self.assertEqual([pieces(order)[i] for i in (0, 2, 5, 10)], [0, 2, 5, 10])

    def test_only_some_bars_and_only_some_pieces(self):
        order = dealt(SIXTEEN, Deal(3, from_beat=4.0), None)
        self.assertEqual(pieces(order)[:8], list(range(8)))
        few = dealt(SIXTEEN, Deal(3, first=2, last=5), None)
        self.assertLessEqual({*pieces(few)}, {2, 3, 4, 5})

    @given(st.integers(0, 2**31 - 1))
    def test_like_for_like_stays_in_its_kind(self, seed):
        order = dealt(SIXTEEN, Deal(seed, like=True), DISTANCES)
        for before, after in zip(range(16), pieces(order), strict=True):
            self.assertEqual(KINDS[before], KINDS[after])
            self.assertNotEqual(before, after)

    def test_close_changes_less_of_the_sound_than_far(self):
        def change(far):
            moved = [pieces(dealt(SIXTEEN, Deal(s, far=far), DISTANCES)) for s in range(60)]
            return np.mean([DISTANCES[i, p] for m in moved for i, p in enumerate(m)])

        self.assertLess(change(0.0), 0.6 * change(1.0))

    def test_density_rolls_and_accents(self):
        orders = [dealt(SIXTEEN, Deal(s, density=0.5, rolls=0.25), None) for s in range(100)]
        tiles = [t for order in orders for t in order.tiles]
        self.assertAlmostEqual(np.mean([not t.muted for t in tiles]), 0.5, delta=0.05)
        self.assertAlmostEqual(np.mean([t.hits > 1 for t in tiles]), 0.25, delta=0.05)
        order = dealt(SIXTEEN, Deal(1, accents=1.0), None)
        self.assertEqual([t.gain_db for t in order.tiles[:4]], [0.0, -3.0, -1.0, -3.0])

    def test_one_setting_does_not_change_what_another_deals(self):
        plain, rolled = (dealt(SIXTEEN, Deal(9, rolls=r), None) for r in (0.0, 0.5))
        self.assertEqual(pieces(plain), pieces(rolled))

    def test_nothing_to_deal_is_left_as_it_is(self):
        one = Order.as_cut((0.0,), WARP)
        self.assertEqual(dealt(one, Deal(1), None), one)
        self.assertEqual(dealt(one, Deal(1, like=True), np.zeros((1, 1))), one)

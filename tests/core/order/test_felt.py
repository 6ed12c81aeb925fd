"""An order by a groove, and a groove from an order."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.groove.groove import Groove, Step, swing
from zeroknot.core.groove.hit import Hit
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.groove.take import taken
from zeroknot.core.order.felt import Heard, felt, heard_pieces, played_by
from zeroknot.core.order.order import Order, Tile

SIXTEENTHS = Order(4.0, tuple(Tile(i / 4, 0.25, i % 4) for i in range(16)))
PIECES = [Heard("low"), Heard("high"), Heard("middle"), Heard("high")]


def laid(**amounts):
    return GrooveLayer(hits=(), **amounts)


class FeltTest(unittest.TestCase):
    def test_tiles_go_where_the_groove_has_them_and_stay_side_by_side(self):
        """Common practice, no source: 66.7 % of swing puts every second sixteenth on a triplet."""
        out = felt(SIXTEENTHS, laid(), swing(200 / 3, 4), PIECES)
        for i, tile in enumerate(out.tiles):
            self.assertAlmostEqual(tile.beat, (i // 2) / 2 + (i % 2) / 3)
        for tile, following in zip(out.tiles, out.tiles[1:], strict=False):
            self.assertAlmostEqual(tile.end, following.beat)
        half = felt(SIXTEENTHS, laid(timing=0.5), swing(200 / 3, 4), PIECES)
        self.assertAlmostEqual(half.tiles[1].beat, (1 / 4 + 1 / 3) / 2)

    def test_only_registers_that_are_meant_move(self):
        out = felt(SIXTEENTHS, laid(registers=("high",)), swing(60, 2), PIECES)
        self.assertEqual(out.tiles[2].beat, 0.5)
        out = felt(SIXTEENTHS, laid(registers=("middle",)), swing(60, 2), PIECES)
        self.assertAlmostEqual(out.tiles[2].beat, 0.6)

    def test_accents_are_those_of_the_groove(self):
        groove = Groove("loud twos", 4, (Step(), Step(accent_db=6.0)))
        out = felt(SIXTEENTHS, laid(accents=1.0, timing=0.0), groove, PIECES)
        self.assertEqual([t.gain_db for t in out.tiles[:4]], [0.0, 6.0, 0.0, 6.0])
        own = [Heard("low", 0.0), Heard("high", 4.0), *PIECES[2:]]
        self.assertEqual(felt(SIXTEENTHS, laid(accents=1.0), groove, own).tiles[1].gain_db, 2.0)

    def test_nothing_of_it_is_the_order_itself(self):
        self.assertIs(felt(SIXTEENTHS, laid(timing=0.0), swing(60, 2), PIECES), SIXTEENTHS)
        self.assertIs(felt(SIXTEENTHS, laid(), None, PIECES), SIXTEENTHS)

    @given(st.lists(st.floats(-0.9, 0.9), min_size=16, max_size=16), st.floats(0, 1))
    def test_whatever_the_groove_an_order_stays_one(self, offsets, timing):
        steps = [Step(offset=o / 2) for o in offsets]
        out = felt(SIXTEENTHS, laid(timing=timing), Groove("any", 4, tuple(steps)), PIECES)
        self.assertEqual([t.piece for t in out.tiles], [t.piece for t in SIXTEENTHS.tiles])
        self.assertEqual(out.beats, 4.0)


class TakenTest(unittest.TestCase):
    def test_what_was_played_is_a_groove_and_laid_over_another_plays_alike(self):
        late = tuple(
            Tile(i / 4 + (0.06 if i % 2 else 0.0), 0.25, i % 4, gain_db=-3.0 if i % 2 else 0.0)
            for i in range(15)
        )
        groove = taken(played_by(Order.of(4.0, late), PIECES), 4, 4.0, 1.0)
        self.assertAlmostEqual(groove.steps[1].offset, 0.24, places=3)
        self.assertAlmostEqual(groove.steps[0].accent_db - groove.steps[1].accent_db, 3.0, places=2)
        again = felt(SIXTEENTHS, laid(), groove, PIECES)
        self.assertAlmostEqual(again.tiles[1].beat, 0.31, places=3)

    def test_a_piece_is_of_the_register_of_its_strongest_hit(self):
        hits = (
            Hit(0.0, 0.9, register="low", level_db=-6.0),
            Hit(0.02, 0.3, register="high"),
            Hit(0.5, 0.5, register="high", level_db=-12.0),
            Hit(1.5, 0.5, register="low"),
        )
        found = heard_pieces(hits, (0.0, 0.5, 1.0, 2.0))
        self.assertEqual(found[0], Heard("low", -3.0))
        self.assertEqual(found[1], Heard("high", -6.0))
        self.assertEqual([h.register for h in found], ["low", "high", "low"])
        self.assertEqual(heard_pieces((), (0.0, 1.0)), [Heard()])

"""Grooves: their steps, their swing, and what becomes of hits they are laid over."""

import itertools
import unittest

from hypothesis import example, given, settings
from hypothesis import strategies as st

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.feel import Feel
from zeroknot.core.groove.groove import (
    GRIDS,
    MOST_ACCENT_DB,
    REACH,
    Groove,
    Step,
    apart,
    even,
    mixed,
    swing,
    swing_ratio,
    with_step,
)
from zeroknot.core.groove.hit import REGISTERS, Hit
from zeroknot.core.groove.layer import MOST_PULL, GrooveLayer
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import WarpMap

BASE = WarpMap.between(0.5, 4.5, 8.0)  # two beats a second
SIXTEENTH = 0.125  # seconds of it

grooves = st.builds(
    Groove, name=st.just(""), per_beat=st.sampled_from(sorted(GRIDS)),
    steps=st.lists(
        st.builds(
            Step, offset=st.floats(-0.45, 0.45), accent_db=st.floats(-12, 12),
            hits=st.integers(0, 3),
        ), min_size=1,
        max_size=16,
    ).map(tuple),
)  # fmt: skip
hits = st.lists(
    st.builds(
        Hit, second=st.floats(0.5, 4.4), strength=st.floats(0, 1),
        register=st.sampled_from(REGISTERS), level_db=st.floats(-60, 0),
        sureness=st.floats(0, 1), doubt_s=st.one_of(st.just(0.0), st.floats(0, 0.05)),
    ), max_size=40, unique_by=lambda h: round(h.second, 3),
).map(lambda found: tuple(sorted(found)))  # fmt: skip


def straight(step=SIXTEENTH, strength=0.8):
    """A hit on every sixteenth of the pass."""
    return tuple(Hit(0.5 + i * step, strength) for i in range(round(4.0 / step)))


class GrooveTest(unittest.TestCase):
    def test_swing_is_the_share_that_the_first_of_two_takes(self):
        # Common practice, no source: 50 % is even, 66.7 % a triplet (2:1), 75 % dotted (3:1).
        for percent, ratio in ((50.0, 1.0), (200 / 3, 2.0), (75.0, 3.0), (60.0, 1.5)):
            for per_beat in (2, 4):
                with self.subTest(percent=percent, per_beat=per_beat):
                    made = swing(percent, per_beat)
                    self.assertAlmostEqual(swing_ratio(made), ratio)
                    second = made.target_of(1 / per_beat)
                    self.assertAlmostEqual(second.beat * per_beat / 2, percent / 100)
        for percent in (49.9, 75.1, float("nan")):
            with self.subTest(percent=percent), self.assertRaises(GrooveError):
                swing(percent, 2)

    def test_a_hit_belongs_to_the_nearest_step_within_reach(self):
        groove = Groove("", 4, (Step(0.0), Step(0.2), Step(hits=0), Step(-0.1)))
        self.assertAlmostEqual(groove.target_of(0.25).beat, 0.3)
        self.assertAlmostEqual(groove.target_of(0.25 + 0.24 * REACH).beat, 0.3)
        self.assertIsNone(groove.target_of(0.25 + 0.26 * REACH))
        self.assertIsNone(groove.target_of(0.5))  # a step of no hits says nothing
        self.assertAlmostEqual(groove.target_of(8.75).beat, 8.725)  # over and over
        self.assertAlmostEqual(groove.target_of(-0.25).beat, -0.275)

    def test_what_is_no_groove_is_refused(self):
        for per_beat, steps in (
            (9, (Step(),)), (4, ()), (4, (Step(0.6), Step(-0.5))), (4, (Step(),) * 10_000),
        ):  # fmt: skip
            with self.subTest(per_beat=per_beat), self.assertRaises(GrooveError):
                Groove("", per_beat, steps)
        for wrong in ({"offset": 1.1}, {"offset": float("nan")}, {"spread": -1}, {"hits": -1}):
            with self.subTest(wrong), self.assertRaises(GrooveError):
                Step(**wrong)

    def test_two_are_mixed_by_a_share(self):
        one, other = even(4), swing(60.0, 4)
        for share in (0.0, 0.25, 1.0):
            self.assertAlmostEqual(mixed(one, other, share).steps[1].offset, 0.2 * share)
        silent = Groove("", 4, (Step(hits=0), Step(hits=0)))
        self.assertAlmostEqual(mixed(silent, other, 0.0).steps[1].offset, 0.2)
        with self.assertRaises(GrooveError):
            mixed(even(4), even(3), 0.5)

    def test_two_are_as_far_apart_as_their_steps(self):
        # 20 % of a sixteenth at 120 BPM is 25 ms, on every second step.
        found = apart(even(4), swing(60.0, 4), 120.0)
        self.assertAlmostEqual(found.ms, 25.0 / 2**0.5)
        self.assertEqual(found.db, 0.0)
        loud = Groove("", 4, (Step(accent_db=3.0), Step(accent_db=-3.0)))
        self.assertAlmostEqual(apart(loud, even(4), 120.0).db, 3.0)
        self.assertEqual(
            apart(swing(60.0, 2), even(4), 120.0).ms, apart(even(4), swing(60.0, 2), 120.0).ms
        )
        self.assertIsNone(apart(even(4), Groove("", 4, (Step(hits=0),)), 120.0))

    def test_a_register_goes_by_its_own_steps_where_it_has_them(self):
        low = (Step(0.1, accent_db=2.0), Step(hits=0))
        groove = Groove("", 4, (Step(), Step(0.2)), low=low)
        self.assertAlmostEqual(groove.target_of(0.0, "low").beat, 0.025)
        self.assertEqual(groove.target_of(0.0, "low").accent_db, 2.0)
        self.assertAlmostEqual(groove.target_of(0.25, "low").beat, 0.3)  # all say it
        self.assertEqual(groove.target_of(0.0, "high").beat, 0.0)
        with self.assertRaises(GrooveError):
            Groove("", 4, (Step(), Step()), low=(Step(),))

    def test_a_step_is_drawn_by_hand(self):
        drawn = with_step(swing(60.0, 4), 1, None, -0.1, 4.0)
        self.assertEqual((drawn.steps[1].offset, drawn.steps[1].accent_db), (-0.1, 4.0))
        own = with_step(swing(60.0, 4), 0, "low", 0.05, 0.0)
        self.assertEqual((own.low[0].offset, own.low[1].offset), (0.05, own.steps[1].offset))
        for number in (-1, 2):
            with self.assertRaises(GrooveError):
                with_step(even(4), number, None, 0.0, 0.0)


class FeelTest(unittest.TestCase):
    """Common practice, no source: a groove begins anew at the bar line where it is changed to."""

    SONG = Feel(((0.0, swing(60.0, 4)), (16.0, None), (32.0, swing(70.0, 2))))

    def test_it_changes_where_it_is_said_to(self):
        for beat, wanted in ((0.25, 0.3), (15.75, 15.8), (32.5, 32.7), (33.5, 33.7)):
            with self.subTest(beat=beat):
                self.assertAlmostEqual(self.SONG.from_beat(0.0).target_of(beat).beat, wanted)
        self.assertIsNone(self.SONG.from_beat(0.0).target_of(20.0))
        self.assertIsNone(self.SONG.from_beat(0.0).target_of(-1.0))
        # A little before the change is early on its one.
        self.assertAlmostEqual(self.SONG.from_beat(0.0).target_of(31.9).beat, 32.0)

    def test_a_pass_counts_from_where_it_lies(self):
        self.assertAlmostEqual(self.SONG.from_beat(8.25).target_of(0.0).beat, 0.05)

    def test_passes_with_the_same_phase_are_laid_alike(self):
        self.assertEqual(self.SONG.phase(0.0, 4.0), self.SONG.phase(4.5, 4.0))
        self.assertNotEqual(self.SONG.phase(0.0, 4.0), self.SONG.phase(4.25, 4.0))
        self.assertNotEqual(self.SONG.phase(0.0, 4.0), self.SONG.phase(32.0, 4.0))
        self.assertEqual(self.SONG.phase(14.0, 4.0), 14.0)  # across a change
        self.assertEqual(Feel().phase(3.0, 4.0), Feel().phase(7.0, 4.0))


class AccentTest(unittest.TestCase):
    def test_a_hit_is_as_loud_against_its_register_as_the_groove_says(self):
        hits = tuple(
            hit._replace(level_db=-20.0 - 6.0 * (i % 2), register="high" if i % 4 else "low")
            for i, hit in enumerate(straight())
        )
        groove = Groove("", 4, (Step(accent_db=2.0), Step(accent_db=-1.0)))
        layer = GrooveLayer(hits, groove, timing=0.0, accents=0.5)
        for move in layer.moves(BASE):
            wanted = 0.5 * (move.accent_db - move.own_db)
            self.assertAlmostEqual(move.gain_db, wanted)
        lows = [m.own_db for m in layer.moves(BASE) if m.hit.register == "low"]
        self.assertEqual(set(lows), {0.0})
        self.assertIs(layer.over(BASE), BASE)
        self.assertEqual(GrooveLayer(hits, groove).gains(BASE), ())

    def test_registers_that_are_left_stay(self):
        hits = tuple(hit._replace(register="low") for hit in straight())
        layer = GrooveLayer(hits, swing(70.0, 4), accents=1.0, registers=("high",))
        self.assertIs(layer.over(BASE), BASE)
        self.assertEqual(layer.gains(BASE), ())


class LayerTest(unittest.TestCase):
    def test_a_straight_loop_goes_onto_a_shuffle(self):
        layer = GrooveLayer(straight(), swing(62.0, 4), timing=0.95)
        laid = layer.over(BASE)
        for i, hit in enumerate(straight()):
            wanted = (i + (0.95 * 0.24 if i % 2 else 0.0)) / 4
            self.assertAlmostEqual(laid.beat_of_second(hit.second), wanted, places=9)

    def test_nothing_is_the_loop_itself_and_so_is_everything_taken_back(self):
        layer = GrooveLayer(straight(), swing(70.0, 4), timing=0.0)
        self.assertIs(layer.over(BASE), BASE)

    def test_quantizing_is_laying_the_even_groove_over_it(self):
        late = tuple(hit._replace(second=hit.second + 0.02) for hit in straight())
        laid = GrooveLayer(late, even(4)).over(BASE)
        for i, hit in enumerate(late[1:], 1):
            self.assertAlmostEqual(laid.beat_of_second(hit.second), i / 4, places=6, msg=i)
        # The one stays where it is: what was hit after it comes as near as the stretch allows.
        self.assertAlmostEqual(laid.beat_of_second(late[0].second), 0.04 / MOST_PULL)

    def test_what_belongs_to_no_step_goes_along_with_its_neighbours(self):
        lost = 0.5 + 2.5 * SIXTEENTH
        layer = GrooveLayer(tuple(sorted((*straight(), Hit(lost, 0.3)))), swing(66.0, 4))
        moved = {m.second: m for m in layer.moves(BASE)}
        self.assertIsNone(moved[lost].target)
        # Half way between a hit that stays and one that goes 0.32 of a sixteenth.
        self.assertAlmostEqual(moved[lost].after - moved[lost].before, 0.16 / 4)
        laid = layer.over(BASE)
        self.assertAlmostEqual(laid.beat_of_second(lost), moved[lost].after)
        self.assertEqual(len(laid.knots), 33)  # it has no knot of its own

    def test_a_register_that_is_left_stays_where_it_is_between_those_that_move(self):
        hits = tuple(
            h._replace(register="low" if i % 4 == 1 else "high") for i, h in enumerate(straight())
        )
        layer = GrooveLayer(hits, swing(66.0, 4), registers=("high",))
        for move in layer.moves(BASE):
            if move.hit.register == "low":
                self.assertEqual(move.after, move.before)

    def test_a_flam_moves_as_one_led_by_its_strongest(self):
        pair = Hit(0.5 + SIXTEENTH - 0.02, 0.2), Hit(0.5 + SIXTEENTH, 0.9)
        moved = GrooveLayer(pair, swing(70.0, 4)).moves(BASE)
        self.assertAlmostEqual(moved[1].after, 0.25 * 1.4)
        self.assertAlmostEqual(moved[1].after - moved[0].after, 0.04)  # as far apart as before

    def test_none_passes_its_neighbour_and_that_is_said(self):
        crowded = tuple(Hit(0.5 + i * SIXTEENTH, 0.9) for i in (0.0, 1.0, 1.38))
        moved = GrooveLayer(crowded, Groove("", 4, (Step(), Step(0.9)))).moves(BASE)
        self.assertTrue(any(m.held for m in moved))
        self.assertEqual(sorted(m.after for m in moved), [m.after for m in moved])

    def test_it_lies_over_what_is_straightened_and_is_computed_anew(self):
        """The amounts of what lies below may change: never from a result."""
        layer = GrooveLayer(straight(4 * SIXTEENTH / 2), swing(60.0, 2))
        bent = WarpMap((Knot(0.5, 0.0), Knot(2.6, 4.0), Knot(4.5, 8.0)))
        laid = layer.over(bent)
        second = 0.5 + SIXTEENTH * 2
        below = bent.beat_of_second(second)
        self.assertAlmostEqual(below, 0.4762, places=3)
        self.assertAlmostEqual(laid.beat_of_second(second), 0.6)

    @settings(max_examples=200, deadline=None)
    @given(grooves, hits, st.floats(0.0, 1.0))
    @example(even(2), (Hit(2.39526, 0.0), Hit(2.39592, 0.0)), 1.0)
    def test_whatever_is_laid_it_rises_keeps_the_ends_and_pulls_no_gap_too_far(
        self, groove, found, timing
    ):
        layer = GrooveLayer(found, groove, timing, accents=1.0)
        laid = layer.over(BASE)
        self.assertEqual((laid.zero, laid.end), (BASE.zero, BASE.end))
        beats = [k.beat for k in laid.knots]
        self.assertEqual(beats, sorted(beats))
        moved = [m for m in layer.moves(BASE) if m.second >= 0.501]
        for a, b in itertools.pairwise(moved):
            pull = (b.after - a.after) / (b.before - a.before)
            self.assertLess(1 / MOST_PULL - 1e-6, pull)
            self.assertLess(pull, MOST_PULL + 1e-6)
        for _, gain in layer.gains(BASE):
            self.assertLessEqual(abs(gain), MOST_ACCENT_DB)


if __name__ == "__main__":
    unittest.main()

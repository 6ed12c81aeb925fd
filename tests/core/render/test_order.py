"""What an order sounds like: as it was cut the pass itself, else its pieces, without a click."""

import itertools
import unittest
from dataclasses import replace

import numpy as np

from tests.sounds import RATE, audio, drum_loop, sine
from zeroknot.core.errors import SliceError
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.order.order import Order, Tile
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.order_plan import plan_order
from zeroknot.core.render.order_run import OrderRendering
from zeroknot.core.render.plan import plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.slicing.cut import Cut, into_equal
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.slicing.shape import Shape
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.warp.warp_map import WarpMap

BPM = 104.0


class Laid(unittest.TestCase):
    """A loop of two bars, cut up and put in order."""

    def setUp(self):
        self.sound = audio(np.concatenate([np.zeros(4410), drum_loop(96, 2), np.zeros(9000)]))
        self.warp = WarpMap.between(0.1, 0.1 + 5.0, 8.0)
        self.base = self.laid("strike")

    def laid(self, method, **more):
        return plan_pass(
            source="a" * 64, rate=RATE, warp=self.warp, tempo_map=TempoMap.steady(BPM),
            start_beat=0.0, lead_from=0.05, tail_to=5.2, method=method, **more,
        )  # fmt: skip

    def cut(self, count=16, **pieces):
        cut = Cut.at(into_equal(self.warp, count))
        changed = [replace(p, **pieces.get(f"p{i}", {})) for i, p in enumerate(cut.pieces)]
        return Cut(cut.starts, tuple(changed))

    def frame_of(self, beat):
        return int(np.floor(beat * 60 / BPM * RATE + 0.5))

    def plan(self, order=None, cut=None, base=None, channels=1):
        cut = cut or self.cut()
        order = order or Order.as_cut(cut.starts, self.warp)
        return plan_order(
            base=base or self.base, cut=cut, order=order, frame_of=self.frame_of, channels=channels
        )

    def rendered(self, plan, sound=None):
        sound = sound or self.sound
        sources = [Rendering(sound, Attacks.none(), s) for s in plan.sources]
        return OrderRendering(plan, sources)

    def heard(self, *args, **more):
        plan = self.plan(*args, **more)
        return self.rendered(plan).whole()[:, plan.lead_frames :]


class OrderTest(Laid):
    def test_as_it_was_cut_it_is_the_pass_to_the_bit(self):
        for method in ("strike", "weave"):
            with self.subTest(method):
                base = self.laid(method)
                plan = self.plan(base=base)
                self.assertEqual(len(plan.voices), 2)  # what leads in, and the pass
                np.testing.assert_array_equal(
                    self.rendered(plan).whole(),
                    Rendering(self.sound, Attacks.none(), base).whole(),
                )

    def test_its_text_reads_back_as_it_was(self):
        plan = self.plan(Order.as_cut(self.cut().starts, self.warp).mirrored())
        self.assertEqual(plan_of_text(plan.text), plan)
        self.assertNotEqual(plan.digest, self.plan().digest)

    def test_a_piece_lies_where_its_tile_does(self):
        whole = Rendering(self.sound, Attacks.none(), self.base)
        order = Order(8.0, (Tile(3.0, 0.5, 4),))
        out = self.heard(order)[0]
        start, stop = (self.base.output_frame(self.cut().starts[i]) for i in (4, 5))
        at, quiet = self.frame_of(3.0), round(0.01 * RATE)
        piece = whole.frames(self.base.lead_frames + start, stop - start)[0]
        # Its attack keeps its edge: not a sample of it is faded in.
        np.testing.assert_array_equal(out[at : at + quiet], piece[:quiet])
        self.assertFalse(out[: at - quiet].any())
        self.assertFalse(out[at + (stop - start) + quiet :].any())

    def test_a_reversed_piece_is_the_piece_from_its_end(self):
        forward = self.heard(Order(8.0, (Tile(2.0, 0.5, 4),)))[0]
        backward = self.heard(Order(8.0, (Tile(2.0, 0.5, 4, reverse=True),)))[0]
        a, b = self.frame_of(2.0), self.frame_of(2.5)
        inside = slice(400, b - a - 400)
        difference = backward[a:b][inside] - forward[a:b][::-1][inside]
        self.assertLess(np.abs(difference).max(), 1e-6)

    def test_two_reverses_are_none(self):
        cut = self.cut(p4={"reverse": True})
        once = self.heard(Order(8.0, (Tile(2.0, 0.5, 4, reverse=True),)), cut)
        plain = self.heard(Order(8.0, (Tile(2.0, 0.5, 4),)))
        np.testing.assert_array_equal(once, plain)

    def test_a_roll_rises_evenly(self):
        tile = Tile(2.0, 1.0, 0, hits=4, rise_db=9.0)
        out = self.heard(Order(8.0, (tile,)))[0]
        edges = [self.frame_of(2.0 + k / 4) for k in range(5)]
        peaks = [np.abs(out[a:b]).max() for a, b in itertools.pairwise(edges)]
        steps = 20 * np.log10(np.asarray(peaks[1:]) / np.asarray(peaks[:-1]))
        np.testing.assert_allclose(steps, 3.0, atol=0.05)
        # The last is as loud as the tile alone.
        alone = self.heard(Order(8.0, (replace(tile, rise_db=0.0),)))[0]
        self.assertAlmostEqual(peaks[3], np.abs(alone[edges[3] : edges[4]]).max(), places=5)

    def test_no_edge_clicks(self):
        """A steady tone cut anywhere and put anywhere: no step is steeper than its own."""
        tone = audio(sine(997.0, 6.0, level=0.5))
        base = self.laid("strike")
        random = np.random.default_rng(5)
        steepest = np.abs(np.diff(tone.samples[0])).max()
        for seed in range(20):
            pieces = random.permutation(16)
            tiles = tuple(
                Tile(i / 2, 0.5, int(p), reverse=bool(random.random() < 0.3), gain_db=-float(i % 3))
                for i, p in enumerate(pieces)
            )
            plan = self.plan(Order(8.0, tiles), base=base)
            axis = self.rendered(plan, tone).whole()[0]
            once = axis[plan.lead_frames :][: plan.body_frames]
            twice = np.concatenate([once, once])
            self.assertLess(np.abs(np.diff(twice)).max(), 1.05 * steepest, seed)

    def test_pans_by_equal_power_and_in_the_middle_it_is_as_it_was(self):
        """Web Audio, StereoPanner: a stereo sound half to the left keeps cos 45° of the right."""
        order = Order(8.0, (Tile(2.0, 0.5, 4),))
        middle = self.heard(order)
        left = self.heard(order, self.cut(p4={"pan": -0.5}))
        self.assertEqual((middle.shape[0], left.shape[0]), (1, 2))
        half = np.sqrt(0.5)
        np.testing.assert_allclose(left[0], middle[0] * (1 + half), atol=1e-6)
        np.testing.assert_allclose(left[1], middle[0] * half, atol=1e-6)

    def test_lengths_as_recorded_and_filling_the_tile(self):
        seconds = 5.0 / 16
        order = Order(8.0, (Tile(2.0, 1.0, 4),))
        for length, wanted in (("laid", 0.5 * 60 / BPM), ("left", seconds), ("filled", 60 / BPM)):
            with self.subTest(length):
                plan = self.plan(order, self.cut(p4={"length": length}))
                voice = plan.voices[0]
                self.assertAlmostEqual((voice.frames - voice.fade_in) / RATE, wanted, delta=1e-4)

    def test_what_rings_goes_on_past_its_tile_and_else_it_stops(self):
        order = Order(8.0, (Tile(7.75, 0.25, 4),))
        self.assertEqual(self.plan(order).tail_frames, 0)
        rings = self.plan(order, self.cut(p4={"rings": True}))
        self.assertAlmostEqual(rings.tail_frames, 0.25 * 60 / BPM * RATE, delta=2)

    def test_what_leads_in_is_heard_at_the_end_of_the_round_before(self):
        """Before the first tile's cut lies its fade-in: round the end, so that no round clicks."""
        plan = self.plan(Order(8.0, (Tile(0.0, 0.5, 4),)))
        out = self.rendered(plan).whole()[0]
        self.assertEqual(plan.lead_frames, 0)
        self.assertTrue(out[-round(0.002 * RATE) :].any())
        self.assertFalse(out[self.frame_of(4.0) : -200].any())

    def test_blocks_are_the_whole(self):
        tiles = tuple(Tile(i / 2, 0.5, (5 * i) % 16, reverse=i % 3 == 0) for i in range(16))
        rendering = self.rendered(self.plan(Order(8.0, tiles)))
        blocks = [rendering.block(i) for i in range(rendering.plan.blocks)]
        np.testing.assert_array_equal(np.concatenate(blocks, axis=1), rendering.whole())

    def test_cuts_stay_in_sense_wherever_the_body_was_moved(self):
        """A person may read the loop anew after it was cut; what is then outside is left out."""
        whole = Rendering(self.sound, Attacks.none(), self.base).whole()
        for by in (-50.0, -3.0, -0.2, 0.2, 3.0, 50.0):
            cut = self.cut()
            cut = Cut(tuple(s + by for s in cut.starts), cut.pieces)
            with self.subTest(by):
                order = Order.as_cut(cut.starts, self.warp)
                self.assertAlmostEqual(sum(t.beats for t in order.tiles), 8.0)
                plan = self.plan(order, cut)
                np.testing.assert_array_equal(self.rendered(plan).whole(), whole)

    def test_muted_pieces_and_tiles_rest(self):
        order = Order(8.0, (Tile(2.0, 0.5, 4, muted=True), Tile(3.0, 0.5, 5)))
        cut = self.cut(p5={"muted": True})
        self.assertFalse(self.heard(order, cut).any())

    def test_shifted_pieces_are_rendered_once_a_shift(self):
        tiles = tuple(Tile(i / 2, 0.5, i, semitones=float(i % 3)) for i in range(16))
        plan = self.plan(Order(8.0, tiles), base=self.laid("weave"))
        self.assertEqual(sorted(s.semitones for s in plan.sources), [0.0, 1.0, 2.0])

    def test_a_piece_has_limits_that_are_said(self):
        for wrong in ({"pan": 2.0}, {"gain_db": 20.0}, {"semitones": 60.0}, {"length": "other"}):
            with self.subTest(wrong), self.assertRaisesRegex(Exception, "from|one of"):
                Piece(**wrong)


class TogetherTest(Laid):
    """Several pieces at once, groups of which one sounds, what rings on after its tile."""

    def test_pieces_at_once_are_their_sum(self):
        cut = self.cut()
        a, b = Order(8.0, (Tile(2.0, 0.5, 3),)), Order(8.0, (Tile(2.0, 0.5, 6),))
        both = Order(8.0, (Tile(2.0, 0.5, 3, also=(6,)),))
        alone = [self.heard(order, cut) for order in (a, b)]
        np.testing.assert_allclose(self.heard(both, cut), sum(alone), atol=1e-6)
        with self.assertRaisesRegex(SliceError, "at once"):
            Tile(0.0, 1.0, 2, also=(2,))

    def ringing(self, **more):
        """A long piece in a short tile, and another a beat later."""
        cut = self.cut(4, p0={"rings": True, **more}, p1=more)
        return self.plan(Order(8.0, (Tile(0.5, 0.5, 0), Tile(1.5, 0.5, 1))), cut)

    def test_of_a_choke_group_one_sounds(self):
        long, other = self.ringing().voices
        self.assertGreater(long.frames, self.frame_of(1.5))
        choked, _ = self.ringing(choke=1).voices
        self.assertEqual(choked.at + choked.frames, other.at + other.fade_in)
        self.assertGreater(choked.fade_out, 0)

    def test_what_rings_past_the_round_is_choked_by_what_begins_the_next(self):
        cut = self.cut(2, p0={"rings": True, "choke": 2}, p1={"choke": 2})
        order = Order(8.0, (Tile(0.5, 0.5, 1), Tile(7.0, 0.5, 0)))
        last = self.plan(order, cut).voices[-1]
        self.assertAlmostEqual(last.at + last.frames, self.frame_of(8.5), delta=1)

    def test_a_release_rings_on_after_the_tile_and_falls(self):
        cut = self.cut(2, p0={"shape": Shape(release_ms=300.0)})
        plan = self.plan(Order(8.0, (Tile(0.5, 0.5, 0),)), cut, self.laid("weave"))
        (voice,) = plan.voices
        held = self.frame_of(1.0)
        self.assertEqual(voice.at + voice.frames, held + round(0.3 * RATE))
        tone = audio(np.concatenate([np.zeros(4410), sine(330.0, 6.0, 0.5)]))
        sources = [Rendering(tone, Attacks.none(), s) for s in plan.sources]
        out = np.abs(OrderRendering(plan, sources).whole()[0, plan.lead_frames :])
        for after, share in ((0.075, np.e**-1), (0.15, np.e**-2)):  # four time constants in 300 ms
            at = held + round(after * RATE)
            self.assertAlmostEqual(out[at - 200 : at + 200].max(), 0.5 * share, delta=0.02)

    def test_a_piece_may_have_a_method_of_its_own(self):
        plan = self.plan(cut=self.cut(4, p2={"method": "spool"}))
        self.assertEqual([s.method for s in plan.sources], ["strike", "spool"])
        self.assertEqual(plan_of_text(plan.text), plan)
        with self.assertRaisesRegex(SliceError, "method is one of"):
            Piece(method="nothing")

    def test_a_sway_goes_from_side_to_side_by_beats(self):
        cut = self.cut(1, p0={"sway": 1.0, "sway_beats": 4.0})
        plan = self.plan(cut=cut, base=self.laid("weave"))
        tone = audio(np.concatenate([np.zeros(4410), sine(330.0, 6.0, 0.5)]))
        sources = [Rendering(tone, Attacks.none(), s) for s in plan.sources]
        out = OrderRendering(plan, sources).whole()[:, plan.lead_frames :]
        self.assertEqual(plan.channels, 2)

        def sides(beat):
            at = self.frame_of(beat)
            return np.abs(out[:, at - 100 : at + 100]).max(axis=1)

        left, right = sides(1.0)  # a quarter of its period: all to the right
        self.assertLess(left, 0.02 * right)
        left, right = sides(3.0)
        self.assertLess(right, 0.02 * left)
        np.testing.assert_allclose(*sides(2.0), rtol=0.05)

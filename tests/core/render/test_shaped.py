"""A piece is shaped from where it begins: level, pitch, filter, drive."""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.render.test_order import Laid
from tests.sounds import RATE, audio, pitch_of, sine
from zeroknot.core.errors import SliceError
from zeroknot.core.order.order import Order, Tile
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.shaped import shaped
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.shape import Shape

TONE = sine(440.0, 1.0, 0.5)[None].astype(np.float32)


class ShapedTest(unittest.TestCase):
    def test_what_says_nothing_is_no_shape(self):
        self.assertIsNone(Shape().heard)
        self.assertIsNone(Shape(cutoff_hz=500.0, sweep=3.0, sustain=0.5, bend_ms=9.0).heard)
        self.assertEqual(Shape(filter="low").heard, Shape(filter="low"))

    def test_level_rises_and_decays_to_what_is_sustained(self):
        out = np.abs(shaped(TONE, Shape(attack_ms=100, decay_ms=200, sustain=0.25), RATE, 0)[0])

        def peak(at):
            return out[round(at * RATE) : round((at + 0.01) * RATE)].max()

        self.assertAlmostEqual(peak(0.045), 0.25, delta=0.03)
        self.assertGreater(peak(0.095), 0.45)
        self.assertAlmostEqual(peak(0.6), 0.125, delta=0.005)

    def test_what_leads_in_is_as_it_was(self):
        out = shaped(TONE, Shape(decay_ms=50, sustain=0.0, bend=12.0), RATE, 400)
        np.testing.assert_allclose(out[0, 50:360], TONE[0, 50:360], atol=1e-4)

    def test_pitch_begins_higher_and_comes_back(self):
        out = shaped(TONE, Shape(bend=12.0, bend_ms=400.0), RATE, 0)[0]
        self.assertAlmostEqual(pitch_of(out[round(0.6 * RATE) : round(0.8 * RATE)]), 440, delta=1)
        early = pitch_of(out[: round(0.02 * RATE)])
        self.assertGreater(early, 780.0)

    def test_drive_keeps_full_scale_and_makes_soft_things_louder(self):
        out = shaped(0.2 * TONE, Shape(drive_db=18.0), RATE, 0)
        self.assertGreater(np.abs(out).max(), 0.3)
        loud = shaped(2.0 * TONE, Shape(drive_db=18.0), RATE, 0)
        self.assertLessEqual(np.abs(loud).max(), 1.0 + 1e-6)

    def test_limits_are_said(self):
        for wrong in ({"cutoff_hz": 5.0}, {"sustain": 2.0}, {"drive_db": 90.0}, {"filter": "x"}):
            with self.subTest(wrong), self.assertRaisesRegex(SliceError, "from|one of"):
                Shape(**wrong)


class InAnOrderTest(Laid):
    SHAPE = Shape(filter="low", cutoff_hz=600.0, sweep=3.0, decay_ms=120.0, sustain=0.2, bend=-3.0)

    def shaped_cut(self):
        cut = self.cut()
        return Cut(cut.starts, tuple(replace(p, shape=self.SHAPE) for p in cut.pieces))

    def test_each_slice_is_shaped_from_its_own_begin(self):
        plan = self.plan(cut=self.shaped_cut())
        self.assertEqual(len([v for v in plan.voices if v.shape]), len(plan.voices))
        self.assertGreaterEqual(len(plan.voices), 16)
        self.assertEqual(plan_of_text(plan.text), plan)

    def test_blocks_of_shaped_pieces_are_the_whole(self):
        tiles = tuple(Tile(i / 2, 0.5, (5 * i) % 16, reverse=i % 3 == 0) for i in range(16))
        rendering = self.rendered(self.plan(Order(8.0, tiles), self.shaped_cut()))
        blocks = [rendering.block(i) for i in range(rendering.plan.blocks)]
        np.testing.assert_array_equal(np.concatenate(blocks, axis=1), rendering.whole())

    def test_a_shaped_tone_does_not_click(self):
        tone = audio(sine(997.0, 6.0, level=0.5))
        steepest = np.abs(np.diff(tone.samples[0])).max()
        tiles = tuple(Tile(i / 2, 0.5, (7 * i) % 16) for i in range(16))
        cut = self.cut()
        shape = Shape(attack_ms=3.0, decay_ms=200.0, sustain=0.3)
        cut = Cut(cut.starts, tuple(replace(p, shape=shape) for p in cut.pieces))
        plan = self.plan(Order(8.0, tiles), cut)
        once = self.rendered(plan, tone).whole()[0]
        self.assertLess(np.abs(np.diff(once)).max(), 1.1 * steepest)

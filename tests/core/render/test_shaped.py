"""A piece is shaped from where it begins: level, pitch, filter, drive."""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.render.test_order import Laid
from tests.sounds import RATE, audio, pitch_of, sine
from zeroknot.core.errors import SliceError
from zeroknot.core.order.order import Order, Tile
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.shaped import Struck, shaped
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.shape import Shape

TONE = sine(440.0, 1.0, 0.5)[None].astype(np.float32)


class ShapedTest(unittest.TestCase):
    def test_what_says_nothing_is_no_shape(self):
        self.assertIsNone(Shape().heard)
        self.assertIsNone(Shape(cutoff_hz=500.0, sweep=3.0, sustain=0.5, bend_ms=9.0).heard)
        self.assertEqual(Shape(filter="low").heard, Shape(filter="low"))

    def test_level_rises_and_decays_to_what_is_sustained(self):
        out = np.abs(
            shaped(TONE, Shape(attack_ms=100, decay_ms=200, sustain=0.25), RATE, Struck(0, RATE))[0]
        )

        def peak(at):
            return out[round(at * RATE) : round((at + 0.01) * RATE)].max()

        self.assertAlmostEqual(peak(0.045), 0.25, delta=0.03)
        self.assertGreater(peak(0.095), 0.45)
        self.assertAlmostEqual(peak(0.6), 0.125, delta=0.005)

    def test_what_leads_in_is_as_it_was(self):
        out = shaped(TONE, Shape(decay_ms=50, sustain=0.0, bend=12.0), RATE, Struck(400, RATE))
        np.testing.assert_allclose(out[0, 50:360], TONE[0, 50:360], atol=1e-4)

    def test_pitch_begins_higher_and_comes_back(self):
        out = shaped(TONE, Shape(bend=12.0, bend_ms=400.0), RATE, Struck(0, RATE))[0]
        self.assertAlmostEqual(pitch_of(out[round(0.6 * RATE) : round(0.8 * RATE)]), 440, delta=1)
        early = pitch_of(out[: round(0.02 * RATE)])
        self.assertGreater(early, 780.0)

    def test_a_bend_rises_stays_and_goes_when_it_is_let_go(self):
        """Up within 200 ms to an octave, half of which stays, and none of it in the end."""
        shape = Shape(
            bend=12.0, bend_rise_ms=200.0, bend_ms=50.0, bend_sustain=0.5, release_ms=100.0
        )
        tone = sine(440.0, 3.0, 0.5)[None].astype(np.float32)
        out = shaped(tone, shape, RATE, Struck(0, round(0.8 * RATE)))[0]

        def at(second):
            return pitch_of(out[round(second * RATE) : round((second + 0.06) * RATE)])

        self.assertLess(at(0.0), 520.0)
        self.assertAlmostEqual(at(0.5), 440.0 * 2**0.5, delta=3)
        self.assertAlmostEqual(at(1.2), 440.0, delta=3)

    def test_a_slow_wave_goes_by_beats_from_where_it_is_struck_in_the_bar(self):
        """White noise through a low pass whose cutoff goes up and down once in two beats."""
        noise = np.random.default_rng(3).normal(0.0, 0.1, (1, 2 * RATE)).astype(np.float32)
        shape = Shape(filter="low", cutoff_hz=800.0, wave=2.0, wave_beats=2.0)

        def loudest_quarter(beat):
            out = shaped(noise, shape, RATE, Struck(0, 2 * RATE, beat, RATE))[0]
            return int(np.argmax([np.mean(q**2) for q in np.split(out, 8)]))

        self.assertIn(loudest_quarter(0.0), (1, 2))  # highest half a beat after its zero
        self.assertIn(loudest_quarter(1.0), (5, 6))  # struck a beat later, it is on its way down

    def test_drive_keeps_full_scale_and_makes_soft_things_louder(self):
        out = shaped(0.2 * TONE, Shape(drive_db=18.0), RATE, Struck(0, RATE))
        self.assertGreater(np.abs(out).max(), 0.3)
        loud = shaped(2.0 * TONE, Shape(drive_db=18.0), RATE, Struck(0, RATE))
        self.assertLessEqual(np.abs(loud).max(), 1.0 + 1e-6)

    def test_limits_are_said(self):
        for wrong in (
            {"cutoff_hz": 5.0},
            {"sustain": 2.0},
            {"drive_db": 90.0},
            {"filter": "x"},
            {"wave": 9.0},
            {"wave_beats": 0.0},
            {"bend_sustain": -1.0},
        ):
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

import json
import unittest
from dataclasses import replace

import numpy as np

from tests.sounds import RATE, audio, hits, rendered, sine
from zeroknot.core.errors import StretchError
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import find_attacks
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.pass_file import folded
from zeroknot.core.render.plan import lead_and_tail, plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import WarpMap


def plan_of(warp, tempo_map, beat=0.0, lead_from=None, tail_to=None, **more):
    return plan_pass(
        source="aa", rate=RATE, warp=warp, tempo_map=tempo_map, start_beat=beat,
        lead_from=warp.zero.second if lead_from is None else lead_from,
        tail_to=warp.end.second if tail_to is None else tail_to, **more,
    )  # fmt: skip


class PlanTest(unittest.TestCase):
    def test_ten_minutes_of_a_bar_at_97_end_on_the_exact_sample(self):
        warp = WarpMap((Knot(0, 0), Knot(1.1, 1.75), Knot(2.5, 4)))
        tempo_map = TempoMap.steady(97)
        plans = [plan_of(warp, tempo_map, 4.0 * i) for i in range(243)]
        # 243 · 4 · 60 / 97 · 44 100 = 26 514 556.7
        self.assertEqual(sum(p.body_frames for p in plans), 26_514_557)
        # At one tempo a pass has at most two renders.
        self.assertEqual(len({p.digest for p in plans}), 2)

    def test_equal_pieces_of_tempo_share_a_render(self):
        tempo_map = TempoMap((TempoPoint(0, 90), TempoPoint(16, 120), TempoPoint(32, 90)))
        warp = WarpMap.between(0.2, 3, 4)
        self.assertEqual(plan_of(warp, tempo_map, 4).digest, plan_of(warp, tempo_map, 40).digest)
        self.assertNotEqual(plan_of(warp, tempo_map, 4).digest, plan_of(warp, tempo_map, 20).digest)

    def test_everything_that_has_a_say_is_in_the_address(self):
        plan = plan_of(WarpMap.between(0, 2, 4), TempoMap.steady(100))
        for field, other in (
            ("source", "bb"), ("rate", 48_000), ("knots", ((0.0, 0), (2.1, plan.body_frames))),
            ("body_frames", 1), ("lead_from", -0.1), ("tail_to", 2.5), ("method", "spool"),
            ("settings", StretchSettings(formants=1.0)), ("version", 99), ("semitones", 1.0),
            ("crossfade_s", 0.01),
        ):  # fmt: skip
            with self.subTest(field):
                self.assertNotEqual(replace(plan, **{field: other}).digest, plan.digest)
                self.assertEqual(
                    plan_of_text(replace(plan, **{field: other}).text).text,
                    replace(plan, **{field: other}).text,
                )
        self.assertEqual(plan_of_text(plan.text), plan)
        # What is as it is by itself is not said, so a field that comes later changes no address.
        self.assertEqual(
            set(json.loads(plan.text)),
            {"kind", "source", "rate", "knots", "body_frames", "lead_from", "tail_to", "method",
             "version"},
        )  # fmt: skip

    def test_the_one_stays_whatever_lies_beside_it(self):
        """A knot of the lead that is nearer than a frame yields to the one."""
        for off in (2e-6, 1e-5, 1.5e-5):
            warp = WarpMap((Knot(-1.0, -4), Knot(0.5, -off), Knot(1.0, 0), Knot(3.0, 4)))
            for beat in (0.0, 4.0, 7.3):
                with self.subTest(off=off, beat=beat):
                    plan = plan_of(warp, TempoMap.steady(117.3), beat, lead_from=-0.5)
                    self.assertEqual((plan.zero_second, plan.end_second), (1.0, 3.0))

    def test_a_ramp_is_followed_within_a_millisecond_at_every_beat(self):
        # 80 to 158 over eight bars: the plan's map against the tempo map at every quarter beat.
        tempo_map = TempoMap((TempoPoint(0, 80, "ramp", 0.7), TempoPoint(32, 158)))
        warp = WarpMap.between(0.0, 16.0, 32)
        plan = plan_of(warp, tempo_map)
        for beat in np.arange(0, 32, 0.125):
            output = float(plan.time_map.output_of(np.array([warp.second_of_beat(beat)]))[0])
            off = output / RATE - tempo_map.second_of_beat(beat)
            self.assertLess(abs(off), 0.0002, beat)

    def test_spool_ignores_a_shift(self):
        plan = plan_of(
            WarpMap.between(0, 2, 4),
            TempoMap.steady(100),
            settings=StretchSettings(formants=1.0),
            semitones=3,
            method="spool",
        )
        self.assertEqual((plan.settings, plan.semitones), (StretchSettings(), 0))

    def test_a_shift_beyond_what_can_be_heard_through_is_refused(self):
        for semitones in (-25, 24.5, float("nan")):
            with self.subTest(semitones), self.assertRaisesRegex(StretchError, "-24 to 24"):
                plan_of(WarpMap.between(0, 2, 4), TempoMap.steady(100), semitones=semitones)


class LeadAndTailTest(unittest.TestCase):
    warp = WarpMap.between(1.0, 3.0, 4)

    def test_lead(self):
        self.assertEqual(lead_and_tail(self.warp, (0.4, 3.0), (), True)[0], 0.4)
        self.assertEqual(lead_and_tail(self.warp, (0.4, 3.0), (), False)[0], 1.0)
        # Eight beats at most: half a second a beat.
        far = WarpMap.between(60.0, 62.0, 4)
        self.assertEqual(lead_and_tail(far, (0.0, 62.0), (), True)[0], 56.0)

    def test_tail_stops_at_the_next_hit(self):
        for name, attacks, expected in (
            ("rings", (), 3.7),
            ("next hit", (1.0, 3.3), 3.298),
            ("next bar follows at once", (1.0, 3.0), 3.0),
        ):
            with self.subTest(name):
                _, tail = lead_and_tail(self.warp, (0, 3.7), attacks, True)
                self.assertAlmostEqual(tail, expected)

    def test_lead_body_and_tail_together_are_the_recording(self):
        # Unstretched, the three parts are copied; a little stretched they still join seamlessly.
        sound = audio(sine(150, 4.0))
        plan = plan_of(self.warp, TempoMap.steady(120), 0.0, lead_from=0.5, tail_to=3.5)
        axis = Rendering(sound, Attacks.none(), plan).whole()
        np.testing.assert_array_equal(axis, sound.samples[:, 22_050 : 22_050 + 132_300])
        plan = plan_of(self.warp, TempoMap.steady(117), 0.0, lead_from=0.5, tail_to=3.5)
        axis = Rendering(sound, Attacks.none(), plan).whole()[0]
        inside = axis[2000:-2000]
        # A break in the wave would be a step near 0.1; the wave itself bends by 0.0002 a sample.
        self.assertLess(np.abs(np.diff(inside, 2)).max(), 0.004)

    def test_a_pickup_is_heard_before_the_one(self):
        sound = audio(hits([0.5, 1.0, 2.0], 3.0))
        plan = plan_of(self.warp, TempoMap.steady(150), lead_from=0.5)
        axis = Rendering(sound, find_attacks(sound), plan).whole()
        found = find_attacks(audio(axis)).seconds - plan.lead_frames / RATE
        # 120 BPM to 150: 0.8 times as long; the pickup was half a second before the one.
        np.testing.assert_allclose(found, [-0.4, 0.0, 0.8], atol=0.003)

    def test_prints(self):
        sound = rendered("bass_97")
        warp = WarpMap.between(0.0, sound.seconds - 0.5, 4)
        plan = plan_of(warp, TempoMap.steady(120), tail_to=sound.seconds)
        rendering = Rendering(sound, find_attacks(sound), plan)
        axis, body = rendering.whole(), plan.body_frames
        wrap, cut, ring = (folded(plan, axis, seam, False) for seam in ("wrap", "cut", "ring"))
        self.assertEqual((wrap.shape[1], cut.shape[1]), (body, body))
        self.assertEqual(ring.shape[1], body + plan.tail_frames)
        np.testing.assert_allclose(
            wrap[:, : plan.tail_frames],
            cut[:, : plan.tail_frames] + ring[:, body:], atol=1e-6,
        )  # fmt: skip

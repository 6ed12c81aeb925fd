"""Accents: a gain from hit to hit that is over before the attack and never jumps."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from zeroknot.core.audio import Audio
from zeroknot.core.groove.groove import MOST_ACCENT_DB
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.clicks import ClickPlan
from zeroknot.core.render.gain_envelope import BEFORE_ATTACK_SECONDS, RAMP_SECONDS, envelope
from zeroknot.core.render.plan import plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.warp.warp_map import WarpMap

RATE = 44_100
BODY = 2 * RATE
STEEPEST = 2 * MOST_ACCENT_DB / (RAMP_SECONDS * RATE)  # dB a frame, of a ramp with all its room

db = st.floats(-MOST_ACCENT_DB, MOST_ACCENT_DB)


class EnvelopeTest(unittest.TestCase):
    def test_a_gain_is_there_before_its_attack_and_holds_until_the_next_begins_to_move(self):
        gains = ((0, 6.0), (RATE, -6.0))
        found = 20 * np.log10(envelope(gains, BODY, RATE, 0, BODY))
        early = round(BEFORE_ATTACK_SECONDS * RATE)
        for frame, wanted in ((0, 6.0), (RATE - early, -6.0), (RATE, -6.0), (BODY - early, 6.0)):
            self.assertAlmostEqual(found[frame], wanted, places=6, msg=frame)
        moves = round((BEFORE_ATTACK_SECONDS + RAMP_SECONDS) * RATE)
        self.assertAlmostEqual(found[RATE - moves], 6.0, places=6)

    def test_nothing_is_changed_without_gains(self):
        self.assertTrue((envelope((), BODY, RATE, -100, BODY + 200) == 1.0).all())

    @settings(max_examples=60, deadline=None)
    @given(st.dictionaries(st.integers(-RATE, BODY - 1), db, min_size=1, max_size=12))
    def test_it_never_jumps_round_the_circle_into_the_tail_or_from_the_lead(self, found):
        gains = tuple(sorted(found.items()))
        level = 20 * np.log10(envelope(gains, BODY, RATE, -RATE, RATE + BODY + 500))
        self.assertLessEqual(np.abs(np.diff(level)).max(), STEEPEST * 1.01)
        body = level[RATE : RATE + BODY]
        self.assertLessEqual(abs(body[0] - body[-1]), STEEPEST * 1.01)

    def test_blocks_are_the_whole(self):
        gains = ((-5_000, 3.0), (0, -4.0), (30_000, 5.0), (60_000, 0.0))
        whole = envelope(gains, BODY, RATE, -RATE, 4 * RATE)
        parts = [envelope(gains, BODY, RATE, -RATE + i * 4_410, 4_410) for i in range(40)]
        np.testing.assert_array_equal(whole, np.concatenate(parts))


class PlanTest(unittest.TestCase):
    def plan(self, **more):
        return plan_pass(
            source="s", rate=RATE, warp=WarpMap.between(0.0, 2.0, 4.0),
            tempo_map=TempoMap.steady(120.0), start_beat=0.0, lead_from=0.0, tail_to=2.0, **more,
        )  # fmt: skip

    def test_without_gains_the_address_is_as_it_was_before_there_were_any(self):
        self.assertEqual(self.plan().digest, self.plan(gains=()).digest)
        self.assertNotIn("gains", self.plan().text)
        self.assertNotIn("lengths_by", self.plan(lengths_by=WarpMap.between(0.0, 2.0, 4.0)).text)

    def test_ticks_are_read_again_after_a_restart(self):
        plan = ClickPlan(RATE, 2, BODY, ((0, 0.0, 2), (22_050, -3.5, 0)))
        self.assertEqual(plan_of_text(plan.text), plan)

    def test_what_is_written_is_read_again(self):
        other = WarpMap.between(0.0, 2.0, 4.0).with_span(4.0)
        plan = self.plan(gains=((0.5, 3.0), (1.0, -2.5)), lengths_by=other)
        self.assertEqual(plan.gains, ((22_050, 3.0), (44_100, -2.5)))
        self.assertEqual(plan_of_text(plan.text), plan)

    def test_a_copy_is_scaled_hit_by_hit_and_nothing_else(self):
        chance = np.random.default_rng(3)
        sound = Audio(chance.uniform(-0.5, 0.5, (2, BODY)).astype(np.float32), RATE)
        plain = Rendering(sound, Attacks.none(), self.plan()).whole()
        np.testing.assert_array_equal(plain, sound.samples)
        plan = self.plan(gains=((0.5, 6.0), (1.0, 0.0)))
        loud = Rendering(sound, Attacks.none(), plan).whole()
        np.testing.assert_array_equal(loud[:, :21_000], plain[:, :21_000])
        inside = slice(22_050, 43_000)
        ratio = loud[:, inside] / plain[:, inside]
        np.testing.assert_allclose(ratio, 10 ** (6 / 20), rtol=1e-5)


if __name__ == "__main__":
    unittest.main()

"""Rendered sound against the tempo map: every beat of a ramp within a millisecond."""

import unittest

import numpy as np
from scipy import integrate

from tests.sounds import RATE, audio, hits, sine
from zeroknot.core.listening.material import material_of
from zeroknot.core.render.plan import plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.core.warp.warp_map import WarpMap

BEATS = 32  # 8 bars of 4/4
SOURCE_BPM = 110.0


def starts_near(out, frames):
    """Frames at which a burst begins, near where each is expected: first over a tenth of it."""
    found = []
    for at in frames:
        first = max(0, at - round(0.03 * RATE))
        part = np.abs(out[first : at + round(0.03 * RATE)])
        found.append(first + int(np.argmax(part > 0.1 * part.max())))
    return np.asarray(found)


class RampTest(unittest.TestCase):
    """Source: BPM along the ramp as stated, its integral by SciPy's quad."""

    def setUp(self):
        beat = 60 / SOURCE_BPM
        times = 0.02 + np.arange(BEATS) * beat
        samples = hits(times, BEATS * beat + 0.5)
        # Over a quiet tone, so that nothing is trivially silent between the hits.
        samples += 0.01 * sine(330, samples.size / RATE)[: samples.size]
        self.sound = audio(samples)
        self.warp = WarpMap.between(0.02, 0.02 + BEATS * beat, float(BEATS))

    def test_every_beat_of_80_to_158_over_8_bars_is_within_a_millisecond(self):
        for bend in (0.0, 2.5, -2.5):
            tempo = TempoMap((
                TempoPoint(0.0, 80.0, "ramp", bend), TempoPoint(float(BEATS), 158.0)
            ))  # fmt: skip
            wanted = []
            for beat in range(BEATS):
                seconds, _ = integrate.quad(lambda b, t=tempo: 60.0 / t.bpm_at(b), 0, beat)
                wanted.append(seconds)
            for method in ("strike", "weave", "voice", "spool"):
                with self.subTest(method=method, bend=bend):
                    plan = plan_pass(
                        source="", rate=RATE, warp=self.warp, tempo_map=tempo, start_beat=0.0,
                        lead_from=0.02, tail_to=self.warp.end.second, method=method,
                    )  # fmt: skip
                    attacks = material_of(self.sound).attacks
                    out = Rendering(self.sound, attacks, plan).whole()[0][plan.lead_frames :]
                    expected = np.round(np.asarray(wanted) * RATE).astype(int)
                    off = (starts_near(out, expected) - expected) / RATE
                    self.assertLess(np.abs(off).max(), 0.001, np.round(1000 * off, 2))
                    self.assertEqual(plan.body_frames, tempo.frame_of_beat(BEATS, RATE))

    def test_notes_between_the_beats_are_where_the_map_has_them(self):
        tempo = TempoMap((TempoPoint(0.0, 80.0, "ramp", 4.0), TempoPoint(float(BEATS), 158.0)))
        plan = plan_pass(
            source="", rate=RATE, warp=self.warp, tempo_map=tempo, start_beat=0.0,
            lead_from=0.02, tail_to=self.warp.end.second, method="notes",
        )  # fmt: skip
        beats = np.arange(0, BEATS, 1 / 12)
        seconds = np.asarray([self.warp.second_of_beat(b) for b in beats])
        exact = np.asarray([tempo.second_of_beat(b) for b in beats])
        self.assertLess(np.abs(plan.time_map.output_of(seconds) / RATE - exact).max(), 1e-4)

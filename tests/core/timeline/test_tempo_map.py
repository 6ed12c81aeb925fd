import itertools
import unittest

from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from zeroknot.core.errors import TimeError
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint

bpms = st.floats(20, 400)
bends = st.floats(-8, 8)


@st.composite
def tempo_maps(draw):
    gaps = draw(st.lists(st.floats(0.25, 200), min_size=1, max_size=6))
    beat, points = draw(st.floats(-16, 16)), []
    for gap in gaps:
        shape = draw(st.sampled_from(["step", "ramp"]))
        points.append(TempoPoint(beat, draw(bpms), shape, draw(bends)))
        beat += gap
    return TempoMap(tuple(points))


class TempoMapTest(unittest.TestCase):
    @given(tempo_maps(), st.floats(-100, 1500))
    def test_second_and_beat_are_inverse(self, tempo_map, beat):
        second = tempo_map.second_of_beat(beat)
        self.assertAlmostEqual(tempo_map.beat_of_second(second), beat, delta=1e-9 * (1 + abs(beat)))

    @given(tempo_maps(), st.floats(-50, 900), st.floats(1e-3, 100))
    def test_seconds_rise_with_beats(self, tempo_map, beat, more):
        self.assertLess(tempo_map.second_of_beat(beat), tempo_map.second_of_beat(beat + more))

    @given(bpms, bpms, bends, st.floats(0.5, 64))
    def test_a_ramp_is_the_integral_of_its_tempo(self, start, end, bend, beats):
        # Against numerical integration (SciPy quad), as CHECKS asks: to 1e-9.
        tempo_map = TempoMap((TempoPoint(0, start, "ramp", bend), TempoPoint(beats, end)))
        expected, _ = quad(
            lambda x: 60 / tempo_map.bpm_at(min(x, beats * (1 - 1e-15))), 0, beats,
            epsabs=1e-12, epsrel=1e-12, limit=200,
        )  # fmt: skip
        self.assertAlmostEqual(
            tempo_map.second_of_beat(beats), expected, delta=1e-9 * max(1, expected)
        )

    def test_limits_of_the_bend(self):
        for name, points, beat, second in (
            # Linear in beats: ∫ 60 / (60 + 60 x) dx over 0…1 = ln 2.
            ("k = 0", (TempoPoint(0, 60, "ramp"), TempoPoint(1, 120)), 1, 0.6931471805599453),
            # Geometric (A = 0, k = ln 2): ∫ 2^−x dx over 0…1 = (1 − 1/2) / ln 2.
            ("A = 0", (TempoPoint(0, 60, "ramp", 0.6931471805599453), TempoPoint(1, 120)), 1,
             0.5 / 0.6931471805599453),
            ("constant", (TempoPoint(0, 90, "ramp", 3.0), TempoPoint(4, 90)), 4, 4 * 60 / 90),
        ):  # fmt: skip
            with self.subTest(name):
                tempo_map = TempoMap(points)
                self.assertAlmostEqual(tempo_map.second_of_beat(beat), second, places=12)

    def test_ramp_hits_its_tempos(self):
        tempo_map = TempoMap((TempoPoint(0, 80, "ramp", 1.5), TempoPoint(32, 158)))
        self.assertAlmostEqual(tempo_map.bpm_at(0), 80)
        self.assertAlmostEqual(tempo_map.bpm_at(31.999999), 158, places=3)
        self.assertEqual(tempo_map.bpm_at(40), 158)
        self.assertEqual(tempo_map.bpm_at(-4), 80)

    def test_facts_of_the_trade(self):
        # Common practice, no source: four bars at 90 BPM are 10.667 s.
        self.assertAlmostEqual(TempoMap.steady(90).second_of_beat(16), 10.667, places=3)
        # Dropped unstretched into a project at 140 they end a little past bar 7, …
        self.assertAlmostEqual(TempoMap.steady(140).beat_of_second(16 * 60 / 90) / 4 + 1, 7.22, 2)
        # … four bars at 130 a little past bar 5.
        self.assertAlmostEqual(TempoMap.steady(140).beat_of_second(16 * 60 / 130) / 4 + 1, 5.31, 2)

    def test_frames_never_accumulate(self):
        # 97 BPM at 44.1 kHz: a bar is 109 113.402… frames, so passes alternate by one sample.
        tempo_map = TempoMap.steady(97)
        ends = [tempo_map.frame_of_beat(4 * i, 44_100) for i in range(244)]
        lengths = {b - a for a, b in itertools.pairwise(ends)}
        self.assertEqual(lengths, {109_113, 109_114})
        # Ten minutes and a bar: 243 bars · 4 beats · 60 / 97 · 44 100 = 26 514 556.70…
        self.assertEqual(ends[243], 26_514_557)

    def test_each_wrong_input_is_refused_by_itself(self):
        for name, make in {
            "no points": lambda: TempoMap(()),
            "two on one beat": lambda: TempoMap((TempoPoint(0, 90), TempoPoint(0, 100))),
            "falling beats": lambda: TempoMap((TempoPoint(4, 90), TempoPoint(0, 100))),
            "too slow": lambda: TempoPoint(0, 19.9),
            "too fast": lambda: TempoPoint(0, 400.1),
            "not a number": lambda: TempoPoint(0, float("nan")),
            "endless beat": lambda: TempoPoint(float("inf"), 90),
            "unknown shape": lambda: TempoPoint(0, 90, "curve"),
            "bent too far": lambda: TempoPoint(0, 90, "ramp", 8.1),
        }.items():
            with self.subTest(name), self.assertRaises(TimeError):
                make()

    def test_steadiness(self):
        tempo_map = TempoMap((TempoPoint(0, 90), TempoPoint(16, 90), TempoPoint(32, 100)))
        self.assertTrue(tempo_map.is_steady_between(4, 30))
        self.assertTrue(tempo_map.is_steady_between(-8, 32))
        self.assertFalse(tempo_map.is_steady_between(30, 34))
        self.assertEqual(tempo_map.breaks_between(0, 33), (16, 32))

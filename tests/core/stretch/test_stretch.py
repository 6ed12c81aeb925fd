import unittest

import numpy as np

from tests.sounds import RATE, audio, hits, pitch_of, rendered, sine
from zeroknot.core.errors import StretchError
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import find_attacks
from zeroknot.core.render.pass_file import folded
from zeroknot.core.render.plan import plan_pass, plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.core.units import semitones_of_ratio
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import WarpMap


def stretched(sound, ratio, method="weave", semitones=0.0, threads=2):
    plan = plan_ratio(
        source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=ratio,
        semitones=semitones, method=method,
    )  # fmt: skip
    return folded(plan, Rendering(sound, find_attacks(sound), plan, threads).whole(), "wrap", False)


def step_db(loop):
    """The largest step at the seam over the largest steps inside, in dB: a click stands out."""
    curve = np.abs(np.diff(np.concatenate([loop, loop]), 3))
    seam = curve[loop.size - 4 : loop.size + 2].max()
    return 20 * np.log10(seam / np.percentile(curve[: loop.size - 8], 99.9))


class EveryMethodTest(unittest.TestCase):
    def test_length_is_exact(self):
        sound = rendered("bass_97")
        for method in METHODS:
            for ratio in (0.5, 0.937, 1.0, 1.31, 2.0):
                with self.subTest(method=method, ratio=ratio):
                    self.assertEqual(
                        stretched(sound, ratio, method).shape[1],
                        int(np.floor(sound.frames * ratio + 0.5)),
                    )

    def test_mono_in_stereo_stays_mono_bit_for_bit(self):
        one = rendered("keys_88").samples[:1]
        sound = audio(np.concatenate([one, one]))
        for method in METHODS:
            with self.subTest(method):
                left, right = stretched(sound, 1.21, method)
                np.testing.assert_array_equal(left, right)

    def test_channels_keep_their_relation(self):
        one = rendered("keys_88").samples[0]
        left, right = stretched(audio(np.stack([one, -0.5 * one])), 0.8)
        np.testing.assert_allclose(right, -0.5 * left, atol=2e-6)

    def test_silence_stays_silence(self):
        for method in METHODS:
            with self.subTest(method):
                self.assertEqual(np.abs(stretched(audio(np.zeros(30_000)), 1.3, method)).max(), 0)

    def test_unstretched_is_a_copy_bit_for_bit(self):
        sound = rendered("drums_103")
        for method in METHODS:
            if method != "scatter":  # chosen for its grains, which are heard at any length
                with self.subTest(method):
                    np.testing.assert_array_equal(stretched(sound, 1.0, method), sound.samples)

    def test_the_same_whatever_is_asked_for_first_and_on_however_many_cores(self):
        sound = rendered("drums_103")
        attacks = find_attacks(sound)
        for method in METHODS:
            plan = plan_ratio(
                source="", rate=RATE, source_frames=sound.frames, duration_ratio=1.17,
                method=method,
            )  # fmt: skip
            whole = Rendering(sound, attacks, plan, threads=1).whole()
            late_first = Rendering(sound, attacks, plan, threads=2)
            blocks = [late_first.block(i) for i in reversed(range(plan.blocks))]
            with self.subTest(method):
                np.testing.assert_array_equal(np.concatenate(blocks[::-1], axis=1), whole)

    def test_repeated_passes_have_no_click_at_the_seam(self):
        # A tone that fits the loop a whole number of times has no seam of its own; stretched, the
        # seam may be at most 1 dB over the steps inside (CHECKS.md).
        sound = audio(sine(220, 2.0) + sine(331, 2.0, 0.3))
        for method in METHODS:
            for ratio in (0.8, 1.25):
                with self.subTest(method=method, ratio=ratio):
                    self.assertLess(step_db(stretched(sound, ratio, method)[0]), 1.0)

    def test_low_and_high_rates(self):
        for rate in (8_000, 96_000):
            sound = audio(sine(440, 1.0, rate=rate), rate)
            for method, pitch in (("weave", 440.0), ("spool", 352.0)):
                with self.subTest(rate=rate, method=method):
                    out = stretched(sound, 1.25, method)
                    self.assertAlmostEqual(pitch_of(out[0], rate), pitch, delta=0.6)


class WeaveTest(unittest.TestCase):
    def test_pitch_is_kept_and_level_too(self):
        for hertz in (110.0, 440.0, 2500.0):
            for ratio in (0.7, 1.4):
                with self.subTest(hertz=hertz, ratio=ratio):
                    out = stretched(audio(sine(hertz, 3.0)), ratio)[0]
                    cents = 100 * semitones_of_ratio(pitch_of(out) / hertz)
                    self.assertLess(abs(cents), 3.0)
                    self.assertAlmostEqual(float(np.sqrt(np.mean(out**2))), 0.3536, delta=0.012)

    def test_an_octave_is_an_octave(self):
        # Fact of the trade: +12 semitones at equal length is one octave up.
        sound = audio(sine(330, 2.0))
        for semitones, expected in ((12, 660.0), (-12, 165.0), (2, 370.4)):
            with self.subTest(semitones):
                out = stretched(sound, 1.0, semitones=semitones)
                self.assertEqual(out.shape[1], sound.frames)
                self.assertAlmostEqual(pitch_of(out[0]), expected, delta=expected * 0.002)

    def test_attacks_land_where_the_map_puts_them(self):
        times = np.array([0.0, 0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5])
        for ratio in (0.75, 1.3):
            out = stretched(audio(hits(times, 4.0)), ratio)
            found = find_attacks(audio(out)).seconds
            for time in times * ratio:
                with self.subTest(ratio=ratio, time=time):
                    self.assertLess(np.abs(found - time).min(), 0.003)

    def test_attacks_stay_sharp(self):
        # The first 5 ms of each hit keep their energy: smeared attacks lose it to the left.
        times = np.array([0.25, 0.75, 1.25, 1.75])
        source = hits(times, 2.0)
        out = stretched(audio(source), 1.5)[0]

        def share(samples, at):
            first = round(at * RATE)
            around = np.sum(np.square(samples[first - 2000 : first + 2000]))
            return np.sum(np.square(samples[first - 20 : first + 220])) / around

        for time in times:
            with self.subTest(time):
                self.assertGreater(share(out, time * 1.5), 0.8 * share(source, time))


class SpoolTest(unittest.TestCase):
    def test_pitch_follows_speed(self):
        # Shift is 12 · log2(new tempo / old tempo) semitones (DESIGN).
        out = stretched(audio(sine(500, 2.0)), 0.8, "spool")[0]
        self.assertAlmostEqual(pitch_of(out), 500 / 0.8, delta=0.05)

    def test_nothing_folds_back(self):
        # 15 kHz at double speed would be 30 kHz: it must vanish, not come back at 14.1 kHz.
        out = stretched(audio(sine(15_000, 1.0)), 0.5, "spool")[0]
        self.assertLess(20 * np.log10(np.abs(out[2000:-2000]).max() / 0.5), -100)


class TimeMapsTest(unittest.TestCase):
    def test_many_knots_and_a_ramp_render_without_clicks(self):
        sound = audio(sine(200, 4.0))
        inner = [Knot(i * 0.5 + 0.04 * (-1) ** i, float(i)) for i in range(1, 8)]
        warp = WarpMap((Knot(0, 0), *inner, Knot(4, 8)))
        tempo_map = TempoMap((TempoPoint(0, 100, "ramp"), TempoPoint(8, 140)))
        plan = plan_pass(
            source="", rate=RATE, warp=warp, tempo_map=tempo_map, start_beat=0.0, lead_from=0.0,
            tail_to=4.0,
        )  # fmt: skip
        self.assertEqual(plan.body_frames, tempo_map.frame_of_beat(8, RATE))
        out = Rendering(sound, Attacks.none(), plan).whole()[0]
        curve = np.abs(np.diff(out, 2))
        steady = 0.5 * (2 * np.pi * 200 / RATE) ** 2
        self.assertLess(curve.max(), 6 * steady)

    def test_beyond_eight_times_is_refused(self):
        for ratio in (0.12, 8.1):
            with self.subTest(ratio), self.assertRaises(StretchError):
                plan_ratio(
                    source="", rate=RATE, source_frames=44_100, duration_ratio=ratio,
                    method="weave",
                )  # fmt: skip

"""What each method promises, and what all of them do whatever the time map."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.sounds import RATE, audio, drum_loop, hits, pitch_of, rendered, sine
from zeroknot.core.errors import StretchError
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.render.pass_file import folded
from zeroknot.core.render.plan import RenderPlan, plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import StretchSettings

KEEPING = [key for key, m in METHODS.items() if m.family == "keep"]


def plan_of(points, method, semitones=0.0, **told):
    """One pass of a recording along (second, output frame) points."""
    return RenderPlan(
        source="", rate=RATE, knots=tuple(points), body_frames=points[-1][1],
        lead_from=points[0][0], tail_to=points[-1][0], method=method,
        settings=StretchSettings(**told).told(METHODS[method].uses), semitones=semitones,
        version=METHODS[method].version,
    )  # fmt: skip


def rendering(sound, plan, attacks=None):
    return Rendering(sound, all_attacks(sound) if attacks is None else attacks, plan, 1)


def made(sound, ratio, method, attacks=None, semitones=0.0, **told):
    plan = plan_ratio(
        source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=ratio,
        method=method, settings=StretchSettings(**told), semitones=semitones,
    )  # fmt: skip
    return folded(plan, rendering(sound, plan, attacks).whole(), "wrap", False)


@st.composite
def time_maps(draw):
    """Up to two seconds in two to eight segments, each an eighth to eight times as long."""
    count = draw(st.integers(1, 7))
    lengths = draw(st.lists(st.floats(0.06, 0.3), min_size=count + 1, max_size=count + 1))
    ratios = draw(st.lists(st.floats(-2.9, 2.9), min_size=count + 1, max_size=count + 1))
    points, second, frame = [(0.0, 0)], 0.0, 0
    for length, octaves in zip(lengths, ratios, strict=True):
        second += length
        frame += max(2, round(length * RATE * 2.0**octaves))
        points.append((second, frame))
    return points


class AnyMapTest(unittest.TestCase):
    """CHECKS and DESIGN: any time map, 1/8…8, exact length, silence, mono, level."""

    @settings(max_examples=20, deadline=None)
    @given(time_maps(), st.sampled_from(list(METHODS)), st.integers(0, 2**31))
    def test_any_map_has_its_exact_length_and_stays_finite(self, points, method, seed):
        seconds = points[-1][0]
        noise = 0.2 * np.random.default_rng(seed).standard_normal(round(seconds * RATE))
        sound = audio(np.stack([noise + hits((0.1, 0.5), seconds)] * 2)[:, : noise.size])
        plan = plan_of(points, method)
        out = rendering(sound, plan).whole()
        self.assertEqual(out.shape, (2, points[-1][1]))
        self.assertTrue(np.isfinite(out).all())
        np.testing.assert_array_equal(out[0], out[1])
        if method in KEEPING:
            self.assertLess(np.abs(out).max(), 1.13 * np.abs(sound.samples).max())

    @settings(max_examples=40, deadline=None)
    @given(time_maps(), st.sampled_from(KEEPING))
    def test_pieces_are_the_same_in_any_order(self, points, method):
        sound = audio(np.tile(drum_loop(120, 1)[: round(points[-1][0] * RATE) + 1], (2, 1)))
        plan = plan_of(points, method)
        attacks = all_attacks(sound)
        whole = Rendering(sound, attacks, plan, 1).whole()
        other = Rendering(sound, attacks, plan, 2)
        parts = [other.block(i) for i in reversed(range(plan.blocks))][::-1]
        np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)

    def test_what_rings_for_seconds_is_the_same_block_by_block(self):
        # A hit every three seconds, three times as long: moments without one are anchors, too.
        fall = np.exp(-np.arange(3 * RATE) / RATE)
        hit = fall * np.random.default_rng(1).standard_normal(fall.size)
        sound = audio(0.2 * np.tile(hit, 2))
        for method in KEEPING:
            with self.subTest(method):
                plan = plan_of([(0.0, 0), (6.0, 18 * RATE)], method)
                one = rendering(sound, plan)
                parts = [one.block(i) for i in range(plan.blocks)]
                np.testing.assert_array_equal(np.concatenate(parts, axis=1), one.whole())

    def test_level_is_linear_and_never_louder_by_more_than_1_db(self):
        sound = rendered("keys_88")
        half = audio(sound.samples * np.float32(0.5))
        attacks = all_attacks(sound)
        for method in KEEPING:
            with self.subTest(method):
                one, other = (made(s, 0.61, method, attacks) for s in (sound, half))
                np.testing.assert_allclose(other, 0.5 * one, atol=1e-6)
                self.assertLess(20 * np.log10(np.abs(one).max() / sound.peak()), 1.0)

    def test_shifts_of_two_octaves_keep_length_and_pitch(self):
        sound = audio(sine(440, 1.5))
        for method in KEEPING:
            for semitones in (-24, -7, 0.5, 24):
                with self.subTest(method=method, semitones=semitones):
                    out = made(sound, 1.0, method, Attacks.none(), semitones=semitones)
                    self.assertEqual(out.shape[1], sound.frames)
                    wanted = 440 * 2 ** (semitones / 12)
                    self.assertAlmostEqual(pitch_of(out[0]), wanted, delta=0.01 * wanted)

    def test_settings_outside_their_limits_are_refused(self):
        for told in ({"jitter_seconds": 25}, {"formants": 1.1}, {"density": 0}, {"seed": -1}):
            with self.subTest(told), self.assertRaises(StretchError):
                StretchSettings(**told)

    def test_what_a_method_has_no_use_for_does_not_change_its_address(self):
        plans = [
            plan_ratio(
                source="", rate=RATE, source_frames=RATE, duration_ratio=1.2, method="weave",
                settings=StretchSettings(density=density),
            )
            for density in (2, 8)
        ]  # fmt: skip
        self.assertEqual(plans[0].digest, plans[1].digest)


class StrikeTest(unittest.TestCase):
    def test_every_hit_is_untouched_at_the_very_sample(self):
        times = np.asarray([0.0, 0.25, 0.375, 0.5, 0.75])
        sound = audio(hits(times, 1.0))
        attacks = Attacks(times, np.ones(5), np.ones(5))
        # A map of its own for every gap.
        frames = np.asarray([0, 9_000, 15_000, 21_777, 40_000, 52_000])
        plan = plan_of(
            [(float(s), int(f)) for s, f in zip([*times, 1.0], frames, strict=True)], "strike"
        )
        out = rendering(sound, plan, attacks).whole()[0]
        for second, frame in zip(times, frames[:-1], strict=True):
            with self.subTest(second):
                first = round(second * RATE)
                np.testing.assert_allclose(
                    out[frame : frame + 1500], sound.samples[0, first : first + 1500], atol=1e-5
                )

    def test_a_flam_stays_two_hits(self):
        first, second = np.asarray([0.1, 0.6]), np.asarray([0.132, 0.632])
        samples = hits(first, 1.0) + 0.9 * hits(second, 1.0, seed=5)
        for ratio in (0.7, 1.6):
            out = made(audio(samples), ratio, "strike")[0]
            for time in (*first, *second):
                with self.subTest(ratio=ratio, time=time):
                    # The hit's first 4 ms, wherever they went within half a millisecond.
                    wanted = samples[round(time * RATE) :][:176]
                    place = round(time * ratio * RATE)
                    near = np.lib.stride_tricks.sliding_window_view(
                        out[place - 22 : place + 220], 176
                    )
                    alike = near @ wanted / np.linalg.norm(wanted) / np.linalg.norm(near, axis=1)
                    self.assertGreater(alike.max(), 0.97)

    def test_a_gap_is_filled_with_the_decay_that_falls_on(self):
        # A decaying noise, 30 dB a second; twice as long it must go on falling as it fell.
        t = np.arange(RATE) / RATE
        fall = 10 ** (-30 * t / 20)
        sound = audio(0.5 * np.random.default_rng(5).standard_normal(RATE) * fall)
        attacks = Attacks(np.zeros(1), np.ones(1), np.ones(1))
        out = made(sound, 1.8, "strike", attacks)[0]
        levels = [
            10 * np.log10(np.mean(np.square(out[round(s * RATE) :][:4_410])))
            for s in (0.4, 0.9, 1.1, 1.5)
        ]
        for k, seconds in ((1, 0.5), (2, 0.7), (3, 1.1)):
            self.assertAlmostEqual(levels[0] - levels[k], 30 * seconds, delta=3.0)

    def test_kicks_keep_their_lows_and_hats_their_brightness(self):
        loop = drum_loop(110, 2)
        out = made(audio(loop), 1.35, "strike")[0]

        def share(samples, low, high):
            power = np.abs(np.fft.rfft(samples)) ** 2
            hz = np.fft.rfftfreq(samples.size, 1 / RATE)
            return 10 * np.log10(power[(hz >= low) & (hz < high)].sum() / power.sum())

        for low, high in ((30, 120), (120, 2_000), (5_000, 16_000)):
            with self.subTest(low=low):
                self.assertAlmostEqual(share(out, low, high), share(loop, low, high), delta=1.0)


class VoiceTest(unittest.TestCase):
    def vowel(self, hertz, seconds=1.5):
        """A buzz through resonances at 700, 1220 and 2600 Hz (an open vowel; Peterson & Barney)."""
        from scipy import signal

        buzz = np.zeros(round(seconds * RATE))
        buzz[np.arange(0, buzz.size, RATE / hertz).astype(int)] = 1.0
        out = buzz
        for hz, width in ((700, 90), (1220, 110), (2600, 160)):
            pole = np.exp(-np.pi * width / RATE)
            out = signal.lfilter([1], [1, -2 * pole * np.cos(2 * np.pi * hz / RATE), pole**2], out)
        return audio(0.4 * out / np.abs(out).max())

    def test_a_longer_vowel_keeps_its_pitch_and_level(self):
        sound = self.vowel(120)
        for ratio in (0.6, 1.7):
            with self.subTest(ratio):
                out = made(sound, ratio, "voice", Attacks.none())[0]
                spectrum = np.abs(np.fft.rfft(out * np.hanning(out.size)))
                hz = np.fft.rfftfreq(out.size, 1 / RATE)
                near = (hz > 100) & (hz < 140)
                self.assertAlmostEqual(hz[near][np.argmax(spectrum[near])], 120, delta=1.0)
                level = 20 * np.log10(np.std(out) / np.std(sound.samples))
                self.assertAlmostEqual(level, 0.0, delta=1.0)

    def test_held_formants_stay_and_loose_ones_move(self):
        sound = self.vowel(110)

        def centre(samples):
            """Hz about which the power between 350 and 1900 Hz lies."""
            power = np.abs(np.fft.rfft(samples * np.hanning(samples.size))) ** 2
            hz = np.arange(power.size) * RATE / samples.size
            inside = (hz > 350) & (hz < 1_900)
            return (power[inside] * hz[inside]).sum() / power[inside].sum()

        before = centre(sound.samples[0])
        for method in ("voice", "weave"):
            held, loose = (
                centre(made(sound, 1.0, method, Attacks.none(), semitones=5, formants=f)[0])
                for f in (1.0, 0.0)
            )
            with self.subTest(method):
                self.assertAlmostEqual(held / before, 1.0, delta=0.07)
                self.assertAlmostEqual(loose / before, 2 ** (5 / 12), delta=0.07)

    def test_breath_does_not_buzz(self):
        # Noise that is repeated period by period would show lines in its own likeness.
        noise = 0.2 * np.random.default_rng(9).standard_normal(2 * RATE)
        out = made(audio(noise), 1.8, "voice", Attacks.none())[0]
        spectrum = np.abs(np.fft.rfft(out, 2 * out.size)) ** 2
        alike = np.fft.irfft(spectrum)[: RATE // 20] / np.fft.irfft(spectrum)[0]
        self.assertLess(np.abs(alike[200:]).max(), 0.35)


class ScatterTest(unittest.TestCase):
    def test_a_seed_gives_the_same_cloud_every_time_and_another_another(self):
        sound = rendered("keys_88")
        first, again, other = (made(sound, 1.3, "scatter", seed=s) for s in (3, 3, 4))
        np.testing.assert_array_equal(first, again)
        self.assertGreater(np.abs(first - other).max(), 0.01)

    def test_it_is_about_as_loud_as_what_it_is_made_of(self):
        sound = rendered("keys_88")
        for told in ({}, {"density": 1.5}, {"density": 12, "grain_seconds": 0.05}):
            for ratio in (0.125, 1.0, 8.0):
                with self.subTest(ratio=ratio, **told):
                    out = made(sound, ratio, "scatter", **told)
                    level = 20 * np.log10(np.std(out) / np.std(sound.samples))
                    self.assertAlmostEqual(level, 0.0, delta=3.5)

    def test_held_on_a_moment_it_sounds_like_that_moment_throughout(self):
        sound = audio(np.concatenate([sine(300, 1.0), sine(900, 1.0)]))
        out = made(sound, 1.0, "scatter", Attacks.none(), frozen_at=0.75, jitter_seconds=0.01)[0]
        for half in np.array_split(out, 2):
            self.assertAlmostEqual(pitch_of(half), 900, delta=4)

    def test_backwards_is_backwards(self):
        rise = np.linspace(0, 1, RATE) * sine(500, 1.0)
        told = {"grain_seconds": 1.0, "density": 1.0, "jitter_seconds": 0.0}
        out = made(audio(rise), 1.0, "scatter", Attacks.none(), direction="backward", **told)[0]
        # One grain round the circle's start: what stood before it comes after it.
        self.assertGreater(np.std(out[: RATE // 4]), 2 * np.std(out[-RATE // 4 :]))

    def test_spread_places_grains_to_the_sides_only_when_asked(self):
        sound = audio(np.stack([sine(200, 1.0)] * 2))
        left, right = made(sound, 1.0, "scatter", Attacks.none(), spread=1.0)
        self.assertGreater(np.abs(left - right).max(), 0.05)

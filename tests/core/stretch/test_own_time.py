"""What a sound does at a speed of its own stays so at another tempo."""

import unittest

import numpy as np
from scipy import ndimage, signal

from tests.core.stretch.test_stretch import stretched
from tests.sounds import RATE, audio
from zeroknot.core.listening.attacks import find_attacks
from zeroknot.core.render.plan import plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.ends import sound_end
from zeroknot.core.stretch.lag import common_lag
from zeroknot.core.stretch.part import Part
from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.warp.time_map import TimeMap

SIXTEENTH = 0.125


def clicks(at, seconds):
    """Short bursts of noise that begin at seconds, with no onset of their own."""
    rng = np.random.default_rng(1)
    out = np.zeros(round(seconds * RATE))
    burst = rng.normal(0, 0.3, 2000) * np.exp(-np.arange(2000) / 300)
    for second in at:
        first = round(second * RATE)
        out[first : first + 2000] += burst[: out.size - first]
    return audio(out)


def notes(at, lasts, seconds, fall=0.0, release=0.04, hz=330.0):
    """Tones that begin at seconds and are let go after a while; `fall` in dB a second."""
    time = np.arange(round(seconds * RATE)) / RATE
    out = np.zeros(time.size)
    for begin in at:
        t = time - begin
        tone = sum(np.sin(2 * np.pi * hz * k * t) / k for k in (1, 2, 3))
        level = np.clip(t / 0.002, 0, 1) * 10 ** (-fall * np.maximum(t, 0) / 20)
        level *= np.where(t < lasts, 1.0, np.exp(-(t - lasts) / release))
        out += 0.2 * np.where(t >= 0, tone * level, 0.0)
    return audio(out)


def level_db(sound, hop=441):
    power = np.square(sound).sum(axis=0)
    power = ndimage.uniform_filter1d(power, 2 * hop)[::hop]
    return 10 * np.log10(power + 1e-9)


class LagTest(unittest.TestCase):
    def test_what_all_have_in_common_is_told(self):
        rng = np.random.default_rng(2)
        for lag in (0.0, 0.003, 0.012, 0.025):
            at = SIXTEENTH * np.sort(rng.choice(32, 20, False)) + lag + rng.normal(0, 0.001, 20)
            with self.subTest(lag):
                self.assertAlmostEqual(common_lag(np.maximum(at, 0), 0.0, 4.0), lag, delta=0.0015)

    def test_who_swings_is_not_late(self):
        eighths = 0.25 * np.arange(16)
        at = np.sort(np.concatenate([eighths, eighths[:12] + 0.165])) + 0.004
        self.assertAlmostEqual(common_lag(at, 0.0, 4.0), 0.004, delta=0.001)

    def test_without_even_beats_there_is_none(self):
        for seed in range(20):
            at = np.sort(np.random.default_rng(seed).uniform(0, 4.0, 24))
            self.assertEqual(common_lag(at, 0.0, 4.0), 0.0)
        self.assertEqual(common_lag(np.zeros(0), 0.0, 4.0), 0.0)

    def test_a_late_sound_is_as_late_at_another_tempo(self):
        grid = 2 * SIXTEENTH * np.arange(16)
        sound = clicks(grid + 0.012, 4.0)
        for method in ("strike", "weave"):
            for ratio in (0.7, 2.0):
                found = find_attacks(audio(stretched(sound, ratio, method))).seconds
                wanted = grid * ratio + 0.012
                off = [np.abs(found - second).min() for second in wanted]
                with self.subTest(method=method, ratio=ratio):
                    self.assertLess(np.median(off), 0.0025)  # 12 ms at ratio 2 where it scales

    def test_a_long_lag_keeps_everything_in_order(self):
        sound = notes([0.0, 0.6, 1.2, 1.99], 0.25, 2.0)
        for ratio in (0.15, 0.5, 3.0, 8.0):
            end = round(2.0 * RATE * ratio)
            part = Part(
                view=SourceView(sound.samples, 0, sound.frames, True),
                rate=RATE,
                time_map=TimeMap(np.asarray([0.0, 2.0]), np.asarray([0.0, float(end)])),
                start=0,
                end=end,
                attacks=np.asarray([0.004, 0.61, 1.22, 1.99]),
                strengths=np.ones(4),
                lag=0.03,
            )
            points = part.attack_points
            ends = part.ends(0.0, float(end))
            both = np.concatenate([points, ends])
            both = both[np.argsort(both[:, 0])]
            with self.subTest(ratio):
                self.assertEqual(ends.shape[0], 3)
                self.assertTrue((np.diff(both[:, 1]) > 0).all())
                self.assertTrue(points[0, 1] >= 0 and points[-1, 1] < end)
                # The first is heard as soon as in the recording, the last as short before the end.
                self.assertAlmostEqual(points[0, 1], 0.004 * RATE, delta=1)
                if ratio < 1:
                    self.assertAlmostEqual(end - points[-1, 1], 0.01 * RATE, delta=1)


class EndTest(unittest.TestCase):
    def end_of(self, sound, start, stop):
        view = SourceView(sound.samples, 0, sound.frames, True)
        end = sound_end(view, RATE, start * RATE, stop * RATE)
        return None if end is None else end / RATE

    def test_where_a_note_is_let_go(self):
        sound = notes([0.0], 0.4, 1.0)
        self.assertAlmostEqual(self.end_of(sound, 0.0, 1.0), 0.4, delta=0.02)

    def test_what_dies_away_or_sounds_on_has_no_end(self):
        self.assertIsNone(self.end_of(notes([0.0], 9.0, 1.0, fall=40.0), 0.0, 1.0))
        self.assertIsNone(self.end_of(notes([0.0], 9.0, 1.0), 0.0, 1.0))

    def test_what_is_let_go_just_before_the_next_has_none(self):
        self.assertIsNone(self.end_of(notes([0.0], 0.4, 0.5), 0.0, 0.5))

    def test_it_ends_where_the_map_says_and_falls_as_fast(self):
        sound = notes([0.0, 1.0], 0.5, 2.0)
        before = level_db(sound.samples)
        for ratio in (0.75, 2.0):
            after = level_db(stretched(sound, ratio))
            top = before[:40].max()
            let_go = np.argmax(after < top - 6) * 0.01
            gone = np.argmax(after < top - 26) * 0.01
            fell = (np.argmax(before < top - 26) - np.argmax(before < top - 6)) * 0.01
            with self.subTest(ratio):
                self.assertAlmostEqual(let_go, 0.5 * ratio + 0.03, delta=0.05)
                self.assertAlmostEqual(gone - let_go, fell, delta=0.03)


class DecayTest(unittest.TestCase):
    def slope(self, sound, start, stop):
        level = level_db(sound)[round(100 * start) : round(100 * stop)]
        return np.polyfit(0.01 * np.arange(level.size), level, 1)[0]

    def test_a_string_dies_away_as_fast_as_before(self):
        sound = notes([0.0, 0.5, 1.0, 1.5], 9.0, 2.0, fall=24.0)
        # What rings of the note before is part of it.
        for ratio in (1.25, 1.6):
            made = stretched(sound, ratio)
            with self.subTest(ratio):
                found = self.slope(made, 0.5 * ratio + 0.06, 1.0 * ratio - 0.12)
                self.assertAlmostEqual(found, -24.0, delta=3.0)

    def test_what_is_held_keeps_its_level(self):
        sound = notes([0.0, 1.0], 0.95, 2.0)
        made = level_db(stretched(sound, 1.5))
        self.assertLess(np.ptp(made[20:130]), 1.0)


class StridesTest(unittest.TestCase):
    def trembling(self, seconds=3.0, hz=5.0):
        time = np.arange(round(seconds * RATE)) / RATE
        tone = np.sin(2 * np.pi * 440 * time) + 0.5 * np.sin(2 * np.pi * 880 * time)
        return audio(0.2 * tone * (1 + 0.2 * np.sin(2 * np.pi * hz * time)))

    def test_a_tremolo_keeps_its_own_speed(self):
        sound = self.trembling()
        for ratio in (0.6, 1.5, 2.0, 4.0):
            made = np.sqrt(10 ** (level_db(stretched(sound, ratio), 220) / 10))
            hz, strength = signal.periodogram(made - made.mean(), RATE / 220)
            with self.subTest(ratio):
                self.assertAlmostEqual(hz[np.argmax(strength)], 5.0, delta=0.6)

    def test_its_pitch_is_kept_and_nothing_clicks(self):
        made = stretched(self.trembling(), 2.0)[0]
        spectrum = np.abs(np.fft.rfft(made * np.hanning(made.size)))
        hz = np.fft.rfftfreq(made.size, 1 / RATE)
        self.assertAlmostEqual(hz[np.argmax(spectrum)], 440.0, delta=0.5)
        high = signal.sosfilt(signal.butter(6, 5000, "high", fs=RATE, output="sos"), made)
        self.assertLess(np.abs(high[2000:-2000]).max(), 0.002)

    def test_the_same_in_any_order(self):
        sound = self.trembling()
        plan = plan_ratio(
            source="", rate=RATE, source_frames=sound.frames, duration_ratio=1.7, method="weave"
        )
        attacks = find_attacks(sound)
        whole = Rendering(sound, attacks, plan, threads=1).whole()
        other = Rendering(sound, attacks, plan, threads=2)
        blocks = [other.block(i) for i in reversed(range(plan.blocks))]
        np.testing.assert_array_equal(np.concatenate(blocks[::-1], axis=1), whole)

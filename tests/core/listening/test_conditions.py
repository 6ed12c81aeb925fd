"""Loops as they come: cut late, cut early, with something in front, in other metres."""

import itertools
import unittest
from dataclasses import replace

import numpy as np

from tests.sounds import RATE, audio, drum_loop, rendered, sine
from zeroknot.core.audio import resampled
from zeroknot.core.listening.beats import curve_of
from zeroknot.core.listening.readings import listen


class ConditionsTest(unittest.TestCase):
    def assert_reads(self, samples, bpm, bars, downbeat=0.0, rate=RATE, tempo_within=0.1):
        heard = listen(audio(samples, rate))
        best = heard.best
        self.assertIsNotNone(best)
        self.assertEqual(best.bars, bars)
        self.assertAlmostEqual(best.tempo_bpm, bpm, delta=tempo_within)
        self.assertAlmostEqual(best.downbeat_s, downbeat, delta=0.02)
        return heard

    def test_lengths_and_tempos(self):
        for bpm, bars in ((84.3, 1), (120, 2), (93.7, 4), (150, 4), (128, 8), (124, 16)):
            with self.subTest(bpm=bpm, bars=bars):
                self.assert_reads(drum_loop(bpm, bars), bpm, bars)

    def test_waltz(self):
        heard = self.assert_reads(drum_loop(110, 4, metre=3), 110, 4)
        self.assertEqual(heard.best.beats_per_bar, 3)

    def test_shuffle(self):
        self.assert_reads(drum_loop(96, 4, swing=2 / 3), 96, 4)

    def test_silence_in_front(self):
        for lead in (0.05, 0.31):
            with self.subTest(lead=lead):
                samples = np.concatenate([np.zeros(round(lead * RATE)), drum_loop(104, 4)])
                self.assert_reads(samples, 104, 4, lead)

    def test_pickup_is_kept_in_front_of_the_one(self):
        loop = drum_loop(100, 4)
        beat = round(0.6 * RATE)
        # The last beat's snare once more, half as loud, in front of it all.
        samples = np.concatenate([0.5 * loop[-beat:], loop])
        heard = self.assert_reads(samples, 100, 4, 0.6)
        self.assertIn("pickup", heard.best.reason)

    def test_a_tail_that_rings(self):
        ring = sine(196, 1.1, 0.1) * np.exp(-3 * np.arange(round(1.1 * RATE)) / RATE)
        samples = np.concatenate([drum_loop(112, 4), ring])
        self.assert_reads(samples, 112, 4)

    def test_a_sloppy_cut_that_begins_again(self):
        loop = drum_loop(107, 4)
        samples = np.concatenate([loop, loop[: round(0.4 * RATE)]])
        heard = self.assert_reads(samples, 107, 4)
        self.assertAlmostEqual(heard.best.end_s, 16 * 60 / 107, delta=0.005)

    def test_a_bar_of_a_recording_with_some_of_itself_left_on_is_read_within_a_tenth_of_a_bpm(self):
        """Half a percent off a whole tempo: what is rounded, or ends where an attack was heard,
        is not within 0.1 BPM of it."""
        sound = rendered("drums_103")
        for bpm in (103.47, 118.58):
            # As if played at another speed: the same samples at another rate, read at the usual.
            whole = resampled(replace(sound, rate=round(RATE * bpm / 103)), RATE).samples
            bar = whole[:, : round(240 / bpm * RATE)]
            beat = bar.shape[1] // 4
            quiet = np.zeros((2, round(0.173 * RATE)))
            for name, parts, one in (
                ("as it is", (bar,), 0.0),
                ("a pickup", (bar[:, -beat:], bar), beat / RATE),
                ("silence", (quiet, bar), quiet.shape[1] / RATE),
                ("a tail", (bar, bar[:, : round(0.7 * beat)]), 0.0),
                ("silence and a tail", (quiet, bar, bar[:, :beat]), quiet.shape[1] / RATE),
            ):
                with self.subTest(name, bpm=bpm):
                    self.assert_reads(np.concatenate(parts, axis=1), bpm, 1, one)

    def test_low_and_high_rates_and_odd_stereo_are_heard_alike(self):
        plain = audio(drum_loop(101, 4))
        one = plain.samples[0]
        for name, sound in (
            ("8 kHz", resampled(plain, 8_000)), ("192 kHz", resampled(plain, 192_000)),
            ("mono in stereo", audio(np.stack([one, one]))),
            ("out of phase", audio(np.stack([one, -one]))),
            ("one side", audio(np.stack([one, 0 * one]))),
            ("clipped", audio(np.clip(one * 8, -1, 1))),
            ("very quiet", audio(one * 0.002)),
        ):  # fmt: skip
            with self.subTest(name):
                best = listen(sound).best
                self.assertEqual(best.bars, 4)
                self.assertAlmostEqual(best.tempo_bpm, 101, delta=0.1)
        self.assertIn("the recording is clipped", listen(audio(np.clip(one * 8, -1, 1))).warnings)

    def test_a_pad_without_attacks_is_not_claimed_to_be_sure(self):
        t = np.arange(4 * RATE) / RATE
        swell = np.sin(np.pi * t / 4) * sum(np.sin(2 * np.pi * f * t) for f in (220, 277, 330))
        heard = listen(audio(0.1 * swell))
        self.assertTrue(heard.best is None or heard.best.confidence < 0.6)

    def test_one_hit_has_no_tempo(self):
        t = np.arange(round(0.8 * RATE)) / RATE
        hit = np.sin(2 * np.pi * 60 * t) * np.exp(-t * 9)
        heard = listen(audio(np.concatenate([np.zeros(1000), hit])))
        self.assertEqual((heard.sound.kind, heard.readings), ("one hit", ()))

    def test_a_take_is_followed_beat_by_beat(self):
        # Two and a half minutes that get 3 % faster on the way.
        loop = drum_loop(98, 64)
        count = loop.size
        place = np.arange(round(count / 1.015)) / RATE
        warped = np.interp(
            place * (1 + 0.015 * place / (count / RATE)) * RATE, np.arange(count), loop
        )
        heard = listen(audio(warped))
        self.assertGreater(len(heard.beats), 200)
        curve = curve_of(np.asarray(heard.beats))
        self.assertAlmostEqual(curve.mean_bpm, 98 * 1.015, delta=1.5)
        self.assertAlmostEqual(curve.drift, 0.03, delta=0.012)
        self.assertIn("take", heard.best.reason)

    def test_loops_that_drift_keep_their_beats(self):
        counted = []
        for bpm, much in itertools.product((84, 92, 104, 120, 135), (0.01, 0.02, 0.03, -0.02)):
            loop = drum_loop(bpm, 8)
            x = np.arange(loop.size) / loop.size
            bent = x + much * x * (x - 1)
            heard = listen(audio(np.interp(bent * loop.size, np.arange(loop.size), loop)))
            counted.append(heard.best.bars == 8)
            if counted[-1]:
                # Beat k of the original at share k / 32 is heard where it was bent to.
                true = np.interp(np.arange(32) / 32, bent, x) * loop.size / RATE
                off = np.abs(np.asarray(heard.beats)[:32] - true)
                self.assertLess(np.median(off), 0.012)
        # Drifting, some may be counted twice as fast.
        self.assertGreaterEqual(sum(counted), 18)


class RenderedTest(unittest.TestCase):
    def test_confidence_falls_where_the_sound_is_spoilt(self):
        sound = rendered("drums_103")
        plain = listen(sound).best.confidence
        noise = np.random.default_rng(2).standard_normal(sound.samples.shape) * 0.5
        spoilt = listen(audio(sound.samples + noise)).best
        self.assertTrue(spoilt is None or spoilt.confidence < plain)

"""A body's end meets its start: measured, and mended by a crossfade.

Checked against the truth where there is one: a tone whose period divides the body has no jump, and
what was cut off a tone is known. That a jump is a click from about three times the usual on, and
that a few milliseconds take it away: common practice, no source (shared/CHECKS.md has the 6 ms).
"""

import unittest

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.render.pass_file import folded
from zeroknot.core.render.plan import plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.render.seam import crossfaded_end, led_to, seam_between
from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.warp.warp_map import WarpMap

RATE = 48_000


def sung(pitch=220.7, seconds=6.0, seed=0):
    """A voice-like tone with vibrato: float32 [1, frames]."""
    rng = np.random.default_rng(seed)
    time = np.arange(round(seconds * RATE)) / RATE
    turns = 2 * np.pi * np.cumsum(pitch * (1 + 0.01 * np.sin(2 * np.pi * 5.3 * time))) / RATE
    harmonics = [np.sin(k * turns + rng.uniform(0, 6)) / k for k in range(1, 20)]
    return (0.2 * np.sum(harmonics, axis=0)).astype(np.float32)[None]


def crossfaded(sound, start, end, frames):
    """The whole body as it is read round its seam."""
    ending = crossfaded_end(sound, start, end, frames)
    return SourceView(sound, start, end, True, ending=ending).read(start, end - start)


def jump(sound):
    return seam_between(sound, 0, sound.shape[1], RATE).jump


class MeasuredTest(unittest.TestCase):
    def test_a_tone_of_whole_periods_joins_and_one_of_halves_jumps(self):
        for frames, is_heard in ((48_000, False), (48_000 + 120, True)):
            tone = np.cos(2 * np.pi * 200 * np.arange(frames) / RATE).astype(np.float32)[None]
            with self.subTest(frames=frames):
                self.assertEqual(seam_between(tone, 0, frames, RATE).is_heard, is_heard)

    def test_wherever_a_sound_goes_on_there_is_no_jump(self):
        rng = np.random.default_rng(3)
        sounds = {"sung": sung(), "noise": 0.1 * rng.standard_normal((2, 6 * RATE))}
        for name, sound in sounds.items():
            for at in rng.integers(RATE, 5 * RATE, 40):
                # Its second half, then its first: over the seam it goes on as it was.
                body = np.concatenate([sound[:, at:], sound[:, :at]], axis=1)
                with self.subTest(name=name, at=at):
                    self.assertFalse(seam_between(body, 0, body.shape[1], RATE).is_heard)

    def test_a_hit_at_the_one_is_no_jump(self):
        time = np.arange(RATE) / RATE
        hit = np.sin(2 * np.pi * 90 * time + 0.3) * np.exp(-12 * time)
        click = np.random.default_rng(1).standard_normal(RATE) * np.exp(-200 * time)
        drum = (0.5 * hit + 0.2 * click).astype(np.float32)[None]
        self.assertFalse(seam_between(drum, 0, drum.shape[1], RATE).is_heard)

    def test_a_hit_hides_the_step_it_is_cut_with_and_a_held_tone_does_not(self):
        time = np.arange(RATE) / RATE
        hit = np.sin(2 * np.pi * 60 * time) * np.exp(-9 * time)
        cut = (0.9 * hit[50:]).astype(np.float32)[None]  # a millisecond late
        self.assertGreater(seam_between(cut, 0, cut.shape[1], RATE).jump, 3)
        self.assertFalse(seam_between(cut, 0, cut.shape[1], RATE).is_heard)
        held = 0.5 * np.cos(2 * np.pi * 220 * time) * (time < 0.9)
        tone = held.astype(np.float32)[None]
        self.assertTrue(seam_between(tone, 0, tone.shape[1], RATE).is_heard)

    def test_what_rings_on_past_the_end_is_no_jump(self):
        time = np.arange(3 * RATE) / RATE
        rise = np.minimum(1, time / 0.3) * np.exp(-np.maximum(0, time - 1.8) * 4)
        pad = (0.3 * rise * np.sin(2 * np.pi * 207.3 * time)).astype(np.float32)[None]
        end = round(2.0043 * RATE)
        self.assertTrue(seam_between(pad, 0, end, RATE).is_heard)
        self.assertFalse(seam_between(pad, 0, end, RATE, tail=RATE // 2).is_heard)

    def test_silence_has_none(self):
        self.assertEqual(jump(np.zeros((2, RATE), np.float32)), 0.0)


class MendedTest(unittest.TestCase):
    def loops(self):
        for pitch in (110.0, 220.7, 331.0):
            take = sung(pitch)
            yield f"{pitch} Hz, of a take", take, 59_232, 165_921
            yield f"{pitch} Hz, all there is", take[:, 59_232:165_921], 0, 165_921 - 59_232

    def test_a_sung_loop_joins_and_its_start_stays_as_it_is(self):
        for name, sound, start, end in self.loops():
            with self.subTest(name=name):
                self.assertGreater(seam_between(sound, start, end, RATE).jump, 7)
                body = crossfaded(sound, start, end, 960)
                self.assertLess(jump(body), 1.2)
                np.testing.assert_array_equal(body[:, :-960], sound[:, start : end - 960])

    def test_it_is_the_same_wherever_it_is_read_and_holds_no_more_than_its_end(self):
        take = sung()
        ending = crossfaded_end(take, 59_232, 165_921, 960)
        self.assertEqual(ending.shape, (1, 960))
        view = SourceView(take, 59_232, 165_921, True, ending=ending)
        body = view.read(59_232, 165_921 - 59_232)
        for first, count in ((165_900, 50), (164_000, 1500), (165_921, 40), (50_000, 12_000)):
            place = (np.arange(first, first + count) - 59_232) % body.shape[1]
            np.testing.assert_array_equal(view.read(first, count), body[:, place])

    def test_it_is_as_loud_there_as_beside_it(self):
        for name, sound, start, end in self.loops():
            body = crossfaded(sound, start, end, 2400)
            power = [float((body[:, a:b] ** 2).mean()) for a, b in ((-2400, None), (-7200, -2400))]
            with self.subTest(name=name):
                self.assertLess(abs(10 * np.log10(power[0] / power[1])), 3.0)

    def test_what_leads_to_a_tone_is_that_tone(self):
        time = np.arange(6000) / RATE
        tone = np.sin(2 * np.pi * 313 * time) + 0.4 * np.cos(2 * np.pi * 741 * time)
        led = led_to(tone[960:], 960)
        self.assertLess(float(np.abs(led - tone[:960]).max()), 0.05)

    def test_what_cannot_be_predicted_fades_and_never_grows(self):
        noise = np.random.default_rng(2).standard_normal(8000)
        led = led_to(noise, 4800)
        self.assertLess(float(np.abs(led).max()), float(np.abs(noise).max()))

    def test_short_and_silent_bodies_are_taken_as_they_are(self):
        self.assertEqual(crossfaded(sung()[:, :10], 0, 10, 960).shape, (1, 10))
        self.assertFalse(crossfaded(np.zeros((1, 4000), np.float32), 0, 4000, 960).any())


class RenderedTest(unittest.TestCase):
    """In what is heard and printed, copied or stretched by any method that keeps likeness."""

    def printed(self, method, bpm, crossfade_s):
        sound = Audio(sung(), RATE)
        warp = WarpMap.between(1.234, 3.4567, 4.0)
        plan = plan_pass(
            source="0" * 64, rate=RATE, warp=warp, tempo_map=TempoMap.steady(bpm), start_beat=0.0,
            lead_from=1.234, tail_to=3.4567, method=method, crossfade_s=crossfade_s,
        )  # fmt: skip
        whole = Rendering(sound, Attacks.none(), plan).whole()
        return folded(plan, whole, "wrap", False)

    def test_the_jump_is_gone_wherever_it_was(self):
        own = 4.0 * 60 / (3.4567 - 1.234)
        for method, bpm in (("weave", own), ("weave", 97.0), ("voice", 120.0), ("spool", 99.0)):
            with self.subTest(method=method, bpm=bpm):
                raw, mended = (jump(self.printed(method, bpm, s)) for s in (0.0, 0.03))
                self.assertLess(mended, 1.5)
                if bpm == own:
                    self.assertGreater(raw, 5)

    def test_an_address_is_as_it_was_without_one_and_another_with_it(self):
        warp = WarpMap.between(0.0, 2.0, 4.0)
        plans = [
            plan_pass(
                source="0" * 64, rate=RATE, warp=warp, tempo_map=TempoMap.steady(100),
                start_beat=0.0, lead_from=0.0, tail_to=2.0, crossfade_s=s,
            )
            for s in (0.0, 0.02)
        ]  # fmt: skip
        self.assertNotEqual(plans[0].digest, plans[1].digest)
        kept = "82e42518756d6636d4117bc5a4f9c42cc0b8204e283f184aaa219da12fd22873"
        self.assertEqual(plans[0].digest, kept)

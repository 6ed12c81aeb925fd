"""Beats of loops whose bars are known: a steady loop stays, a performance is followed."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.sounds import audio, drum_loop, rendered
from tests.takes import beat_times, drummer, wandering
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import find_attacks
from zeroknot.core.listening.known_beats import LONG, beats_between
from zeroknot.core.warp.straighten import counted, tied, with_layer
from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.demo.loops import deck_plates


def struck(seconds, strength=0.5):
    seconds = np.asarray(seconds, np.float64)
    return Attacks(seconds, np.full(seconds.size, strength), np.ones(seconds.size))


class SteadyTest(unittest.TestCase):
    """Asked as a person asks: what is steady already, straightened, stays where it is."""

    def test_a_loop_that_never_strikes_on_the_beat_is_no_faster_or_slower(self):
        # Three sixteenths and three and two, with a rest on most beats: 1.13 and 0.75 times as fast
        # lie on more of them.
        for steps in ((0, 3, 6, 10, 12), (0, 3, 6, 9, 12, 15), (2, 5, 7, 11, 13), (3, 7, 11, 15)):
            hits = [(bar * 16 + step) * 0.125 for bar in range(8) for step in steps]
            beats = beats_between(struck(hits), 0.0, 16.0, 32, 16.0)
            inside = beats[(beats > -0.2) & (beats < 15.8)]
            with self.subTest(steps=steps):
                np.testing.assert_allclose(inside, np.arange(32) * 0.5, atol=0.02)

    def test_straightened_loops_stay_as_they_are(self):
        sounds = [
            ("drums", audio(drum_loop(120.0, 4)), 16.0),
            ("swung", audio(drum_loop(92.0, 2, swing=0.62)), 8.0),
            ("kit", rendered("drums_103"), 8.0),
            ("keys", rendered("keys_88"), 8.0),
        ]
        for name, sound, beats in sounds:
            warp = WarpMap.between(0.0, sound.seconds, beats)
            heard = beats_between(
                find_attacks(sound), 0.0, sound.seconds, round(beats), sound.seconds
            )
            layer = tied(warp, counted(0.0, sound.seconds, heard, 1.0), 1)
            moved = with_layer(warp, layer)
            for beat in np.arange(0.25, beats, 0.25):
                second = warp.second_of_beat(beat)
                off = (moved.beat_of_second(second) - beat) * sound.seconds / beats
                with self.subTest(name, beat=beat):
                    self.assertLess(abs(off), 0.006)

    def test_nothing_heard_has_no_beats_and_few_hits_do_not_break_it(self):
        self.assertEqual(beats_between(Attacks.none(), 0.0, 2.0, 4, 2.0).size, 0)
        for hits in ([0.0], [1.9], [0.3, 0.31], [5.0]):
            beats = beats_between(struck(hits), 0.0, 2.0, 4, 6.0)
            np.testing.assert_allclose(beats[:4], [0.0, 0.5, 1.0, 1.5], atol=0.11)
            self.assertTrue(np.all(np.diff(beats) > 0.0))

    @settings(max_examples=150, deadline=None)
    @given(
        st.lists(st.floats(0.0, 30.0), max_size=60), st.floats(0.0, 10.0), st.floats(0.05, 18.0),
        st.integers(1, 60),
    )  # fmt: skip
    def test_whatever_is_struck_beats_rise_and_the_pass_has_as_many_as_were_said(
        self, hits, start, length, pulses
    ):
        end = start + length
        beats = beats_between(struck(sorted(hits)), start, end, pulses, 30.0)
        self.assertTrue(np.all(np.diff(beats) > 0.0))
        if hits and pulses <= LONG:
            inside = beats[(beats > start - 1e-9) & (beats < end + 1e-9)]
            self.assertEqual(inside.size, pulses + 1)


class PlayedTest(unittest.TestCase):
    def test_a_tempo_that_drifts_is_followed(self):
        for drift in (-0.03, 0.02, 0.04):
            share = np.arange(33) / 32
            beats = 16.0 * (share + drift * share * (1.0 - share))
            hits = np.interp(np.arange(0.0, 32.0, 0.5), np.arange(33), beats)
            heard = beats_between(struck(hits), 0.0, 16.0, 32, 16.0)
            with self.subTest(drift=drift):
                np.testing.assert_allclose(heard[:32], beats[:32], atol=0.012)

    def test_a_performance_that_wanders_is_followed_by_more_than_a_beat(self):
        times = beat_times(wandering(98, 5, 64, change=(32, 1.06), seed=8), 64, 1.6)
        samples, _ = drummer(times, pickup=1, loose_ms=2)
        attacks = find_attacks(audio(0.5 * samples))
        one, end = float(times[1]), float(times[61])
        even = np.linspace(one, end, 61)
        self.assertGreater(np.abs(even - times[1:62]).max(), 0.25)
        # 15 bars as they are, and as somebody miscounts them.
        for pulses in (60, 68):
            heard = beats_between(attacks, one, end, pulses, samples.size / 44_100)
            inside = heard[(heard > one - 0.1) & (heard < end - 0.1)]
            with self.subTest(pulses=pulses):
                self.assertEqual(inside.size, 60)
                self.assertLess(np.median(np.abs(inside - times[1:61])), 0.01)
        # What is played behind the pass goes on as it does there.
        heard = beats_between(attacks, one, float(times[33]), 32, samples.size / 44_100)
        behind = heard[(heard > times[33] + 0.2) & (heard < times[49] + 0.2)]
        self.assertEqual(behind.size, 16)
        self.assertLess(np.abs(behind - times[34:50]).max(), 0.05)

    def test_a_take_that_nobody_kept_time_in_is_followed_to_its_end(self):
        """The demo's take: its reading begins with a step, two beats before the first is played."""
        sound = audio(np.asarray(deck_plates(), np.float32))
        place = np.arange(112)
        drift = 0.035 * np.sin(place / 13) + 0.012 * np.sin(place / 4.1 + 1)
        tempo = 98 * (1 + drift) * np.where(place >= 64, 1.05, 1.0)
        times = 2.2 + np.concatenate([[0.0], np.cumsum(60 / tempo)])
        heard = beats_between(find_attacks(sound), 0.95, 67.795, 112, sound.seconds)
        inside = heard[(heard > 2.1) & (heard < 67.7)]
        off = np.abs(times[:, None] - inside).min(axis=0)
        self.assertLess(off.max(), 0.03)


if __name__ == "__main__":
    unittest.main()

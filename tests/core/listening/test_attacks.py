import unittest

import numpy as np

from tests.sounds import audio, hits, rendered, sine
from zeroknot.core.listening.attacks import all_attacks, find_attacks, sounding_range


class AttacksTest(unittest.TestCase):
    def test_times_of_hits(self):
        times = np.array([0.1, 0.35, 0.61, 1.0, 1.4, 1.72])
        found = find_attacks(audio(hits(times, 2.0))).seconds
        self.assertEqual(found.size, times.size)
        self.assertLess(np.median(np.abs(found - times)), 0.003)

    def test_notes_of_a_rendered_loop(self):
        # The MIDI it was rendered from: kicks, snares and hats at 103 BPM (tests/fixtures).
        beat = 60 / 103
        expected = np.unique([i / 2 for i in range(16)] + [6.75]) * beat
        found = find_attacks(rendered("drums_103")).seconds
        hit = [np.abs(found - t).min() < 0.02 for t in expected]
        self.assertGreaterEqual(np.mean(hit), 0.9)
        false = [np.abs(expected - t).min() > 0.05 for t in found]
        self.assertLessEqual(np.mean(false), 0.1)

    def test_more_sensitivity_only_ever_adds(self):
        everything = all_attacks(rendered("keys_88"))
        before = set()
        for sensitivity in (0.1, 0.3, 0.5, 0.65, 0.8, 0.95):
            now = set(everything.at_sensitivity(sensitivity).seconds)
            self.assertLessEqual(before, now)
            before = now

    def test_a_hit_in_the_very_first_sample(self):
        found = find_attacks(audio(hits([0.0, 0.5, 1.5], 2.0))).seconds
        np.testing.assert_allclose(found, [0.0, 0.5, 1.5], atol=0.003)

    def test_silence_and_steady_tones_have_none_inside(self):
        self.assertEqual(find_attacks(audio(np.zeros(44_100))).seconds.size, 0)
        inside = find_attacks(audio(sine(220, 3.0))).seconds
        self.assertFalse(((inside > 0.2) & (inside < 2.8)).any())

    def test_out_of_phase_stereo_is_heard(self):
        one = hits([0.2, 0.7], 1.0)
        self.assertEqual(find_attacks(audio(np.stack([one, -one]))).seconds.size, 2)

    def test_strengths_lie_in_0_to_1(self):
        strengths = find_attacks(rendered("keys_88")).strengths
        self.assertEqual(strengths.max(), 1.0)
        self.assertGreaterEqual(strengths.min(), 0.0)

    def test_sounding_range(self):
        sound = np.zeros(44_100)
        sound[4_410:22_050] = 0.5
        self.assertEqual(sounding_range(audio(sound)), (0.1, 0.5))

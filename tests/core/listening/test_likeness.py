"""Likeness: what begins when, whatever the tempo, the level and the kit; and who fits."""

import unittest

import numpy as np

from tests.sounds import RATE, audio, drum_loop, rendered, sine
from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.fitting import fit_of, in_key
from zeroknot.core.listening.liken import likeness_in
from zeroknot.core.listening.likeness import RHYTHM, Likeness


def of(sound, bars=2):
    return likeness_in(sound, 0.0, sound.seconds, bars)


class LikenessTest(unittest.TestCase):
    def test_each_part_has_the_length_of_one(self):
        one = of(rendered("drums_103"))
        for part in (one.sound, one.rhythm, one.tone):
            self.assertAlmostEqual(np.linalg.norm(part), 1.0, places=6)
        again = Likeness.unpacked(one.packed)
        self.assertAlmostEqual(again.alike(one), 1.0, places=5)

    def test_level_has_no_say(self):
        sound = rendered("drums_103")
        soft = of(audio(0.1 * sound.samples))
        self.assertGreater(soft.alike(of(sound)), 0.999)

    def test_the_same_pattern_at_another_tempo_is_the_same_rhythm(self):
        one, other = (of(audio(drum_loop(bpm, 2))) for bpm in (90, 132))
        self.assertGreater(one.rhythm @ other.rhythm, 0.8)

    def test_what_begins_on_a_step_is_in_its_place(self):
        """Clicks on the second beat of each bar alone: steps 4 and 20 of 32."""
        frames = 4 * RATE
        sound = np.zeros(frames)
        for beat in (1, 5):
            at = beat * RATE // 2
            sound[at : at + 2000] = np.random.default_rng(1).normal(size=2000) * np.hanning(2000)
        steps = of(audio(sound)).rhythm.reshape(3, 32).sum(axis=0)
        self.assertEqual(sorted(np.argsort(steps)[-2:].tolist()), [4, 20])

    def test_without_bars_it_has_no_rhythm_and_silence_is_nothing(self):
        sound = rendered("keys_88")
        self.assertEqual(np.abs(likeness_in(sound, 0.0, 4.0, None).rhythm).max(), 0.0)
        quiet = of(audio(np.zeros(RATE)))
        self.assertEqual(quiet.rhythm.shape, (RHYTHM,))
        self.assertEqual(np.abs(quiet.tone).max(), 0.0)


class FitTest(unittest.TestCase):
    def fit(self, one, *others, key="C major"):
        return fit_of(one, others, Key.parse(key))

    def test_a_tone_in_the_key_fits_and_a_semitone_beside_clashes(self):
        c, e, c_sharp = (of(audio(sine(f, 2.0, 0.3))) for f in (261.63, 329.63, 277.18))
        self.assertGreater(self.fit(c).reasons["key"], 0.9)
        self.assertLess(self.fit(c_sharp).reasons["key"], 0.3)
        self.assertGreater(self.fit(c, e).reasons["clash"], 0.9)
        self.assertLess(self.fit(c_sharp, c).reasons["clash"], 0.3)
        self.assertIn("clashes", self.fit(c_sharp, c).said)

    def test_it_is_brought_into_the_key_first(self):
        c_sharp = of(audio(sine(277.18, 2.0, 0.3) + sine(349.23, 2.0, 0.3) + sine(415.3, 2.0, 0.3)))
        shifted, by = in_key(c_sharp, Key.parse("C major"))
        self.assertEqual(abs(by), 1)  # C sharp major is C major a semitone lower
        self.assertGreater(self.fit(shifted).reasons["key"], 0.9)
        self.assertEqual(in_key(c_sharp, None), (c_sharp, 0))

    def test_alone_and_without_tones_nothing_has_a_say(self):
        silent = of(audio(np.zeros(RATE)))
        self.assertEqual(fit_of(silent, [], None).reasons, {})
        self.assertEqual(fit_of(silent, [], None).score, 0.5)

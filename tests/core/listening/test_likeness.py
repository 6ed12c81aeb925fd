"""Likeness: what begins when, whatever the tempo, the level and the kit; and who fits."""

import unittest

import numpy as np

from tests.sounds import RATE, audio, drum_loop, rendered, sine
from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.fitting import best_fit, ease, fit_of, rough_scores
from zeroknot.core.listening.liken import likeness_in
from zeroknot.core.listening.likeness import SIZES, Likeness

C_MAJOR, F_MAJOR = (261.63, 329.63, 392.0), (261.63, 349.23, 440.0)


def eighths(late):
    """Two bars of clicks on eighths, every other one late by so much of a beat; 120 BPM."""
    sound = np.zeros(4 * RATE)
    for i in range(16):
        at = round((i / 4 + (late / 2 if i % 2 else 0.0)) * RATE)
        sound[at : at + 800] = np.random.default_rng(i).normal(size=800) * np.hanning(800)
    return sound


def of(sound, bars=2):
    return likeness_in(sound, 0.0, sound.seconds, bars)


class LikenessTest(unittest.TestCase):
    def test_each_part_has_the_length_of_one(self):
        one = of(rendered("drums_103"))
        for part in (one.sound, one.rhythm, one.tone, one.harmony, one.feel, one.bands):
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
        self.assertEqual(quiet.rhythm.shape, (SIZES["rhythm"],))
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
        fit, by = best_fit(c_sharp, [], Key.parse("C major"))
        self.assertEqual(abs(by), 1)  # C sharp major is C major a semitone lower
        self.assertGreater(fit.reasons["key"], 0.9)
        self.assertEqual(best_fit(c_sharp, [], None)[1], 0)

    def test_the_same_chords_at_the_same_time_fit_and_in_another_order_do_not(self):
        """Two bars of C and F major; F and C has the same notes on the whole."""
        c, f = (sum(sine(hz, 2.0, 0.2) for hz in chord) for chord in (C_MAJOR, F_MAJOR))
        song = of(audio(np.concatenate([c, f])))
        same, other = (of(audio(np.concatenate(p))) for p in ((c, f), (f, c)))
        self.assertGreater(self.fit(same, song).reasons["harmony"], 0.95)
        self.assertLess(self.fit(other, song).reasons["harmony"], 0.5)
        self.assertIn("the same chords", self.fit(same, song).said)

    def test_a_loop_in_another_key_is_shifted_to_the_chords_that_play(self):
        c, f = (sum(sine(hz, 2.0, 0.2) for hz in chord) for chord in (C_MAJOR, F_MAJOR))
        song = of(audio(np.concatenate([c, f])))
        up = 2 ** (2 / 12)  # D and G: two semitones higher
        d, g = (sum(sine(hz * up, 2.0, 0.2) for hz in chord) for chord in (C_MAJOR, F_MAJOR))
        self.assertEqual(best_fit(of(audio(np.concatenate([d, g]))), [song], None)[1], -2)

    def test_swing_is_told(self):
        """Every other eighth late by a sixth of a beat (2 : 1) against straight ones."""
        straight, swung = (of(audio(eighths(late))) for late in (0.0, 1 / 6))
        self.assertGreater(self.fit(swung, swung).reasons["groove"], 0.99)
        self.assertLess(self.fit(straight, swung).reasons["groove"], 0.8)

    def test_what_must_be_changed_less_comes_easier(self):
        self.assertEqual(ease(1.0, 0), 1.0)
        self.assertAlmostEqual(ease(2.0, 0), 1.0)  # half or double time
        self.assertGreater(ease(1.05, 0), ease(1.2, 0))
        self.assertGreater(ease(1.0, 1), ease(1.0, 3))
        self.assertAlmostEqual(ease(2**0.5, 0), 0.0)
        same = of(audio(sine(261.63, 2.0, 0.3)))
        scores = [best_fit(same, [], Key.parse("C major"), r)[0].score for r in (1.0, 1.1, None)]
        self.assertGreater(scores[0], scores[1])

    def test_what_lies_where_the_others_have_little_fills_it(self):
        low, high = (of(audio(sine(hz, 2.0, 0.3))) for hz in (65.4, 2093.0))
        self.assertGreater(self.fit(high, low).reasons["room"], 0.9)
        self.assertLess(self.fit(low, low).reasons["room"], 0.1)

    def test_of_many_the_rough_scores_find_those_that_fit(self):
        """The very chords, in any key, stand before other ones in any key."""
        c, f = (sum(sine(hz, 2.0, 0.2) for hz in chord) for chord in (C_MAJOR, F_MAJOR))
        song = of(audio(np.concatenate([c, f])))
        many = []
        for up in range(-5, 7):
            ratio = 2 ** (up / 12)
            c, f = (sum(sine(hz * ratio, 2.0, 0.2) for hz in chord) for chord in (C_MAJOR, F_MAJOR))
            many += [of(audio(np.concatenate(pair))).packed for pair in ((c, f), (f, c))]
        scores = rough_scores(np.stack(many), [song], None)
        self.assertGreater(scores[0::2].min(), scores[1::2].max())

    def test_alone_and_without_tones_nothing_has_a_say(self):
        silent = of(audio(np.zeros(RATE)))
        self.assertEqual(fit_of(silent, [], None).reasons, {})
        self.assertEqual(fit_of(silent, [], None).score, 0.5)

import unittest

import numpy as np

from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.stretch.auto import CHOSEN_FROM, Case, choose, why_chosen
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.stretch.strain import in_words, strain_along, strain_of
from zeroknot.core.warp.time_map import TimeMap


def case(kind, ratio=1.25, semitones=0.0, sure=0.95, density=4.0):
    return Case(SoundReading(kind, sure), density, ratio, semitones)


class AutoTest(unittest.TestCase):
    def test_kinds_get_the_method_made_for_them(self):
        for kind, method in (
            ("drums", "strike"), ("percussion", "strike"), ("chords", "weave"), ("pad", "weave"),
        ):  # fmt: skip
            for ratio in (0.75, 1.5):
                with self.subTest(kind=kind, ratio=ratio):
                    self.assertEqual(choose(case(kind, ratio), StretchSettings()).method, method)

    def test_it_always_chooses_and_says_why_in_a_few_words(self):
        for kind in ("drums", "bass", "voice", "mixed", "one hit", None):
            for ratio in (0.125, 1.0, 8.0):
                choice = choose(case(kind, ratio), StretchSettings())
                with self.subTest(kind=kind, ratio=ratio):
                    self.assertIn(choice.method, CHOSEN_FROM)
                    why = why_chosen(case(kind, ratio))
                    self.assertTrue(3 <= len(why.split()) <= 16, why)

    def test_the_kind_is_named_where_it_spoke(self):
        self.assertIn("drums", why_chosen(case("drums", 1.5)))
        for kind in ("line", "mixed", "chords"):
            for ratio in (0.75, 1.02, 2.0):
                self.assertNotIn("may be", why_chosen(case(kind, ratio)))

    def test_tones_of_a_mix_are_woven_where_its_hits_are_laid_apart(self):
        mix = SoundReading("mixed", 0.95)
        for density in (1.0, 2.0, 6.0, 12.0):
            for ratio, struck_db, parts in (
                (0.5, -1.0, "apart"), (0.75, -9.0, "apart"), (0.9, -1.0, "whole"),
                (0.5, -20.0, "whole"), (2.0, -1.0, "whole"), (0.5, None, "whole"),
            ):  # fmt: skip
                short = Case(mix, density, ratio, 0.0, struck_db)
                choice = choose(short, StretchSettings())
                with self.subTest(density=density, ratio=ratio, struck_db=struck_db):
                    self.assertEqual(choice.parts, parts)
                    if parts == "apart":
                        self.assertEqual(choice.method, "weave")
                        self.assertNotIn("may be", why_chosen(short))

    def test_half_the_formants_are_held_in_a_shift_and_more_if_asked(self):
        shift = case("voice", 1.0, 4.0)
        self.assertEqual(choose(shift, StretchSettings()).settings.formants, 0.5)
        asked = StretchSettings(formants=0.9)
        self.assertEqual(choose(shift, asked).settings.formants, 0.9)
        self.assertEqual(choose(case("drums", 1.0, 4.0), StretchSettings()).settings.formants, 0)


class StrainTest(unittest.TestCase):
    def test_a_copy_has_none_and_more_change_has_more(self):
        for kind in ("drums", "chords", "mixed"):
            method = choose(case(kind), StretchSettings()).method
            told = [strain_of(case(kind, ratio), method) for ratio in (1.0, 1.1, 1.5, 2.0)]
            with self.subTest(kind):
                self.assertEqual(told[0], 0.0)
                self.assertEqual(told, sorted(told))
                self.assertLessEqual(told[-1], 1.0)

    def test_it_grows_with_a_shift(self):
        told = [strain_of(case("chords", 1.0, s), "weave") for s in (0, 1, 5, 12)]
        self.assertEqual(told, sorted(told))

    def test_along_a_pass_it_follows_the_map(self):
        time_map = TimeMap(np.asarray([0.0, 1.0, 2.0]), np.asarray([0.0, 44_100.0, 110_250.0]))
        found = strain_along(time_map, 44_100, case("chords"), "weave")
        self.assertEqual(found.values[0], 0.0)
        self.assertGreater(found.values[1], 0.05)
        # Weighted by how long it is heard: 44 100 frames of none, 66 150 of some.
        self.assertAlmostEqual(found.mean, found.values[1] * 66_150 / 110_250)

    def test_colour_has_no_strain_and_words_rise(self):
        self.assertEqual(strain_of(case("chords", 2.0), "scatter"), 0.0)
        self.assertEqual(len({in_words(s) for s in (0.05, 0.2, 0.3, 0.6)}), 4)

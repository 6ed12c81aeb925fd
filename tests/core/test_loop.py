"""What is known of a loop: which of those who say something is gone by."""

import unittest
from dataclasses import replace

from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.key import KeyReading
from zeroknot.core.listening.reading import Claims
from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.loop import NO_KEY, Loop
from zeroknot.core.recipe.recipe import Recipe


def heard(key, confidence):
    """A loop whose key was heard so, and nothing else said."""
    hearing = Hearing(
        sounding=(0.0, 2.0), readings=(), sound=SoundReading("chords", 0.9),
        key=KeyReading(key, confidence),
    )  # fmt: skip
    return Loop(
        sha="0" * 64, name="Loft", set_name="", file_kind="wav", seconds=2.0, rate=44_100,
        channels=1, frames=88_200, claims=Claims(), hearing=hearing, warnings=(), stated=None,
        recipe=None, added_at="2026-01-01T00:00:00.000000+00:00", on_shelf=True,
    )  # fmt: skip


class KeyTest(unittest.TestCase):
    def said(self, loop):
        return loop.key, loop.key_from, loop.key_confidence

    def test_what_was_heard_is_gone_by_where_it_is_likelier_than_not(self):
        self.assertEqual(self.said(heard("G minor", 0.5)), ("G minor", "heard", 0.5))
        self.assertEqual(self.said(heard("G minor", 0.48)), (None, None, 0.48))
        self.assertEqual(self.said(heard(None, 0.0)), (None, None, 0.0))

    def test_a_person_before_its_file_before_its_recipe_before_what_was_heard(self):
        loop = heard("G minor", 0.9)
        loop = replace(loop, recipe=Recipe(kind="print", parents=(), key="D minor"))
        self.assertEqual(self.said(loop), ("D minor", "made", 1.0))
        loop = replace(loop, claims=Claims(key="A minor"))
        self.assertEqual(self.said(loop), ("A minor", "claimed", 1.0))
        loop = replace(loop, stated_key="F lydian")
        self.assertEqual(self.said(loop), ("F lydian", "stated", 1.0))
        self.assertEqual(self.said(replace(loop, stated_key=NO_KEY)), (None, "stated", 1.0))


if __name__ == "__main__":
    unittest.main()

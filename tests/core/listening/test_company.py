"""What was stated of others of a set: facts of the trade (common practice, no source)."""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.listening.test_readings import with_silence
from tests.sounds import even_notes, rendered
from zeroknot.core.listening.company import NOBODY, Company, Member
from zeroknot.core.listening.hypothesis import Hypotheses
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.listening.readings import listen

EXACT = Member(tempo_bpm=97.0, is_exact=True)


def company(*members):
    return Company("Dusty pack", members)


class CompanyTest(unittest.TestCase):
    def setUp(self):
        # Of 4 s: two bars at 120 as the file is, one bar at 60 the same, two at 128 from 0.25 s on.
        self.h = Hypotheses(
            np.asarray([0.0, 0.0, 0.25]), np.asarray([4.0, 4.0, 4.0]), np.asarray([2, 1, 2]),
            np.asarray([4, 4, 4]), np.zeros(3, np.int64), np.zeros(3, np.int64),
        )  # fmt: skip

    def odds(self, *members, **claims):
        return company(*members).odds(self.h, Claims(**claims), 4.0)

    def test_nobody_has_no_say(self):
        np.testing.assert_array_equal(NOBODY.odds(self.h, Claims(tempo_bpm=120), 4.0), 0.0)
        self.assertEqual(NOBODY.said(Reading(2, 4, 120.0, 0.0, 4.0, 0.5), Claims(), 4.0), "")

    def test_a_pack_that_is_cut_exactly_speaks_for_the_whole_file(self):
        far = Member(tempo_bpm=33.0, is_exact=True)
        for_it = self.odds(*[far] * 6)
        self.assertGreater(for_it[0], for_it[2] + 1.0)
        loose = replace(far, is_exact=False)
        against = self.odds(*[loose] * 6)
        self.assertLess(against[0], against[2] - 1.0)
        # Six of one and half a dozen of the other are less than what is usual.
        self.assertLess(self.odds(*[far] * 3, *[loose] * 3)[0], 0.0)

    def test_the_octave_that_others_are_counted_in(self):
        slow = [Member(tempo_bpm=62.0 + i, is_exact=True) for i in range(4)]
        odds = self.odds(*slow)
        self.assertGreater(odds[1], odds[0] + 1.0)

    def test_the_very_tempo_of_others_speaks_for_itself(self):
        odds = self.odds(Member(128.0, is_exact=False))
        self.assertGreater(odds[2], odds[0] + 1.0)

    def test_names_that_were_right_before_count_for_more_and_wrong_ones_for_less(self):
        right = Member(33.0, is_exact=True, claimed_bpm=33.0)
        wrong = Member(33.0, is_exact=True, claimed_bpm=44.0)
        believed = self.odds(*[right] * 4, tempo_bpm=120.0) - self.odds(*[right] * 4)
        doubted = self.odds(*[wrong] * 4, tempo_bpm=120.0) - self.odds(*[wrong] * 4)
        np.testing.assert_allclose(believed, [np.log(5), 0, 0])
        np.testing.assert_allclose(doubted, [-np.log(5), 0, 0])
        reading, claims = Reading(2, 4, 120.0, 0.0, 4.0, 0.5), Claims(tempo_bpm=120.0)
        self.assertIn("named rightly", company(*[right] * 4).said(reading, claims, 4.0))
        self.assertNotIn("named", company(*[wrong] * 4).said(reading, claims, 4.0))

    def test_what_a_member_is(self):
        stated = Reading(2, 4, 120.0, 0.0, 4.0, 1.0)
        self.assertEqual(Member.of("a", 4.004, Claims(), stated), Member(120.0, True, sha="a"))
        self.assertFalse(Member.of("a", 4.5, Claims(), stated).is_exact)

    def test_nobody_is_company_of_itself(self):
        one, other = (replace(EXACT, sha=sha) for sha in ("a", "b"))
        self.assertEqual(company(one, other).without("a").members, (other,))

    def test_one_bar_or_two_is_told_by_the_projects_tempo_and_by_habit(self):
        h = hypotheses_at(77.0, 154.0, 100.0)
        slow, fast, other = Company(project_bpm=87.0).odds(h, Claims(), 4.0)
        self.assertGreater(slow, fast + 0.4)
        self.assertEqual(other, slow)
        slow, fast, _ = Company(project_bpm=174.0).odds(h, Claims(), 4.0)
        self.assertGreater(fast, slow + 0.4)
        slow, fast, _ = Company(habit=counted(150.0, 170.0, 165.0, 160.0)).odds(h, Claims(), 4.0)
        self.assertGreater(fast, slow + 0.4)
        # However much was counted elsewhere, it weighs no more than three of its own set.
        slow, fast, _ = Company(habit=counted(*[160.0] * 40)).odds(h, Claims(), 4.0)
        self.assertLess(fast - slow, np.log(4) + 1e-9)

    def test_what_was_surely_heard_of_a_set_weighs_half(self):
        h = hypotheses_at(96.0, 120.0)
        heard = Company(heard=(("a", 96.0), ("b", 96.0))).odds(h, Claims(), 4.0)
        stated = company(*[Member(96.0, False)] * 2).odds(h, Claims(), 4.0)
        self.assertGreater(heard[0], heard[1] + 0.5)
        self.assertGreater(stated[0] - stated[1], heard[0] - heard[1])
        self.assertEqual(Company(heard=(("a", 96.0),)).without("a").heard, ())
        self.assertEqual(Company(habit=counted(96.0, 97.0)).without("0").habit, (("1", 97.0),))

    def test_what_tells_is_said_only_where_it_told(self):
        reading = Reading(1, 4, 154.0, 0.0, 4.0, 0.5)
        near = Company("Pack", project_bpm=160.0)
        self.assertIn("near the project's 160", near.said(reading, Claims(), 4.0, is_doubted=True))
        self.assertEqual(near.said(reading, Claims(), 4.0), "")
        self.assertEqual(Company(project_bpm=80.0).said(reading, Claims(), 4.0, True), "")
        habit = Company(habit=counted(150.0, 160.0)).said(reading, Claims(), 4.0, True)
        self.assertEqual(habit, "counted as you counted others")
        heard = Company("Pack", heard=(("a", 154.0), ("b", 154.0), ("c", 90.0)))
        self.assertEqual(heard.said(reading, Claims(), 4.0), "at the tempo of 2 others of Pack")


def counted(*tempos):
    """What a person stated elsewhere."""
    return tuple((str(i), bpm) for i, bpm in enumerate(tempos))


def hypotheses_at(*tempos):
    """One bar of four at each, from the file's start."""
    tempos = np.asarray(tempos)
    n = tempos.size
    ones, zeros = np.ones(n, np.int64), np.zeros(n, np.int64)
    return Hypotheses(np.zeros(n), 240.0 / tempos, ones, 4 * ones, zeros, 2 + zeros)


class ListenTest(unittest.TestCase):
    def test_what_is_open_is_read_as_its_company_is_and_says_so(self):
        sound, slow = even_notes(), Member(tempo_bpm=960 / 11, is_exact=True)
        alone = {r.bars: r.confidence for r in listen(sound).readings}
        beside = listen(sound, company=company(slow, slow, slow)).readings
        right = next(r for r in beside if r.bars == 2 and abs(r.tempo_bpm - 87.3) < 0.1)
        self.assertGreater(right.confidence, alone[2] + 0.1)
        self.assertIn("at the same tempo, as 3 others of Dusty pack that you stated", right.reason)
        self.assertLessEqual(sum(r.confidence for r in beside), 1.0)
        # The project's tempo alone, and what it told.
        beside = listen(sound, company=Company(project_bpm=85.0)).readings
        right = next(r for r in beside if r.bars == 2 and abs(r.tempo_bpm - 87.3) < 0.1)
        self.assertGreater(right.confidence, alone[2] + 0.1)
        self.assertIn("counted near the project's 85", right.reason)

    def test_it_never_binds(self):
        sure = rendered("drums_103")
        others = [Member(tempo_bpm=51.5, is_exact=False)] * 8
        best = listen(sure, company=company(*others)).best
        self.assertEqual((best.bars, round(best.tempo_bpm)), (2, 103))
        late = with_silence(sure, 0.37)
        best = listen(late, company=company(*[EXACT] * 8)).best
        self.assertAlmostEqual(best.downbeat_s, 0.37, delta=0.02)

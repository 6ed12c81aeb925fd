"""What was stated of others of a set: facts of the trade (common practice, no source)."""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.listening.test_readings import with_silence
from tests.sounds import rendered
from zeroknot.core.listening.company import NOBODY, Company, Member
from zeroknot.core.listening.hypotheses import Hypotheses
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


class ListenTest(unittest.TestCase):
    def test_a_bass_that_is_open_is_read_as_its_company_is_and_says_so(self):
        sound = rendered("bass_97")
        alone = {(r.bars, round(r.tempo_bpm, 1)): r.confidence for r in listen(sound).readings}
        beside = listen(sound, company=company(EXACT, EXACT, EXACT)).readings
        right = next(r for r in beside if r.bars == 1 and abs(r.tempo_bpm - 97) < 0.1)
        self.assertGreater(right.confidence, alone[(1, 97.0)] + 0.1)
        self.assertIn("at the same tempo, as 3 others of Dusty pack that you stated", right.reason)
        self.assertLessEqual(sum(r.confidence for r in beside), 1.0)

    def test_it_never_binds(self):
        sure = rendered("drums_103")
        others = [Member(tempo_bpm=51.5, is_exact=False)] * 8
        best = listen(sure, company=company(*others)).best
        self.assertEqual((best.bars, round(best.tempo_bpm)), (2, 103))
        late = with_silence(sure, 0.37)
        best = listen(late, company=company(*[EXACT] * 8)).best
        self.assertAlmostEqual(best.downbeat_s, 0.37, delta=0.02)

import unittest

from zeroknot.core.listening.claimed import claimed_reading
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims, Reading


def hearing(*readings):
    return Hearing(sounding=(0.1, 7.5), readings=readings)


class ClaimedReadingTest(unittest.TestCase):
    def setUp(self):
        self.heard = Reading(2, 4, 60.0, 0.5, 8.5, 0.7)

    def test_a_tempo_takes_the_bars_that_come_nearest_to_the_loop(self):
        # 8 s at 90 BPM are twelve beats, three bars of 4/4 (60 · beats / tempo, CHECKS.md).
        claimed = claimed_reading(Claims(tempo_bpm=90.0), hearing(self.heard), 9.0)
        self.assertEqual((claimed.bars, claimed.beats_per_bar, claimed.tempo_bpm), (3, 4, 90.0))
        self.assertEqual((claimed.downbeat_s, claimed.end_s, claimed.confidence), (0.5, 8.5, 0.0))

    def test_bars_alone_keep_the_length(self):
        claimed = claimed_reading(Claims(bars=4), hearing(self.heard), 9.0)
        self.assertEqual((claimed.bars, claimed.tempo_bpm), (4, 120.0))

    def test_loop_marks_are_its_edges(self):
        claims = Claims(bars=1, loop_start_s=1.0, loop_end_s=3.0)
        claimed = claimed_reading(claims, hearing(), 9.0)
        self.assertEqual((claimed.downbeat_s, claimed.end_s, claimed.tempo_bpm), (1.0, 3.0, 120.0))

    def test_what_was_heard_as_well_or_is_not_said_is_no_reading_of_its_own(self):
        for claims in (Claims(), Claims(key="D minor"), Claims(tempo_bpm=60.0)):
            with self.subTest(claims):
                self.assertIsNone(claimed_reading(claims, hearing(self.heard), 9.0))

    def test_the_source_is_named(self):
        claims = Claims(tempo_bpm=90.0, sources=("file name",))
        self.assertIn("file name", claimed_reading(claims, hearing(self.heard), 9.0).reason)

"""What a person does with knots: each an intent, each undone in one step."""

import numpy as np

from tests.sounds import audio, drum_loop
from tests.studio.helper import StudioTest
from tests.takes import beat_times, drummer, wandering
from zeroknot.core.errors import EditError, KnotError, StretchError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.studio.intents.knots import (
    Fasten,
    Loosen,
    PlaceKnot,
    RemoveKnots,
    SetStraightening,
    StraightenBeats,
    TieKnots,
    Unstraighten,
)
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.readings import AdoptReading, LayOn, ShiftGrid, StateReading
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.web.api.hand_wire import hand_json


class KnotsTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.sha = self.bring(wav_bytes(audio(0.5 * drum_loop(100, 2)), 16), "plates.wav").sha
        self.project = self.studio.projects.create("a song")
        self.submit(self.project, Place(hand=self.sha, beat=0))
        self.submit(self.project, StateReading(hand=self.sha, bars=2))

    def strand(self):
        return self.studio.projects.state(self.project).project.strands[0]

    def ask(self, intent):
        return self.submit(self.project, intent)

    def tie(self, *knots):
        return self.ask(TieKnots(hand=self.sha, knots=tuple(PlaceKnot(**k) for k in knots)))

    def test_tying_moving_and_removing_are_one_step_each(self):
        self.assertEqual(self.tie({"second": 1.2}).undo, "tie a knot")
        self.assertFalse(self.strand().warp.knots[1].beat % 1 > 0.01)
        self.assertEqual(self.tie({"at": 1.2, "second": 1.2, "beat": 2.5}).undo, "move a knot")
        self.assertTrue(self.strand().by_hand)
        state = self.ask(RemoveKnots(hand=self.sha, seconds=(1.2,)))
        self.assertEqual((state.undo, len(self.strand().knots)), ("remove a knot", 2))
        for _ in range(3):
            self.studio.projects.undo(self.project)
        self.assertEqual(len(self.strand().knots), 2)
        self.assertFalse(self.strand().by_hand)

    def test_moving_an_end_along_the_recording_says_what_the_loop_is(self):
        self.assertEqual(self.tie({"at": 0.0, "second": 0.6}).undo, "correct downbeat")
        loop = self.studio.shelf.loop(self.sha)
        self.assertEqual((loop.stated.bars, loop.stated.downbeat_s), (2, 0.6))
        self.studio.projects.undo(self.project)
        self.assertNotEqual(self.studio.shelf.loop(self.sha).reading.downbeat_s, 0.6)

    def test_what_could_not_be_rendered_is_refused_and_changes_nothing(self):
        before = self.strand()
        for knots, error in (
            ([{"second": 1.0, "beat": 7.9}, {"second": 1.05, "beat": 7.95}], StretchError),
            ([{"second": 1.0, "beat": 4.0}, {"second": 1.1, "beat": 3.0}], KnotError),
            ([{"second": 1.0, "beat": 9.0}], KnotError),
            ([{"at": 1.0, "second": 1.1}], KnotError),
        ):
            with self.subTest(knots=knots), self.assertRaises(error):
                self.tie(*knots)
        with self.assertRaises(EditError):
            self.ask(RemoveKnots(hand=self.sha, seconds=(0.0,)))
        self.assertEqual(self.strand(), before)

    def test_interior_knots_outlive_what_is_read_and_laid_anew(self):
        self.tie({"second": 1.2, "beat": 2.5})
        self.ask(LayOn(hand=self.sha, beats=16))
        self.assertEqual(self.strand().warp.beat_of_second(1.2), 5.0)
        self.ask(StateReading(hand=self.sha, bars=4))
        self.assertEqual((self.strand().span, self.strand().warp.beat_of_second(1.2)), (32, 10.0))
        self.ask(ShiftGrid(hand=self.sha, beats=1.0))
        self.assertAlmostEqual(self.strand().warp.beat_of_second(1.2), 11.0)

    def test_fit_opens_where_the_project_is_too_fast_for_the_loop(self):
        self.ask(LayOn(hand=self.sha, beats=2))
        self.ask(SetSteadyTempo(bpm=400))
        tree = self.studio.projects.state(self.project).project
        with self.assertRaises(StretchError):
            self.studio.hand_sheet(tree, self.sha, 0.0)
        shown = hand_json(tree, self.studio.hand(tree, self.sha))
        self.assertIsNone(shown["strained"])

    def test_fasten_and_loosen(self):
        self.ask(Fasten(hand=self.sha, start_s=1.0, end_s=2.0))
        self.assertEqual(self.strand().fastened, ((1.0, 2.0),))
        lay = [self.strand().warp.beat_of_second(s) for s in (1.0, 1.4, 2.0)]
        self.tie({"second": 2.4, "beat": 4.4})
        self.assertEqual([self.strand().warp.beat_of_second(s) for s in (1.0, 1.4, 2.0)], lay)
        with self.assertRaisesRegex(KnotError, "fastened"):
            self.tie({"second": 1.5, "beat": 3.0})
        self.ask(Loosen(hand=self.sha, second=1.5))
        self.tie({"second": 1.5, "beat": 3.0})
        with self.assertRaises(EditError):
            self.ask(Loosen(hand=self.sha))


class StraightenTest(StudioTest):
    """A take that drifts by 5 % and changes inside, with a pickup and silence in front."""

    def setUp(self):
        super().setUp()
        self.times = beat_times(wandering(98, 5, 64, change=(32, 1.06), seed=8), 64, 1.6)
        samples, self.hits = drummer(self.times, pickup=1, loose_ms=2)
        self.sha = self.bring(wav_bytes(audio(0.5 * samples), 16), "take.wav").sha
        self.project = self.studio.projects.create("a song")
        # The one is the second beat; said by the person, as the loop's bars.
        self.one, self.end = float(self.times[1]), float(self.times[61])
        said = StateReading(
            hand=self.sha, bars=15, beats_per_bar=4, downbeat_s=self.one, end_s=self.end
        )
        self.submit(self.project, said)

    def strand(self):
        return self.studio.projects.state(self.project).project.strands[0]

    def off(self):
        """Median ms at 98 BPM that hits in the pass lie from the beat they were played on."""
        warp = self.strand().warp
        inside = [(s, p - 1) for s, p in self.hits if self.one <= s < self.end]
        return np.median([abs(warp.beat_of_second(s) - p) for s, p in inside]) * 60_000 / 98

    def straighten(self, **how):
        return self.submit(self.project, StraightenBeats(hand=self.sha, **how))

    def test_every_beat_and_every_so_many(self):
        self.assertGreater(self.off(), 60)
        for every, unit, most in ((1, "beats", 5), (4, "beats", 25), (1, "bars", 25)):
            self.assertIn("straighten every", self.straighten(every=every, unit=unit).undo)
            self.assertLess(self.off(), most)
            self.studio.projects.undo(self.project)
        self.assertGreater(self.off(), 60)

    def test_the_amount_is_turned_down_from_the_base(self):
        self.straighten()
        full = [k.beat for k in self.strand().warp.knots]
        for amount in (0.95, 0.6, 1.0):
            self.submit(self.project, SetStraightening(hand=self.sha, amount=amount))
        np.testing.assert_allclose([k.beat for k in self.strand().warp.knots], full)
        self.submit(self.project, Unstraighten(hand=self.sha))
        self.assertEqual(len(self.strand().warp.knots), 2)

    def test_a_selection_keeps_what_was_tied_elsewhere(self):
        third = float(self.times[20]), float(self.times[30])
        self.straighten(over=third)
        first = len(self.strand().straighten.ties)
        self.assertEqual(first, 11)
        self.straighten(every=2, over=(float(self.times[40]), float(self.times[50])))
        self.assertGreater(len(self.strand().straighten.ties), first)
        kept = [t.second for t in self.strand().straighten.ties if t.second < third[1] + 0.1]
        self.assertEqual(len(kept), first)

    def test_a_wrong_count_is_put_right_by_the_beats(self):
        # Read as 17 bars: the beats that are heard say otherwise.
        said = StateReading(
            hand=self.sha, bars=17, beats_per_bar=4, downbeat_s=self.one, end_s=self.end
        )
        self.submit(self.project, said)
        self.straighten()
        self.assertEqual((self.strand().span, self.strand().reading.bars), (60, 15))
        self.assertEqual(self.studio.shelf.loop(self.sha).stated.bars, 15)
        self.assertLess(self.off(), 5)

    def test_refusals(self):
        with self.assertRaises(EditError):
            self.straighten(every=3)
        with self.assertRaises(EditError):
            self.submit(self.project, SetStraightening(hand=self.sha, amount=0.5))
        with self.assertRaises(KnotError):
            self.straighten(over=(3.0, 3.1))
        silence = self.bring(wav_bytes(audio(np.zeros(44_100)), 16), "nothing.wav").sha
        with self.assertRaises(KnotError):
            self.submit(self.project, StraightenBeats(hand=silence))

    def test_adopting_another_reading_keeps_the_moments(self):
        self.straighten()
        self.submit(self.project, AdoptReading(hand=self.sha, index=0))
        warp = self.strand().warp
        self.assertTrue(
            all(a.beat < b.beat for a, b in zip(warp.knots, warp.knots[1:], strict=False))
        )

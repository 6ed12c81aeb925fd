"""Lines of what clips go by, read where passes and strokes begin; lines that go with clips."""

import numpy as np

from tests.studio.test_clips import ClipsTest
from zeroknot.core.errors import EditError
from zeroknot.core.mixing.filters import filtered
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.document.desk import LinePoint
from zeroknot.document.edits.clip import ChangeClip, Move
from zeroknot.document.edits.desk import SetLine
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.lines import value_on
from zeroknot.document.project import Track
from zeroknot.studio.intents.bars import DoBars
from zeroknot.studio.intents.carrying import CarryClips
from zeroknot.studio.intents.clips import ReverseClips
from zeroknot.studio.intents.cutting import ChangePieces, CutUp
from zeroknot.studio.intents.groove import LayOver, MakeSwing
from zeroknot.studio.intents.knots import StraightenBeats
from zeroknot.studio.sheets import SheetMaker


def points(*pairs, shape="line"):
    return tuple(LinePoint(beat=beat, value=value, shape=shape) for beat, value in pairs)


class MovingTest(ClipsTest):
    def setUp(self):
        super().setUp()
        self.do(ChangeClip(clip=self.clip, passes=4))
        self.track = self.tree().tracks[0].id

    def line(self, name, *pairs, shape="line"):
        self.do(SetLine(track=self.track, name=name, points=points(*pairs, shape=shape)))

    def maker(self, before=None):
        tree = self.tree()
        return SheetMaker(tree, self.studio.loops.named(tree.loops()), before)

    def plans(self):
        """Of each pass, in order."""
        maker = self.maker()
        return [maker.plans[e.digest] for e in maker.laid[self.clip].events]


class PassesTest(MovingTest):
    def test_a_shift_holds_from_pass_to_pass(self):
        self.line("shift_st", (0.0, 0.0), (3 * self.span, 6.0))
        self.assertEqual([p.semitones for p in self.plans()], [0, 2, 4, 6])
        self.line("shift_st", (0.0, 0.0), (self.span + 0.5, 5.0), shape="step")
        # In its middle nothing happens: the next pass has it.
        self.assertEqual([p.semitones for p in self.plans()], [0, 0, 5, 5])

    def test_the_amount_of_a_groove_and_of_straightening(self):
        strand = self.tree().strands[0].id
        self.do(StraightenBeats(hand=strand, every=1))
        full = self.plans()[0].knots
        self.line("straight_share", (0.0, 0.0), (self.span, 1.0), shape="step")
        none, *rest = self.plans()
        self.assertNotEqual(none.knots, full)
        self.assertEqual({p.knots for p in rest}, {full})
        self.do(MakeSwing(percent=66.0, per_beat=2))
        self.do(LayOver(hand=strand, kept=self.tree().grooves[0].id))
        swung = self.plans()[1].knots
        self.line("groove_share", (0.0, 0.0), (2 * self.span, 1.0), shape="step")
        knots = [p.knots for p in self.plans()]
        self.assertEqual(knots[2], swung)
        self.assertNotEqual(knots[1], swung)

    def test_only_what_a_line_changes_is_laid_anew(self):
        before = self.maker()
        self.line("level_db", (0.0, -3.0), (8.0, -9.0))
        self.assertIs(self.maker(before).laid[self.clip], before.laid[self.clip])
        self.line("shift_st", (0.0, 2.0))
        after = self.maker(before)
        self.assertIsNot(after.laid[self.clip], before.laid[self.clip])
        self.assertEqual(
            [e.id for e in after.laid[self.clip].events], [f"{self.clip}:{k}" for k in range(4)]
        )

    def test_the_master_has_no_passes_and_a_range_is_held(self):
        with self.assertRaisesRegex(EditError, "not the master"):
            self.do(SetLine(track="master", name="shift_st", points=points((0.0, 1.0))))
        with self.assertRaisesRegex(EditError, "from -24 to 24"):
            self.line("shift_st", (0.0, 30.0))


class StrokesTest(MovingTest):
    def setUp(self):
        super().setUp()
        self.do(CutUp(hand=self.tree().strands[0].id, by="equal", count=8))

    def strokes(self):
        """(song beat, shape) of every stroke."""
        found = []
        for k, plan in enumerate(self.plans()):
            assert isinstance(plan, OrderPlan)
            found += [(k * self.span + v.at / 26_460, v.shape) for v in plan.voices]
        return sorted(found, key=lambda one: one[0])

    def test_a_filter_opens_from_stroke_to_stroke(self):
        self.line("slices_cut_hz", (0.0, 200.0), (4 * self.span, 3200.0))
        strokes = self.strokes()
        self.assertEqual(len(strokes), 32)
        for beat, shape in strokes:
            self.assertEqual(shape.filter, "low")
            wanted = 200.0 * 16 ** (beat / (4 * self.span))
            self.assertLess(abs(shape.cutoff_hz / wanted - 1), 0.02)
        quiet, loud = (
            np.abs(np.diff(self.heard()[0][a : a + 100_000])).max() for a in (20_000, 700_000)
        )
        self.assertGreater(loud, 1.5 * quiet)  # what is higher came through

    def test_drive_takes_the_place_of_the_pieces_own_and_a_filter_stays_of_its_kind(self):
        hand = self.tree().strands[0].id
        self.do(ChangePieces(hand=hand, shape={"filter": "high", "drive_db": 3.0}))
        self.line("slices_drive_db", (0.0, 0.0), (self.span, 12.0), shape="step")
        self.line("slices_cut_hz", (0.0, 900.0))
        shapes = [shape for _, shape in self.strokes()]
        self.assertEqual({s.filter for s in shapes}, {"high"})
        self.assertEqual([s.drive_db for s in shapes], [0.0] * 8 + [12.0] * 24)

    def test_all_the_way_open_it_is_as_without(self):
        before = self.heard()
        self.line("slices_cut_hz", (0.0, 20_000.0))
        np.testing.assert_allclose(self.heard(), before, atol=1e-6)


class WithinStrokesTest(MovingTest):
    """One slice, as long as the pass."""

    def setUp(self):
        super().setUp()
        self.do(CutUp(hand=self.tree().strands[0].id, by="equal", count=1))
        self.frames = round(self.span * 26_460)
        self.dry = self.heard()

    def assert_near(self, wanted, first=2_000, below=2e-4):
        """A pass, but for its first milliseconds: its slice has fades of its own."""
        found = self.heard()
        size = min(found.shape[1], wanted.shape[1], self.frames) - 2_000
        off = np.abs(found[:, first:size] - wanted[:, first:size]).max()
        self.assertLess(off, below)

    def test_a_filter_goes_along_its_line_within_a_slice(self):
        self.line("slices_cut_hz", (0.0, 200.0), (4.0, 3200.0), (self.span, 300.0))
        beats = np.arange(self.dry.shape[1]) / 26_460
        octaves = np.interp(beats, (0.0, 4.0, self.span), np.log2((200.0, 3200.0, 300.0)))
        dry = self.dry.astype(np.float32)
        self.assert_near(filtered(dry, "low", 2.0**octaves, 0.0, 44_100), 20_000)

    def test_backwards_it_goes_along_the_song(self):
        self.do(ChangeClip(clip=self.clip, passes=1))
        self.do(CutUp(hand=self.tree().strands[0].id, by="equal", count=3))
        self.do(ReverseClips(clips=(self.clip,)))
        turned = self.heard()
        self.line("slices_drive_db", (0.0, 0.0), (6.0, 24.0), shape="step")
        found = self.heard()
        border = 6 * 26_460
        off = np.abs(found - turned)
        edge = round(16 / 3 * 26_460)  # of the slice that is driven: it has fades of its own
        for a, b in ((3_000, edge - 3_000), (edge + 3_000, border - 3_000)):
            self.assertLess(off[:, a:b].max(), 1e-5)
        self.assertGreater(off[:, border + 3_000 : self.frames - 3_000].max(), 0.05)

    def test_drive_is_that_of_each_moment(self):
        self.line("slices_drive_db", (0.0, 3.0), (self.span, 18.0))
        plan = self.plans()[0]
        self.assertEqual([v for _, v in plan.voices[0].drive], [3.0, 18.0])
        again = plan_of_text(plan.text)
        self.assertEqual(again.digest, plan.digest)
        self.assertEqual(again, plan)
        # The loop lies at -6 dB on its track: what is driven is before that.
        drive = np.interp(np.arange(self.dry.shape[1]) / 26_460, (0.0, self.span), (3.0, 18.0))
        gain, level = 10 ** (drive / 20), 10 ** (-6.0 / 20)
        self.assert_near(np.tanh(gain * self.dry / level) / np.tanh(gain) * level)

    def test_a_line_that_stays_is_no_other_render_than_a_number(self):
        self.line("slices_cut_hz", (0.0, 900.0), (self.span, 900.0))
        plan = self.plans()[0]
        self.assertEqual((plan.voices[0].cutoff, plan.voices[0].shape.cutoff_hz), ((), 900.0))


class CarriedTest(MovingTest):
    def value(self, beat, track=None, name="level_db"):
        lines = self.tree().track(track or self.track).lines
        line = next(one for one in lines if one.name == name)
        return value_on(line.points, beat, name.endswith("_hz"))

    def test_a_line_goes_along_and_is_as_it_was_elsewhere(self):
        self.line("level_db", (0.0, -6.0), (8.0, -20.0), (16.0, -6.0), (60.0, -10.0))
        self.do(ChangeClip(clip=self.clip, slip=0.0, length=8.0, beat=4.0))
        before = {beat: self.value(beat) for beat in (1.0, 3.9, 5.0, 8.0, 11.0, 13.0, 50.0, 59.0)}
        self.do(CarryClips(moves=(Move(clip=self.clip, beat=36.0, track=self.track),)))
        for beat in (1.0, 3.9, 13.0, 50.0, 59.0):
            self.assertAlmostEqual(self.value(beat), before[beat], delta=0.6)
        for beat in (5.0, 8.0, 11.0):
            self.assertAlmostEqual(self.value(beat + 32), before[beat], delta=0.01)
        self.undo()
        self.assertEqual(len(self.tree().track(self.track).lines[0].points), 4)

    def test_onto_another_track_and_several_at_once(self):
        self.do(AddTrack(track=Track(id="other", name="Other")))
        self.line("level_db", (0.0, 0.0), (16.0, -12.0))
        self.do(CarryClips(moves=(Move(clip=self.clip, beat=4.0, track="other"),)))
        self.assertAlmostEqual(self.value(12.0, "other"), -6.0, delta=0.01)
        self.assertAlmostEqual(self.value(1.0, "other"), -6.0)  # where it is without a line
        self.assertEqual(self.tree().clip(self.clip).track, "other")

    def test_without_lines_it_is_a_move(self):
        self.do(CarryClips(moves=(Move(clip=self.clip, beat=4.0, track=self.track),)))
        self.assertEqual(self.tree().clip(self.clip).beat, 4.0)
        self.assertEqual(self.tree().track(self.track).lines, ())

    def test_bars_take_such_lines_along_like_any_other(self):
        self.line("shift_st", (0.0, 0.0), (8.0, 5.0), shape="step")
        self.do(DoBars(what="insert", bar=2))
        self.assertEqual(self.value(11.0, name="shift_st"), 0.0)
        self.assertEqual(self.value(12.5, name="shift_st"), 5.0)

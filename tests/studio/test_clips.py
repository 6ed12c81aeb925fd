"""Clips split, joined, slipped, left by beats; bars put in, taken out, said again. What is heard is
compared by mixing the song, to the bit where nothing may change."""

import numpy as np
from pydantic import ValidationError

from tests.sounds import rendered
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.mixing.mix import mix
from zeroknot.document.edits.clip import ChangeClip, Move, MoveClips, RemoveClips
from zeroknot.document.edits.time import SetMetres
from zeroknot.studio.intents.bars import DoBars
from zeroknot.studio.intents.clips import (
    ChangeClips,
    JoinClips,
    KeepBeats,
    SlipClips,
    SplitClips,
    SwapMutes,
)
from zeroknot.studio.intents.cutting import CutUp
from zeroknot.studio.intents.key import SetKeyAt
from zeroknot.studio.intents.knots import FollowTempo
from zeroknot.studio.intents.ordering import DealOrder
from zeroknot.studio.intents.phrases import GroupClips
from zeroknot.studio.intents.placing import CopyClips, Place
from zeroknot.studio.intents.repeating import RepeatClips
from zeroknot.studio.intents.stretch import SetShift
from zeroknot.studio.intents.time import SetSteadyTempo, SetTempoPoint
from zeroknot.studio.intents.trying import TryUnder
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.tasks.rendering import rendering_of


class ClipsTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("Slate")
        self.do(SetSteadyTempo(bpm=100))
        item = self.bring(wav_bytes(rendered("keys_88"), 16), "keys_88.wav")
        self.sha = item.sha
        self.do(Place(hand=item.sha, beat=0, passes=2))
        self.span = self.tree().strands[0].round_beats
        self.clip = self.tree().clips[0].id

    def do(self, intent):
        return self.submit(self.project, intent)

    def undo(self):
        self.studio.projects.undo(self.project)

    def tree(self):
        return self.studio.projects.state(self.project).project

    def clips(self):
        tree = self.tree()
        return [
            (c.beat, tree.clip_length(c), c.slip)
            for c in sorted(tree.clips, key=lambda c: (c.track, c.beat))
        ]

    def ids(self):
        return tuple(c.id for c in sorted(self.tree().clips, key=lambda c: c.beat))

    def heard(self):
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        read = lambda digest, at, count: rendering_of(  # noqa: E731
            self.studio.store.folder, maker.plans[digest]
        ).frames(at, count)
        sheet = maker.arrangement()
        return mix(sheet, read, sheet.first_frame, sheet.end_frame - sheet.first_frame)


class SplitTest(ClipsTest):
    def test_wherever_it_is_cut_the_song_is_the_same_to_the_bit(self):
        before = self.heard()
        rng = np.random.default_rng(3)
        for count in (1, 3, 9):
            beats = tuple(rng.uniform(0, 2 * self.span, count).tolist())
            self.do(SplitClips(clips=(self.clip,), beats=(*beats, self.span)))
            self.assertGreater(len(self.ids()), 2)
            np.testing.assert_array_equal(self.heard(), before)
            self.undo()
        # Also where the tail of one pass rings into the next, a little after the line.
        self.do(SplitClips(clips=(self.clip,), beats=(self.span + 0.05, self.span + 0.5)))
        np.testing.assert_array_equal(self.heard(), before)

    def test_a_piece_that_is_moved_away_fades_at_its_edges(self):
        self.do(SplitClips(clips=(self.clip,), beats=(2.3,)))
        self.do(
            MoveClips(moves=(Move(clip=self.ids()[1], beat=20.0, track=self.tree().tracks[0].id),))
        )
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        first, moved = (maker.laid[id_].events for id_ in self.ids())
        self.assertGreater(first[-1].fade_out, 0)
        self.assertGreater(moved[0].fade_in, 0)

    def test_at_every_beat_and_at_slices(self):
        self.do(SplitClips(clips=(self.clip,), every=1.0))
        self.assertEqual(len(self.ids()), 2 * self.span)
        self.assertTrue(all(length == 1.0 for _, length, _ in self.clips()))
        self.undo()
        with self.assertRaisesRegex(EditError, "not cut into slices"):
            self.do(SplitClips(clips=(self.clip,), slices=True))
        strand = self.tree().strands[0].id
        self.do(CutUp(hand=strand, by="equal", count=8))
        self.do(SplitClips(clips=(self.clip,), slices=True))
        self.assertEqual(len(self.ids()), 16)
        self.undo()
        self.do(DealOrder(hand=strand, seed=4))
        before = self.heard()
        self.do(SplitClips(clips=(self.clip,), slices=True))
        self.assertEqual(len(self.ids()), 16)
        np.testing.assert_array_equal(self.heard(), before)

    def test_in_sixteenths_its_last_beat(self):
        end = 2 * self.span
        self.do(SplitClips(clips=(self.clip,), beats=tuple(end - 1 + i / 4 for i in range(4))))
        self.assertEqual([c[1] for c in self.clips()][1:], [0.25] * 4)

    def test_in_its_own_time_it_stays_the_same_to_the_bit(self):
        self.do(FollowTempo(hand=self.tree().strands[0].id, follows=False))
        before = self.heard()
        self.do(SplitClips(clips=(self.clip,), beats=(1.3, 3.0, 4.7)))
        np.testing.assert_array_equal(self.heard(), before)
        self.do(JoinClips(clips=self.ids()))
        self.assertEqual(len(self.ids()), 1)

    def test_a_fade_is_not_cut_in_two_and_one_that_is_asked_for_at_a_cut_is_heard(self):
        self.do(ChangeClips(clips=(self.clip,), fade_in_ms=1500.0, fade_out_ms=400.0))
        before = self.heard()
        self.do(SplitClips(clips=(self.clip,), every=1.0))
        self.assertEqual(self.clips()[0][1], 3.0)  # 1.5 s are two beats and a half
        np.testing.assert_array_equal(self.heard(), before)
        two = self.ids()[1]
        self.assertEqual(self.tree().clip(two).fade_in_ms, 3.0)
        self.do(ChangeClips(clips=(two,), fade_in_ms=300.0))
        late = round(3 * 0.6 * 44_100)
        after = self.heard()
        quiet = np.abs(after[:, late : late + 1000]).max()
        self.assertLess(quiet, 0.1 * np.abs(before[:, late : late + 1000]).max())
        self.undo()
        self.undo()
        with self.assertRaisesRegex(EditError, "its fades aside"):
            self.do(SplitClips(clips=(self.clip,), beats=(1.0,)))

    def test_outside_it_and_at_its_edges_there_is_nothing_to_cut(self):
        for beats in ((), (0.0,), (2 * self.span,), (-3.0, 900.0)):
            with self.assertRaisesRegex(EditError, "no place inside"):
                self.do(SplitClips(clips=(self.clip,), beats=beats))

    def test_under_a_moving_tempo_a_key_change_and_another_key_it_stays_the_same(self):
        self.do(SetTempoPoint(beat=3.0, bpm=120.0))
        self.do(SetKeyAt(bar=1, key="C major"))
        self.do(SetKeyAt(bar=2, key="E major"))
        before = self.heard()
        self.do(SplitClips(clips=(self.clip,), beats=(1.7, 4.4, 7.9, self.span)))
        difference = np.abs(self.heard() - before).max()
        self.assertLess(20 * np.log10(difference + 1e-12), -90)


class JoinTest(ClipsTest):
    def test_what_was_split_is_one_again(self):
        before, heard = self.clips(), self.heard()
        self.do(SplitClips(clips=(self.clip,), beats=(1.3, 5.0, 9.9)))
        self.do(JoinClips(clips=self.ids()))
        self.assertEqual(self.clips(), before)
        np.testing.assert_array_equal(self.heard(), heard)

    def test_what_does_not_go_on_is_left_with_a_sentence(self):
        self.do(SplitClips(clips=(self.clip,), beats=(2.0, 4.0, 6.0)))
        one, two, three, four = self.ids()
        self.do(ChangeClip(clip=two, gain_db=-3.0))
        with self.assertRaisesRegex(EditError, "do not go on"):
            self.do(JoinClips(clips=(one, two)))
        self.do(JoinClips(clips=(one, two, three, four)))  # the two that do
        self.assertEqual(len(self.ids()), 3)
        self.undo()
        track = self.tree().tracks[0].id
        self.do(MoveClips(moves=(Move(clip=four, beat=40.0, track=track),)))
        with self.assertRaisesRegex(EditError, "do not go on"):
            self.do(JoinClips(clips=(three, four)))


class SlipTest(ClipsTest):
    def test_what_it_plays_moves_and_comes_round(self):
        before = self.heard()
        self.do(SlipClips(clips=(self.clip,), by=1.0))
        self.assertEqual(self.clips(), [(0.0, 2 * self.span, self.span - 1)])
        self.do(SlipClips(clips=(self.clip,), by=self.span - 1))
        self.assertEqual(self.clips()[0][2], 0.0)
        beat = round(0.6 * 44_100)
        self.undo()
        later = self.heard()
        # A beat later in the frame is what was a beat earlier.
        np.testing.assert_allclose(
            later[:, 3 * beat : 4 * beat], before[:, 2 * beat : 3 * beat], atol=2e-3
        )


class RepeatTest(ClipsTest):
    """One bar of a loop, and the rest thrown away."""

    def setUp(self):
        super().setUp()
        self.do(SplitClips(clips=(self.clip,), beats=(4.0,)))
        one, other = self.ids()
        self.do(RemoveClips(clips=(other,)))
        self.bar = one

    def begins(self):
        return [c[0] for c in self.clips()]

    def repeat(self, **how):
        self.do(RepeatClips(clips=(self.bar,), **how))

    def test_there_is_one_more_of_it_each_time_and_one_fewer(self):
        for count in (2, 3, 4):
            self.repeat()
            self.assertEqual(self.begins(), [4.0 * i for i in range(count)])
        self.assertEqual({(c[1], c[2]) for c in self.clips()}, {(4.0, 0.0)})
        self.repeat(times=-1)
        self.assertEqual(self.begins(), [0.0, 4.0, 8.0])
        self.repeat(times=-9)
        self.assertEqual(self.begins(), [0.0])
        with self.assertRaisesRegex(EditError, "no copy"):
            self.repeat(times=-1)

    def test_as_often_as_fits_before_the_next_clip_and_before_the_end(self):
        track = self.tree().tracks[0].id
        self.do(CopyClips(clips=(self.bar,), beat=14.0))
        self.repeat(to="next")
        self.assertEqual(self.begins(), [0.0, 4.0, 8.0, 14.0])
        with self.assertRaisesRegex(EditError, "not one more"):
            self.repeat(to="next")
        self.do(Place(hand="~" + self.sha, beat=16.0, passes=1))
        self.do(RemoveClips(clips=(self.tree().clips_on(track)[-1].id,)))
        self.repeat(to="end")
        self.assertEqual([c.beat for c in self.tree().clips_on(track)], [4.0 * i for i in range(6)])

    def test_several_are_repeated_as_one_and_a_phrase_is_its_own_each_time(self):
        self.do(CopyClips(clips=(self.bar,), beat=5.0))
        self.do(GroupClips(clips=self.ids()))
        pair = self.ids()
        self.do(RepeatClips(clips=pair, times=2))
        self.assertEqual(self.begins(), [0.0, 5.0, 9.0, 14.0, 18.0, 23.0])
        with self.assertRaisesRegex(EditError, "fewer times"):
            self.do(RepeatClips(clips=self.ids(), times=4096))
        phrases = [self.tree().clip(i).phrase for i in self.ids()]
        self.assertEqual(len(set(phrases)), 3)
        self.assertEqual(phrases[0], phrases[1])


class KeepBeatsTest(ClipsTest):
    def test_only_beats_three_and_four_are_left(self):
        self.do(KeepBeats(clips=(self.clip,), beats=(3, 4)))
        bars = int(2 * self.span / 4)
        self.assertEqual(self.clips(), [(4.0 * b + 2, 2.0, 4.0 * b + 2) for b in range(bars)])

    def test_in_another_metre_its_own_beats(self):
        self.do(
            SetMetres.model_validate(
                {"changes": [{"bar": 1, "metre": {"numerator": 6, "denominator": 8}}]}
            )
        )
        self.do(KeepBeats(clips=(self.clip,), beats=(2,)))  # the second dotted quarter
        self.assertEqual(self.clips()[0][:2], (1.5, 1.5))

    def test_of_beats_that_it_does_not_cover_nothing_is_left(self):
        self.do(ChangeClip(clip=self.clip, length=2.0))
        with self.assertRaisesRegex(EditError, "nothing would be left"):
            self.do(KeepBeats(clips=(self.clip,), beats=(4,)))
        self.assertEqual(len(self.ids()), 1)


class BarsTest(ClipsTest):
    def test_bars_put_in_are_empty_and_what_comes_later_moves(self):
        self.do(SetKeyAt(bar=1, key="C major"))
        self.do(SetKeyAt(bar=3, key="D major"))
        self.do(SetTempoPoint(beat=8.0, bpm=90.0))
        self.do(DoBars(what="insert", bar=2, count=2))
        self.assertEqual(self.clips(), [(0.0, 4.0, 0.0), (12.0, 2 * self.span - 4.0, 4.0)])
        tree = self.tree()
        self.assertEqual([(k.bar, k.key) for k in tree.keys], [(1, "C major"), (5, "D major")])
        self.assertEqual([(p.beat, p.bpm) for p in tree.tempo], [(0.0, 100.0), (16.0, 90.0)])

    def test_taken_out_again_it_is_as_before(self):
        before, heard = self.clips(), self.heard()
        self.do(DoBars(what="insert", bar=2, count=2))
        self.do(DoBars(what="remove", bar=2, count=2))
        self.do(JoinClips(clips=self.ids()))
        self.assertEqual(self.clips(), before)
        np.testing.assert_array_equal(self.heard(), heard)

    def test_what_is_set_in_bars_that_go_holds_from_there_on(self):
        self.do(SetKeyAt(bar=1, key="C major"))
        self.do(SetKeyAt(bar=2, key="D major"))
        self.do(SetTempoPoint(beat=5.0, bpm=90.0))
        self.do(DoBars(what="remove", bar=2))
        tree = self.tree()
        self.assertEqual([(k.bar, k.key) for k in tree.keys], [(1, "C major"), (2, "D major")])
        self.assertEqual([(p.beat, p.bpm) for p in tree.tempo], [(0.0, 100.0), (4.0, 90.0)])

    def test_said_again_they_sound_again(self):
        heard = self.heard()
        self.do(DoBars(what="repeat", bar=2))
        self.assertEqual(
            self.clips(),
            [(0.0, 4.0, 0.0), (4.0, 4.0, 4.0), (8.0, 4.0, 4.0),
             (12.0, 2 * self.span - 8.0, 8.0)],
        )  # fmt: skip
        bar = 4 * round(0.6 * 44_100)
        again = self.heard()
        np.testing.assert_allclose(
            again[:, 2 * bar + 500 : 3 * bar - 500], heard[:, bar + 500 : 2 * bar - 500], atol=5e-3
        )

    def test_what_lies_before_them_is_nobodys_business(self):
        """Another tab may change it meanwhile: the edit names only what it moves."""
        self.do(SplitClips(clips=(self.clip,), beats=(4.0,)))
        first, second = self.ids()
        made = DoBars(what="insert", bar=2).resolve(self.tree(), None).edit
        self.assertNotIn(first, made.touches())
        self.assertIn(second, made.touches())

    def test_where_the_song_is_over_there_is_nothing_to_take_out(self):
        for what in ("remove", "repeat"):
            with self.assertRaisesRegex(EditError, "over before bar 900"):
                self.do(DoBars(what=what, bar=900))
        self.do(DoBars(what="remove", bar=1, count=500))
        self.assertEqual(self.ids(), ())
        self.undo()
        self.assertEqual(len(self.ids()), 1)


class ManyTest(ClipsTest):
    def test_many_are_changed_in_one_step(self):
        self.do(SplitClips(clips=(self.clip,), every=4.0))
        ids = self.ids()
        self.do(ChangeClips(clips=ids[:2], gain_db=-4.0, fade_in_ms=200.0))
        told = [(c.gain_db, c.fade_in_ms) for c in map(self.tree().clip, ids)]
        self.assertEqual(told, [(-4.0, 200.0)] * 2 + [(0.0, 3.0)] * (len(ids) - 2))
        self.undo()
        self.assertTrue(all(c.gain_db == 0 for c in self.tree().clips))
        for wrong in ({"gain_db": 99.0}, {"shift": 1e6}, {"fade_in_ms": -1.0}):
            with self.assertRaises(ValidationError):
                ChangeClips(clips=ids, **wrong)
        with self.assertRaisesRegex(EditError, "nothing is to be changed"):
            self.do(ChangeClips(clips=ids))

    def test_a_fade_is_heard(self):
        before = self.heard()
        self.do(ChangeClips(clips=(self.clip,), fade_in_ms=1000.0))
        after = self.heard()
        half = round(0.5 * 44_100)
        loud = np.abs(before[0, half : half + 2000]) > 0.01
        ratio = after[0, half : half + 2000][loud] / before[0, half : half + 2000][loud]
        np.testing.assert_allclose(ratio, 0.52, atol=0.04)
        np.testing.assert_array_equal(after[:, 44_200:], before[:, 44_200:])

    def test_what_is_muted_sounds_and_the_other_way_round(self):
        self.do(SplitClips(clips=(self.clip,), every=4.0))
        one, two, *rest = self.ids()
        self.do(ChangeClips(clips=(one,), muted=True))
        self.do(SwapMutes(clips=(one, two)))
        muted = {c.id for c in self.tree().clips if c.muted}
        self.assertEqual(muted, {two})
        self.do(SwapMutes())
        self.assertTrue(all(t.muted for t in self.tree().tracks))
        self.do(SwapMutes())
        self.assertFalse(any(t.muted for t in self.tree().tracks))
        self.assertTrue(rest)


class TryTest(ClipsTest):
    def setUp(self):
        super().setUp()
        self.other = self.bring(wav_bytes(rendered("bass_97"), 16), "bass_97.wav").sha

    def test_another_loop_takes_its_place_and_is_treated_alike(self):
        strand = self.tree().strands[0].id
        self.do(CutUp(hand=strand, by="equal", count=8))
        self.do(DealOrder(hand=strand, seed=4))
        self.do(SetShift(hand=strand, semitones=-3))
        frame, order = self.clips(), self.tree().strands[0].order
        self.do(TryUnder(clip=self.clip, loop=self.other))
        [tried] = self.tree().strands  # the one before plays nowhere else: it is gone
        self.assertEqual((tried.loop, tried.shift), (self.other, -3.0))
        self.assertEqual(len(tried.order.tiles), len(order.tiles))
        self.assertEqual(self.clips(), frame)
        self.undo()
        self.assertEqual(self.tree().strands[0].id, strand)

    def test_a_strand_that_others_play_stays(self):
        self.do(SplitClips(clips=(self.clip,), beats=(4.0,)))
        self.do(TryUnder(clip=self.ids()[1], loop=self.other))
        self.assertEqual([s.loop for s in self.tree().strands], [self.sha, self.other])

    def test_what_fits_in_its_place_is_told_without_it(self):
        shas = frozenset({self.other})
        strand = self.tree().strands[0].id
        alone, _ = self.studio.likenesses.fitting(self.tree(), 0.0, 10, shas, strand)
        beside, _ = self.studio.likenesses.fitting(self.tree(), 0.0, 10, shas)
        self.assertNotIn("chords", alone[0].why)  # nothing else plays
        self.assertNotEqual(alone[0].alike, beside[0].alike)

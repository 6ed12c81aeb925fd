"""Phrases, stretches made one in place, sections, what is pasted here and in another project."""

import json

import numpy as np

from tests.sounds import rendered
from tests.studio.test_clips import ClipsTest
from zeroknot.core.errors import EditError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.document.edits.clip import ChangeClip, RemoveClips
from zeroknot.document.edits.desk import ChangeSound
from zeroknot.document.edits.phrase import ChangePhrase, LetPhraseGo, SetSections
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.document.project import Section
from zeroknot.studio.intents.bars import DoBars
from zeroknot.studio.intents.clips import KeepBeats, SplitClips
from zeroknot.studio.intents.cutting import ChangePieces, CutUp
from zeroknot.studio.intents.phrases import GroupClips, MakeOne, PasteClips
from zeroknot.studio.intents.pieces import OpenClip
from zeroknot.studio.intents.placing import CopyClips, Place
from zeroknot.studio.intents.time import SetSteadyTempo, SetTempoPoint
from zeroknot.studio.prints import RangeHow
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import SongRange, desk_plan, parts_told
from zeroknot.studio.tasks.rendering import rendering_of


class PhraseTest(ClipsTest):
    def setUp(self):
        super().setUp()
        self.do(SplitClips(clips=(self.clip,), every=4.0))

    def test_clips_are_grouped_named_and_opened_again(self):
        one, two, *rest = self.ids()
        self.do(GroupClips(clips=(one, two)))
        self.do(GroupClips(clips=(rest[0],), name="Turn"))
        phrases = {p.name: p.id for p in self.tree().phrases}
        self.assertEqual(set(phrases), {"Phrase 1", "Turn"})
        self.do(ChangePhrase(phrase=phrases["Phrase 1"], name="Hook", yarn=3))
        self.assertEqual(self.tree().phrase(phrases["Phrase 1"]).name, "Hook")
        self.assertEqual(
            [self.tree().clip(i).phrase for i in (one, two)], [phrases["Phrase 1"]] * 2
        )
        # Grouped anew they leave the old one, which goes with its last clip.
        self.do(GroupClips(clips=(one, two, rest[0]), name="All"))
        self.assertEqual([p.name for p in self.tree().phrases], ["All"])
        self.do(LetPhraseGo(phrase=self.tree().phrases[0].id))
        self.assertEqual({c.phrase for c in self.tree().clips}, {None})
        self.undo()
        self.assertEqual(self.tree().clip(one).phrase, self.tree().phrases[0].id)

    def test_a_copy_is_a_phrase_of_its_own(self):
        one, two, *_ = self.ids()
        self.do(GroupClips(clips=(one, two), name="Hook"))
        before = self.tree().phrases[0].id
        self.do(CopyClips(clips=(one, two), beat=40.0))
        self.assertEqual([p.name for p in self.tree().phrases], ["Hook", "Hook"])
        fresh = {c.phrase for c in self.tree().clips if c.beat >= 40.0}
        self.assertEqual(len(fresh), 1)
        self.assertNotIn(before, fresh)

    def test_a_phrase_whose_clips_went_is_no_trouble(self):
        self.do(GroupClips(clips=self.ids()[:1]))
        self.do(RemoveClips(clips=self.ids()[:1]))
        self.do(SplitClips(clips=self.ids()[:1], beats=(self.clips()[0][0] + 1,)))
        self.undo()
        self.undo()
        self.assertIsNotNone(self.tree().clip(self.ids()[0]).phrase)


class MakeOneTest(ClipsTest):
    def make_one(self, start, end, track=None):
        where = SongRange(start, end, None if track is None else (track,))
        how = RangeHow.in_place(self.tree(), where)
        loop = self.studio.prints.print_range(self.tree(), where, how).loop
        tracks = None if track is None else (track,)
        self.do(MakeOne(loop=loop.sha, start=start, end=end, tracks=tracks))

    def mixed(self):
        """Two bars through the desk, without what rings past them: float32 [2, n]."""
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        plan = desk_plan(tree, maker, *SongRange(0.0, 8.0).frames(tree))
        sound = rendering_of(self.studio.store.folder, plan).whole()
        return sound[:, plan.lead_frames : plan.lead_frames + plan.body_frames]

    def test_pieces_of_one_track_become_one_clip_that_sounds_the_same_and_opens_again(self):
        track = self.tree().tracks[0].id
        self.do(ChangeTrack(track=track, level_db=-9.0))
        self.do(KeepBeats(clips=(self.clip,), beats=(1, 3)))
        before, pieces = self.heard(), self.clips()
        self.make_one(0.0, 8.0, track)
        self.assertEqual(self.tree().clips_on(track)[0].beat, 0.0)
        self.assertEqual(self.tree().clip_length(self.tree().clips_on(track)[0]), 8.0)
        self.assertEqual(len(self.tree().tracks), 1)
        found = self.heard()
        size = min(found.shape[1], before.shape[1])
        self.assertLess(np.abs(found[:, :size] - before[:, :size]).max(), 1e-3)
        made = next(c for c in self.tree().clips_on(track) if c.beat == 0.0)
        self.do(OpenClip(clip=made.id))
        self.assertEqual(self.clips(), pieces)

    def test_several_tracks_become_one_on_a_track_of_its_own_over_a_ramp_too(self):
        self.do(Place(hand="~" + self.sha, beat=0.0))
        self.do(ChangeSound(track=self.tree().tracks[1].id, values={"low_cut_hz": 300.0}))
        self.do(SetTempoPoint(beat=0.0, bpm=90.0, shape="ramp"))
        self.do(SetTempoPoint(beat=8.0, bpm=120.0))
        self.make_one(0.0, 4.0)
        tree = self.tree()
        self.assertEqual(len(tree.tracks), 3)
        made = tree.clips_on(tree.tracks[2].id)[0]
        self.assertEqual((made.beat, tree.clip_length(made)), (0.0, 4.0))
        self.assertEqual([c.beat for c in tree.clips if c.id != made.id], [4.0, 4.0])
        # On its beats, though the tempo moves: a knot on each of them.
        strand = tree.strand(made.strand)
        second_of = tree.tempo_map.second_of_beat
        for beat in range(5):
            second = strand.warp.second_of_beat(float(beat)) - strand.warp.zero.second
            self.assertAlmostEqual(second, second_of(beat), 4)
        self.do(OpenClip(clip=made.id))
        self.assertEqual(sorted(c.beat for c in self.tree().clips), [0.0, 0.0, 4.0, 4.0])

    def test_what_slices_of_it_send_is_printed_with_it(self):
        track = self.tree().tracks[0].id
        strand = self.tree().strands[0].id
        self.do(CutUp(hand=strand, by="equal", count=8))
        self.do(ChangePieces(hand=strand, which=(2,), room_db=0.0))
        before = self.mixed()
        self.make_one(0.0, 4.0, track)
        tree = self.tree()
        self.assertEqual(len(tree.tracks), 2)
        self.assertEqual([c.beat for c in tree.clips_on(tree.tracks[1].id)], [0.0])
        off = np.abs(self.mixed() - before).max(axis=0)
        border = off.size // 2  # where what goes on is cut, it goes over a few milliseconds
        self.assertLess(max(off[: border - 200].max(), off[border + 200 :].max()), 1e-3)
        self.do(ChangePieces(hand=strand, which=(2,), room_db=-60.0))
        self.assertGreater(np.abs(self.mixed() - before).max(), 5e-3)  # the rest sends still

    def test_where_nothing_is_left_it_says_so(self):
        loop = self.studio.prints.print_range(self.tree(), SongRange(0.0, 4.0), RangeHow()).loop
        self.do(RemoveClips(clips=self.ids()))
        with self.assertRaisesRegex(EditError, "nothing"):
            self.do(MakeOne(loop=loop.sha, start=0.0, end=4.0))


class SectionTest(ClipsTest):
    def bars(self):
        return [(s.bar, s.name) for s in self.tree().sections]

    def test_they_move_with_the_bars_of_the_song(self):
        self.do(
            SetSections(
                sections=(Section(bar=1, name="Intro"), Section(bar=3, name="Hook", yarn=2))
            )
        )
        self.do(DoBars(what="insert", bar=2, count=2))
        self.assertEqual(self.bars(), [(1, "Intro"), (5, "Hook")])
        self.undo()
        self.do(DoBars(what="remove", bar=2, count=2))
        self.assertEqual(self.bars(), [(1, "Intro"), (2, "Hook")])

    def test_two_at_one_bar_are_refused(self):
        with self.assertRaisesRegex(EditError, "one at a bar"):
            self.do(SetSections(sections=(Section(bar=2, name="A"), Section(bar=2, name="B"))))


class PasteTest(ClipsTest):
    def copied(self, ids=None):
        tree = self.tree()
        clips = [tree.clip(id_) for id_ in ids or self.ids()]
        told = parts_told(tree, clips, clips[0].beat, tree.clip_end(clips[-1]))
        return json.loads(json.dumps(told))  # as a page has it

    def test_here_it_is_another_clip_of_the_same_strand(self):
        self.do(ChangeClip(clip=self.clip, gain_db=-4.0, reverse=True, name="Back"))
        self.do(PasteClips(parts=self.copied(), beat=64.0, track=self.tree().tracks[0].id))
        self.assertEqual(len(self.tree().strands), 1)
        pasted = self.tree().clips[-1]
        self.assertEqual((pasted.beat, pasted.gain_db, pasted.name), (64.0, -4.0, "Back"))
        self.assertTrue(pasted.reverse)

    def test_in_another_project_it_brings_its_strand_and_a_track_along(self):
        self.do(SplitClips(clips=(self.clip,), beats=(4.0,)))
        self.do(GroupClips(clips=self.ids(), name="Hook"))
        parts = self.copied()
        self.project = self.studio.projects.create("Elsewhere")
        self.do(SetSteadyTempo(bpm=80))
        self.do(PasteClips(parts=parts, beat=8.0))
        tree = self.tree()
        self.assertEqual([c.beat for c in tree.clips], [8.0, 12.0])
        self.assertEqual((len(tree.tracks), len(tree.strands)), (1, 1))
        self.assertEqual([p.name for p in tree.phrases], ["Hook"])
        self.assertEqual({c.phrase for c in tree.clips}, {tree.phrases[0].id})
        self.undo()
        self.assertEqual(self.tree().clips, ())

    def test_below_the_track_that_is_meant_and_past_the_last_on_new_ones(self):
        item = self.bring(wav_bytes(rendered("drums_103"), 16), "drums_103.wav")
        self.do(Place(hand=item.sha, beat=0.0))
        first, second = self.tree().tracks
        parts = self.copied([c.id for t in (first, second) for c in self.tree().clips_on(t.id)])
        self.do(PasteClips(parts=parts, beat=64.0, track=second.id))
        tree = self.tree()
        self.assertEqual(len(tree.tracks), 3)
        self.assertEqual([c.beat for c in tree.clips_on(second.id)][-1], 64.0)
        self.assertEqual([c.beat for c in tree.clips_on(tree.tracks[2].id)], [64.0])

    def test_nonsense_is_refused_in_a_sentence(self):
        good = self.copied()
        for bad in (
            {}, {"beats": 4, "clips": [], "strands": []}, {**good, "clips": [{"track": "t"}]},
            {**good, "strands": [{"loop": "0" * 64}]}, {**good, "beats": "much"},
            {**good, "clips": "x"}, {**good, "clips": [{**good["clips"][0], "strand": 9}]},
        ):  # fmt: skip
            with self.subTest(bad=str(bad)[:40]), self.assertRaises(EditError):
                self.do(PasteClips(parts=bad, beat=0.0))
        self.assertEqual(len(self.tree().clips), 1)

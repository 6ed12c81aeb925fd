"""Kits of several loops, pads in another order, notes of a MIDI loop on pads, notes edited."""

import io
import zipfile

import mido
import numpy as np

from tests.core.listening.test_midi_reading import midi
from tests.sounds import rendered
from tests.studio.sliced import OnABreak
from zeroknot.core.errors import EditError, SliceError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.render.any_plan import plan_of_text, shifts_of
from zeroknot.document.stored import tree_text, tree_value
from zeroknot.studio.intents.cutting import ChangePieces, CutUp, LeaveWhole, MendCut
from zeroknot.studio.intents.groove import LayOver, TakeGroove
from zeroknot.studio.intents.kits import GiveBack, MakeKit, PlayNotes, SwapPads, TakeSlices
from zeroknot.studio.intents.notes import AddNote, MoveNotes, TreatNotes
from zeroknot.studio.intents.ordering import (
    ChangeTiles,
    DealOrder,
    KeepRound,
    PlayRound,
    PutTile,
    TreatOrder,
)
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.lanes import notes_in_beats
from zeroknot.studio.placement import Placement
from zeroknot.studio.tasks.rendering import rendering_of


class KitTest(OnABreak):
    def setUp(self):
        super().setUp()
        data = wav_bytes(rendered("keys_88"), 24)
        self.other = self.studio.shelf.loop(self.bring(data, "keys.wav").sha)
        self.cut()

    def notes(self, pitches, tempo=96):
        notes = [(i, i + 0.5, p, 0) for i, p in enumerate(pitches)]
        item = self.bring(midi(notes, tempo).getvalue(), "notes.mid")
        return self.studio.shelf.loop(item.sha)

    def taken(self):
        self.do(TakeSlices(hand=self.hand, of=self.other.sha))
        return self.strand()

    def test_a_slice_of_another_loop_plays_beside_its_own(self):
        strand = self.taken()
        self.assertEqual(strand.cut.count, 17)
        (borrowed,) = strand.cut.borrowed
        self.assertEqual((borrowed.source, borrowed.piece.name), (self.other.sha, "keys"))
        self.do(ChangeTiles(hand=self.hand, which=(4,), piece=16))
        # A loop of keys of 88 at 96 is laid at 96: heard where its tile lies, as it is by itself.
        alone = self.do(Place(hand=self.other.sha, beat=0)).strands[-1]
        laid = Placement.of(self.tree(), alone, self.other)
        chords = rendering_of(self.folder, laid.plan)
        want = chords.frames(laid.plan.lead_frames + 2000, 6000)
        plan = self.placed().heard
        got = rendering_of(self.folder, plan).frames(plan.lead_frames + 4 * 13781 + 2000, 6000)
        likeness = np.corrcoef(want[0], got[0])[0, 1]
        self.assertGreater(likeness, 0.9)
        # The tree says which loops it needs, and is read as it was written.
        tree = self.tree()
        self.assertIn(self.other.sha, tree.loops())
        self.assertEqual(tree_value(tree_text(tree)), tree)

    def test_what_is_done_to_the_cut_keeps_what_was_taken(self):
        self.taken()
        self.do(ChangeTiles(hand=self.hand, which=(4,), piece=16))
        self.do(MendCut(hand=self.hand, how="join", index=3))
        self.assertEqual(self.strand().cut.count, 16)
        self.assertIn(15, self.pieces())
        self.do(CutUp(hand=self.hand, by="equal", count=8))
        self.assertEqual(self.strand().cut.count, 9)
        self.assertIn(8, self.pieces())
        for deal in ({"like": True}, {"far": 0.3}, {}):
            with self.subTest(deal):
                self.do(DealOrder(hand=self.hand, seed=7, **deal))
                self.assertIn(8, self.pieces())
        self.do(ChangePieces(hand=self.hand, which=(8,), gain_db=-3.0, method="spool"))
        self.assertEqual(self.strand().cut.borrowed[0].piece.gain_db, -3.0)
        self.heard()

    def test_an_order_that_begins_with_it_is_the_loops_all_the_same(self):
        """As loud as the loop was recorded, not as the other was; shifted as what sounds is."""
        self.taken()
        self.do(ChangeTiles(hand=self.hand, which=(0,), piece=16))
        plan = self.placed().heard
        self.assertEqual(plan.source, self.loop.sha)
        recorded, _ = self.studio.renders.loudness(self._known(plan))
        self.do(TreatOrder(hand=self.hand, how="as_cut"))
        self.assertAlmostEqual(
            recorded, self.studio.renders.loudness(self._known(self.placed().plan))[0], places=3
        )
        self.do(ChangePieces(hand=self.hand, semitones=-5.0))
        self.assertEqual(shifts_of(self.placed().heard), {-5.0})

    def _known(self, plan):
        self.studio.renders.know({plan.digest: plan})
        return plan.digest

    def test_it_is_given_back_and_its_tiles_rest(self):
        self.taken()
        self.do(PutTile(hand=self.hand, beat=2.0, beats=1.0, piece=16))
        self.do(KeepRound(hand=self.hand, beats=8.0, strokes=[
            {"beat": 0.0, "piece": 16}, {"beat": 1.0, "piece": 2}]))  # fmt: skip
        before = self.pieces()
        self.do(GiveBack(hand=self.hand, index=16))
        self.assertEqual(self.pieces(), [p for p in before if p != 16])
        self.assertEqual([s.piece for s in self.strand().rounds[0].strokes], [2])
        with self.assertRaisesRegex(SliceError, "only what is borrowed"):
            self.do(GiveBack(hand=self.hand, index=3))
        self.undo()
        self.assertEqual(self.pieces(), before)

    def test_what_cannot_be_taken_is_said(self):
        with self.assertRaisesRegex(EditError, "MIDI"):
            self.do(TakeSlices(hand=self.hand, of=self.notes([60, 62]).sha))
        with self.assertRaisesRegex(EditError, "no slice 4"):
            self.do(TakeSlices(hand=self.hand, of=self.other.sha, which=(3,)))

    def test_pads_change_places_and_files_go_by_them(self):
        self.taken()
        self.do(SwapPads(hand=self.hand, pad=0, other=16))
        self.assertEqual(self.strand().cut.on_pads[0], 16)
        self.assertEqual(self.pieces(), list(range(16)))
        held = self.studio.hand(self.tree(), self.hand)
        data = self.studio.slices_out.midi(self.tree(), held, 0.0)
        notes = [
            m.note for m in mido.MidiFile(file=io.BytesIO(data)).tracks[0] if m.type == "note_on"
        ]
        self.assertEqual(notes[:2], [36 + 16, 36 + 1])
        kit = self.studio.slices_out.kit(self.tree(), held, 0.0, "kit")
        with zipfile.ZipFile(kit) as packed:
            names = sorted(n for n in packed.namelist() if n.endswith(".wav"))
        self.assertEqual((len(names), names[0]), (17, "kit/01_keys.wav"))
        self.do(SwapPads(hand=self.hand, pad=16, other=0))
        self.assertEqual(self.strand().cut.pads, ())

    def test_a_kit_is_a_strand_of_its_own_and_clips_play_it_by_choice(self):
        tree = self.do(Place(hand=self.hand, beat=0))
        first = tree.clips[0].strand
        tree = self.do(MakeKit(hand=self.hand))
        kit = tree.strands[-1]
        self.assertEqual((kit.name, tree.clips[0].strand), ("drums kit", first))
        self.assertTrue(all(p.rings and p.length == "left" for p in kit.cut.pieces))
        tree = self.do(MakeKit(hand=first, replaces=True))
        self.assertEqual(tree.clips[0].strand, tree.strands[-1].id)
        self.undo()
        self.assertEqual(self.tree().clips[0].strand, first)

    def test_a_midi_loop_plays_the_pads(self):
        loop = self.notes([36, 38, 36, 41])
        self.do(PlayNotes(hand=self.hand, of=loop.sha))
        self.assertEqual(self.pieces(), [0, 2, 0, 5])
        self.do(SwapPads(hand=self.hand, pad=0, other=7))
        self.do(PlayNotes(hand=self.hand, of=loop.sha))
        self.assertEqual(self.pieces(), [7, 2, 7, 5])
        with self.assertRaisesRegex(EditError, "is a recording"):
            self.do(PlayNotes(hand=self.hand, of=self.other.sha))

    def test_leaving_it_whole_lets_all_go(self):
        self.taken()
        self.do(LeaveWhole(hand=self.hand))
        self.assertIsNone(self.strand().cut)


class NotesTest(OnABreak):
    """A MIDI loop's own notes, edited in beats."""

    def setUp(self):
        super().setUp()
        notes = [(i, i + 0.5, p, 0) for i, p in enumerate((45, 57, 60, 64))]
        self.loop = self.studio.shelf.loop(self.bring(midi(notes, 84).getvalue(), "line.mid").sha)

    def laid(self):
        held = self.studio.hand(self.tree(), self.hand)
        return notes_in_beats(held.strand, self.studio.score(held.loop))

    def told(self):
        return [(round(n.beat, 3), round(n.beats, 3), n.pitch, n.velocity) for n in self.laid()]

    def test_notes_are_added_moved_copied_lengthened_and_removed(self):
        usual = self.told()[0][3]
        self.do(AddNote(hand=self.hand, beat=1.5, beats=0.25, pitch=72, velocity=80))
        self.assertEqual(self.told()[2], (1.5, 0.25, 72, 80))
        self.do(MoveNotes(hand=self.hand, which=(0,), by=0.5, semitones=12))
        self.assertEqual(self.told()[0], (0.5, 0.5, 57, usual))
        self.do(MoveNotes(hand=self.hand, which=(0,), by=2.0, copies=True))
        self.assertEqual([t[0] for t in self.told()], [0.5, 1.0, 1.5, 2.0, 2.5, 3.0])
        self.do(TreatNotes(hand=self.hand, how="lengthen", which=(0, 1), beats=0.25))
        self.assertEqual([t[1] for t in self.told()[:3]], [0.75, 0.75, 0.25])
        self.do(TreatNotes(hand=self.hand, how="remove", which=(2,)))
        self.assertEqual(len(self.told()), 5)
        for _ in range(5):
            self.undo()
        self.assertEqual(self.tree().strands[0].notes if self.tree().strands else None, None)

    def test_velocities_are_drawn_in_a_line_and_notes_go_to_the_grid(self):
        self.do(TreatNotes(hand=self.hand, how="strike", first=30, last=120))
        self.assertEqual([t[3] for t in self.told()], [30, 60, 90, 120])
        self.do(MoveNotes(hand=self.hand, which=(1,), by=0.2))
        self.do(TreatNotes(hand=self.hand, how="grid", step=0.5, strength=0.5))
        self.assertAlmostEqual(self.told()[1][0], 1.1, places=3)

    def test_they_stay_with_the_recording_and_are_heard(self):
        self.do(AddNote(hand=self.hand, beat=2.5, beats=0.5, pitch=81, velocity=127))
        for bpm in (70, 133):
            self.do(SetSteadyTempo(bpm=bpm))
            self.assertAlmostEqual(self.told()[3][0], 2.5, places=4)
            plan = self.placed().plan
            self.assertEqual(plan_of_text(plan.text), plan)
            out = rendering_of(self.folder, plan).whole()
            at = plan.lead_frames + round(2.5 * 60 / bpm * 44_100)
            spectrum = np.abs(np.fft.rfft(out[0, at : at + 8192] * np.hanning(8192)))
            loudest = np.argmax(spectrum) * 44_100 / 8192
            self.assertAlmostEqual(loudest, 880.0, delta=8)
        self.do(TreatNotes(hand=self.hand, how="as_recorded"))
        self.assertEqual(self.placed().plan.notes, ())

    def test_a_groove_moves_the_notes_there_are_now(self):
        self.do(LayOver(hand=self.hand, per_beat=2, swing=60.0))
        self.do(AddNote(hand=self.hand, beat=1.5, beats=0.25, pitch=72))
        placed = self.placed()
        second = self.tree().strands[0].tied.warp.second_of_beat(1.5)
        self.assertAlmostEqual(placed.warp.beat_of_second(second), 1.6, places=3)

    def test_what_cannot_be_is_said_and_loses_nothing(self):
        self.do(AddNote(hand=self.hand, beat=1.5, beats=0.25, pitch=72))
        before = self.told()
        for wrong in (
            TreatNotes(hand=self.hand, how="remove"),
            TreatNotes(hand=self.hand, how="lengthen", which=(9,), beats=1.0),
            AddNote(hand=self.hand, beat=900.0, beats=0.25, pitch=72),
        ):
            with self.subTest(wrong), self.assertRaises(EditError):
                self.do(wrong)
        drums = self.studio.shelf.loop(
            self.bring(wav_bytes(rendered("drums_103"), 16), "d.wav").sha
        )
        with self.assertRaisesRegex(EditError, "is a recording"):
            self.do(AddNote(hand=drums.sha, beat=0.0, beats=0.25, pitch=72))
        self.assertEqual(self.told(), before)
        self.do(MoveNotes(hand=self.hand, which=(0,), by=-700.0, semitones=-100))
        self.assertEqual(self.told()[0][:3], (0.0, 0.5, 0))


class FeltOrderTest(OnABreak):
    def setUp(self):
        super().setUp()
        self.cut()

    def test_a_groove_moves_the_tiles_of_a_new_order(self):
        self.do(TreatOrder(hand=self.hand, how="mirror"))
        plain = self.placed().heard
        self.do(LayOver(hand=self.hand, per_beat=2, swing=66.6))
        placed = self.placed()
        beats = [round(t.beat, 3) for t in placed.order.tiles[:4]]
        self.assertEqual(beats, [0.0, 0.666, 1.0, 1.666])
        self.assertNotEqual(placed.heard, plain)
        # Its pieces are what they were: only where they lie is another.
        self.assertEqual(placed.heard.sources, plain.sources)
        self.assertEqual([t.beat for t in self.strand().order.tiles[:2]], [0.0, 0.5])

    def test_what_was_played_is_a_groove_to_take_and_to_apply(self):
        late = [{"beat": i / 2 + (0.1 if i % 2 else 0.0), "piece": i} for i in range(16)]
        self.do(KeepRound(hand=self.hand, beats=8.0, strokes=late))
        self.do(PlayRound(hand=self.hand, strength=0.0))
        tree = self.do(TakeGroove(hand=self.hand, bars=2, order=True, per_beat=2, fold_bars=1))
        groove = tree.grooves[0].groove
        self.assertIn("ordered", groove.origin)
        self.assertAlmostEqual(groove.steps[1].offset, 0.2, places=2)
        self.do(TreatOrder(hand=self.hand, how="as_cut"))
        with self.assertRaisesRegex(EditError, "plays as it was recorded"):
            self.do(TakeGroove(hand=self.hand, bars=2, order=True))

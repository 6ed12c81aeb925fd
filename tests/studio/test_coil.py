"""The coil: loops on keys, what each plays, and what was switched as clips."""

import numpy as np

from tests.sounds import rendered
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.document.stored import tree_text, tree_value
from zeroknot.studio.audition import Audition
from zeroknot.studio.coil import at_speed
from zeroknot.studio.intents.coil import ChangeSlot, CoilLoop, LaySwitched, Switched, UncoilLoop
from zeroknot.studio.intents.cutting import CutUp
from zeroknot.studio.intents.ordering import TreatOrder
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.tasks.rendering import rendering_of

BEAT = 44_100 * 60 / 96


class CoilTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("Coil")
        self.do(SetSteadyTempo(bpm=96))
        self.drums, self.keys = self.loop("drums_103"), self.loop("keys_88")
        self.do(CoilLoop(hand=self.drums.sha))
        self.do(CoilLoop(hand=self.keys.sha))

    def do(self, intent):
        return self.submit(self.project, intent).project

    def tree(self):
        return self.studio.projects.state(self.project).project

    def slots(self):
        return self.tree().coil

    def sheet(self, known=None):
        return self.studio.play_sheet(self.tree(), None, Audition(), known)

    def test_each_has_a_key_of_its_own(self):
        self.assertEqual([s.key for s in self.slots()], ["Digit1", "Digit2"])
        one, other = self.slots()
        self.do(ChangeSlot(slot=other.id, key="Digit1"))
        self.assertEqual([s.key for s in self.slots()], ["", "Digit1"])
        self.do(ChangeSlot(slot=other.id, place=0))
        self.assertEqual([s.id for s in self.slots()], [other.id, one.id])
        self.assertEqual(tree_value(tree_text(self.tree())), self.tree())
        self.do(UncoilLoop(slot=one.id))
        self.assertEqual(len(self.slots()), 1)
        self.studio.projects.undo(self.project)
        self.assertEqual(len(self.slots()), 2)

    def test_what_makes_no_sense_is_said(self):
        one = self.slots()[0]
        self.do(SetSteadyTempo(bpm=40))
        for wrong, said in (
            (ChangeSlot(slot="nobody", anew=True), "not on the coil"),
            (ChangeSlot(slot=one.id, speed=0.9), "times its speed"),
            (ChangeSlot(slot=one.id), "nothing of the coil"),
            # At 40 it is laid on two and a half times its length: four times that is too much.
            (ChangeSlot(slot=one.id, speed=0.25), "can be laid"),
            (LaySwitched(switched=[Switched(slot=one.id, beat=4, end=4)]), "long enough"),
        ):
            with self.subTest(said), self.assertRaisesRegex(EditError, said):
                self.do(wrong)

    def test_a_sheet_tells_each_through_the_whole_song(self):
        coil = self.sheet()["coil"]
        self.assertEqual([loop["slot"] for loop in coil], [s.id for s in self.slots()])
        drums, keys = coil
        self.assertEqual([round(e.at / BEAT, 3) for e in drums["events"][:3]], [0.0, 8.0, 16.0])
        self.assertEqual({e.track for e in (*drums["events"], *keys["events"])}, {"coil"})
        # Every render is known: it can be asked for.
        for event in drums["events"][:2]:
            self.studio.renders.plan(event.digest)

    def test_what_is_the_same_is_not_told_again(self):
        first = self.sheet()
        self.assertIsNone(self.sheet(first["token"])["coil"])
        self.do(ChangeSlot(slot=self.slots()[0].id, speed=2.0))
        again = self.sheet(first["token"])["coil"]
        self.assertEqual(again[0]["round"], 4.0)
        self.assertEqual(again[1]["events"], first["coil"][1]["events"])

    def test_half_double_and_odd_speeds(self):
        slot = self.slots()[0]
        for speed, beats in ((2.0, 4.0), (0.5, 16.0), (1.5, 16 / 3), (0.75, 32 / 3)):
            with self.subTest(speed):
                self.do(ChangeSlot(slot=slot.id, speed=speed))
                events = self.sheet()["coil"][0]["events"]
                self.assertAlmostEqual(events[1].at / BEAT, beats, places=3)

    def test_an_order_goes_as_fast(self):
        strand = self.tree().strands[0]
        self.do(CutUp(hand=strand.id, by="equal", count=8))
        self.do(TreatOrder(hand=strand.id, how="mirror"))
        fast = at_speed(self.tree().strand(strand.id), 2.0)
        self.assertEqual(fast.round_beats, 4.0)
        self.assertAlmostEqual(fast.order.tiles[1].beat, 0.5)

    def test_one_that_is_begun_anew_begins_with_every_bar(self):
        slot = self.slots()[0]
        self.do(ChangeSlot(slot=slot.id, speed=0.75, anew=True))
        events = self.sheet()["coil"][0]["events"]
        at = [round(e.at / BEAT, 3) for e in events[:4]]
        self.assertEqual(at, [0.0, 4.0, 8.0, 12.0])
        shapes = self.sheet()["shapes"]
        self.assertTrue(all(e.start == shapes[e.digest]["lead"] for e in events[1:4]))

    def test_what_was_switched_becomes_clips_that_sound_as_it_did(self):
        drums, keys = self.slots()
        tree = self.do(
            LaySwitched(
                switched=[
                    Switched(slot=drums.id, beat=4, end=10),
                    Switched(slot=keys.id, beat=10, end=16, origin=10),
                    Switched(slot=drums.id, beat=16, end=20),
                ]
            )
        )
        track = next(t for t in tree.tracks if t.name == "Coil")
        clips = tree.clips_on(track.id)
        told = [(c.beat, tree.clip_length(c), c.slip) for c in clips]
        self.assertEqual(told, [(4, 6, 4), (10, 6, 0), (16, 4, 0)])
        # As the coil played it: the same renders from the same frames.
        coil = self.sheet()["coil"][0]["events"]
        events = self.sheet()["events"]
        first = next(e for e in events if e.id.startswith(clips[0].id))
        played = next(e for e in coil if e.at <= first.at < e.at + e.frames)
        self.assertEqual(first.digest, played.digest)
        self.assertEqual(first.start, played.start + first.at - played.at)
        # Recorded again it goes over what lay there; its track is the same.
        tree = self.do(LaySwitched(switched=[Switched(slot=keys.id, beat=6, end=12)]))
        clips = [c for c in tree.clips if c.track == track.id]
        self.assertEqual(sorted(c.beat for c in clips), [4, 6, 12, 16])
        self.studio.projects.undo(self.project)
        self.studio.projects.undo(self.project)
        self.assertEqual(self.tree().tracks, ())

    def test_another_speed_is_a_strand_of_its_own_once(self):
        slot = self.slots()[0]
        self.do(ChangeSlot(slot=slot.id, speed=2.0))
        for at in (0, 8):
            tree = self.do(LaySwitched(switched=[Switched(slot=slot.id, beat=at, end=at + 4)]))
        self.assertEqual(len(tree.strands), 3)
        self.assertEqual(tree.strands[-1].span, 4.0)
        self.assertTrue(tree.strands[-1].name.endswith("×2"))

    def test_begun_anew_it_is_a_clip_a_bar(self):
        slot = self.slots()[0]
        self.do(ChangeSlot(slot=slot.id, anew=True))
        tree = self.do(LaySwitched(switched=[Switched(slot=slot.id, beat=2, end=12)]))
        told = sorted((c.beat, c.length, c.slip) for c in tree.clips)
        self.assertEqual(told, [(2, 2, 2), (4, 4, 0), (8, 4, 0)])

    def test_the_later_switch_is_over_the_earlier_one(self):
        """Round a cycle: the same bars again."""
        drums, keys = self.slots()
        tree = self.do(
            LaySwitched(
                switched=[
                    Switched(slot=drums.id, beat=0, end=8),
                    Switched(slot=keys.id, beat=4, end=8),
                    Switched(slot=drums.id, beat=0, end=2),
                ]
            )
        )
        told = sorted((c.beat, c.length) for c in tree.clips)
        self.assertEqual(told, [(0, 2), (4, 4)])

    def test_a_strand_that_goes_takes_its_places_along(self):
        from zeroknot.document.edits.strand import RemoveStrand

        tree = RemoveStrand(strand=self.slots()[0].strand).apply(self.tree())
        self.assertEqual(len(tree.coil), 1)

    def test_it_sounds_like_its_clip(self):
        """The coil's first pass is that of a clip at bar 1, to the bit."""
        tree = self.do(Place(hand=self.slots()[0].strand, beat=0))
        sheet = self.sheet()
        clip = next(e for e in sheet["events"] if tree.clips[0].id in e.id)
        self.assertEqual(sheet["coil"][0]["events"][0].digest, clip.digest)
        plan = self.studio.renders.plan(clip.digest)
        self.assertGreater(np.abs(rendering_of(self.folder, plan).whole()).max(), 0.01)


class NothingOnItTest(StudioTest):
    def test_a_project_without_a_coil_tells_none(self):
        project = self.studio.projects.create("None")
        tree = self.studio.projects.state(project).project
        self.assertEqual(self.studio.play_sheet(tree, None, Audition())["coil"], [])
        data = wav_bytes(rendered("bass_97"), 16)
        self.bring(data, "bass.wav")

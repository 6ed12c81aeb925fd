"""Tones and hits of what is in hand: which are heard, which are shifted, and taken apart."""

import io

import mido
import numpy as np

from tests.sounds import RATE, audio, hits, rendered
from tests.studio.helper import StudioTest
from zeroknot.core.apart.parts import LONGEST_SECONDS
from zeroknot.core.errors import EditError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.mixing.mix import mix
from zeroknot.studio.intents.key import PlaceInGaps
from zeroknot.studio.intents.knots import FollowTempo
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.stretch import SetMethod, SetParts, SetShift, TakeApart
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.shelf_edits import StateSound
from zeroknot.studio.tasks.rendering import rendering_of
from zeroknot.web.api.hand_wire import hand_json


class PartsTest(StudioTest):
    def setUp(self):
        super().setUp()
        keys, drums = (rendered(name).samples[0] for name in ("keys_88", "drums_103"))
        frames = min(keys.size, drums.size)
        self.loop = self.bring(
            wav_bytes(audio(0.5 * (keys[:frames] + drums[:frames])), 24), "m.wav"
        )
        self.studio.shelf.change([self.loop.sha], StateSound(sound="mixed"))
        self.project = self.studio.projects.create("Parts")
        self.submit(self.project, SetSteadyTempo(bpm=100))

    def do(self, intent):
        return self.submit(self.project, intent).project

    def tree(self):
        return self.studio.projects.state(self.project).project

    def placed(self, hand):
        tree = self.tree()
        held = self.studio.hand(tree, hand)
        return Placement.of(tree, held.strand, held.loop)

    def test_auto_takes_it_for_a_mix_that_is_much_shorter(self):
        sha = self.loop.sha
        own = 100 * self.placed(sha).case.ratio  # its own tempo, in beats as they are counted
        for share, parts in ((0.9, "whole"), (0.75, "apart"), (1.3, "whole")):
            self.do(SetSteadyTempo(bpm=own / share))
            placed = self.placed(sha)
            self.assertAlmostEqual(placed.case.ratio, share, places=2)
            self.assertEqual(placed.plan.parts, parts)

    def test_auto_takes_it_only_for_a_mix_that_is_shifted(self):
        sha = self.loop.sha
        self.assertEqual(self.placed(sha).plan.parts, "whole")
        strand = self.do(SetShift(hand=sha, semitones=5)).strands[0].id
        self.assertEqual(self.placed(strand).plan.parts, "apart")
        self.do(SetMethod(hand=strand, method="weave"))
        self.assertEqual(self.placed(strand).plan.parts, "whole")  # what a person chose is left
        self.do(SetMethod(hand=strand, method="auto"))
        self.studio.shelf.change([sha], StateSound(sound="drums"))
        self.assertEqual(self.placed(strand).plan.parts, "whole")

    def test_auto_leaves_a_mix_in_which_nothing_is_struck_as_one(self):
        keys, bass = (rendered(name).samples[0] for name in ("keys_88", "bass_97"))
        frames = min(keys.size, bass.size)
        band = self.bring(wav_bytes(audio(0.5 * (keys[:frames] + bass[:frames])), 24), "b.wav").sha
        self.studio.shelf.change([band], StateSound(sound="mixed"))
        strand = self.do(SetShift(hand=band, semitones=5)).strands[0].id
        self.assertEqual(self.placed(strand).plan.parts, "whole")

    def test_each_choice_is_one_step_and_is_taken_back(self):
        strand = self.do(SetShift(hand=self.loop.sha, semitones=-4)).strands[0].id
        for parts in ("whole", "apart", "tones", "hits"):
            self.do(SetParts(hand=strand, parts=parts))
            self.assertEqual(self.placed(strand).plan.parts, parts)
            self.assertEqual(self.placed(strand).plan.semitones, 0 if parts == "hits" else -4)
        self.assertEqual(self.studio.projects.state(self.project).undo, "hits alone")
        self.studio.projects.undo(self.project)
        self.assertEqual(self.placed(strand).plan.parts, "tones")
        tree = self.tree()
        told = hand_json(tree, self.studio.hand(tree, strand))
        self.assertEqual((told["parts"], told["parts_sounding"]), ("tones", "tones"))
        self.assertIsNone(told["why_whole"])

    def test_taken_apart_both_play_wherever_it_played(self):
        placed = self.do(Place(hand=self.loop.sha, beat=4, passes=2))
        whole = placed.strands[0].id
        after = self.do(TakeApart(hand=whole))
        self.assertEqual([s.parts for s in after.strands], ["tones", "hits"])
        self.assertEqual([s.name for s in after.strands], ["m tones", "m hits"])
        self.assertEqual([(c.beat, c.passes) for c in after.clips], [(4, 2), (4, 2)])
        self.assertEqual(len({c.track for c in after.clips}), 2)
        self.assertEqual(len({t.level_db for t in after.tracks}), 1)
        apart = self.do(SetShift(hand=whole, semitones=5))
        hits_now = Placement.of(apart, apart.strands[1], self.studio.shelf.loop(self.loop.sha))
        self.assertEqual(hits_now.plan.semitones, 0.0)
        self.assertEqual(hits_now.plan.knots, self.placed(whole).plan.knots)
        for _ in range(2):
            self.studio.projects.undo(self.project)
        self.assertEqual(self.tree(), placed)

    def test_in_its_own_time_taken_apart_is_what_it_was_to_the_sample(self):
        strand = self.do(Place(hand=self.loop.sha, beat=0)).strands[0].id
        self.do(FollowTempo(hand=strand, follows=False))
        before = self.mixed()
        self.assertGreater(np.abs(before).max(), 0.05)
        self.do(TakeApart(hand=strand))
        np.testing.assert_allclose(self.mixed(), before, atol=2e-6)

    def mixed(self):
        """The song's first four seconds: float64 [2, frames]"""

        def read(digest, at, count):
            plan = self.studio.renders.plan(digest)
            return rendering_of(self.studio.store.folder, plan).frames(at, count)

        return mix(self.studio.sheet(self.tree()), read, 0, 4 * RATE)

    def test_a_loop_that_is_only_on_the_shelf_becomes_two_strands(self):
        tree = self.do(TakeApart(hand=self.loop.sha))
        self.assertEqual([s.parts for s in tree.strands], ["tones", "hits"])
        self.assertEqual((tree.clips, tree.tracks), ((), ()))

    def test_hits_alone_have_no_say_in_harmony(self):
        strand = self.do(Place(hand=self.loop.sha, beat=0)).strands[0].id
        self.do(TakeApart(hand=strand))
        tones, struck = self.tree().strands
        self.assertTrue(any(self.studio.hand(self.tree(), tones.id).tones))
        self.assertFalse(any(self.studio.hand(self.tree(), struck.id).tones))
        other = self.bring(wav_bytes(audio(rendered("bass_97").samples), 24), "b.wav").sha
        self.studio.shelf.change([other], StateSound(sound="bass"))
        self.do(SetParts(hand=tones.id, parts="hits"))
        placed = self.do(PlaceInGaps(hand=other))  # nothing with notes plays any more
        self.assertTrue([c for c in placed.clips if placed.strand(c.strand).loop == other])

    def test_what_cannot_be_told_apart_says_why_and_stays(self):
        song = mido.MidiFile(ticks_per_beat=480)
        song.tracks.append(
            mido.MidiTrack(
                mido.Message(kind, note=60, velocity=80, time=t)
                for kind, t in (("note_on", 0), ("note_off", 1920))
            )
        )
        file = io.BytesIO()
        song.save(file=file)
        notes = self.bring(file.getvalue(), "n.mid").sha
        seconds = LONGEST_SECONDS + 1
        long = hits(np.arange(0, seconds, 0.5), seconds, rate=8_000)
        take = self.bring(wav_bytes(audio(long, 8_000), 16), "take.wav").sha
        before = self.tree()
        for sha, why in ((notes, "notes are parts already"), (take, "crop a loop")):
            for intent in (SetParts(hand=sha, parts="apart"), TakeApart(hand=sha)):
                with self.assertRaisesRegex(EditError, why):
                    self.do(intent)
            tree = self.tree()
            self.assertIn(why, hand_json(tree, self.studio.hand(tree, sha))["why_whole"])
        self.assertEqual(self.tree(), before)
        strand = self.do(TakeApart(hand=self.loop.sha)).strands[0].id
        with self.assertRaisesRegex(EditError, "one part of its loop already"):
            self.do(TakeApart(hand=strand))

"""Grooves as a person uses them: taken, laid, changed, undone, followed, heard."""

import io

import mido
import numpy as np

from tests.sounds import RATE, audio, drum_loop
from tests.studio.helper import StudioTest
from zeroknot.core.audio import Audio
from zeroknot.core.errors import EditError, GrooveError, ZeroKnotError
from zeroknot.core.formats.midi import read_midi
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.groove.groove import Groove, Step, swing, swing_ratio
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.render.notes_run import NotesRendering
from zeroknot.studio.groove_view import seen_groove
from zeroknot.studio.intents.groove import (
    BringGroove,
    DrawStep,
    LayOver,
    LetGrooveGo,
    MakeSwing,
    MixGrooves,
    NameGroove,
    RegridGroove,
    RemoveSongGroove,
    SetGroove,
    SetSongGroove,
    TakeGroove,
    TakeOff,
)
from zeroknot.studio.intents.knots import StraightenBeats
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.tasks.rendering import render_whole

BPM = 100.0
SHUFFLED, STRAIGHT = 0.66, 0.5  # where the second eighth of a beat lies


class GrooveTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.straight = self.brought(
            wav_bytes(audio(0.5 * drum_loop(BPM, 2, swing=STRAIGHT)), 24), "straight 100bpm.wav"
        )
        self.shuffled = self.brought(
            wav_bytes(audio(0.5 * drum_loop(BPM, 2, swing=SHUFFLED, seed=9)), 24),
            "shuffled 100bpm.wav",
        )
        self.project = self.studio.projects.create("Grooves")
        self.submit(self.project, SetSteadyTempo(bpm=BPM))
        for loop in (self.straight, self.shuffled):
            self.submit(self.project, Place(hand=loop.sha, beat=0))

    def brought(self, data, name):
        return self.studio.shelf.loop(self.bring(data, name).sha)

    def tree(self):
        return self.studio.projects.state(self.project).project

    def strand(self, loop):
        return next(s for s in self.tree().strands if s.loop == loop.sha)

    def do(self, intent):
        return self.submit(self.project, intent)

    def take(self, **given):
        given = {"hand": self.shuffled.sha, "bars": 2, "per_beat": 2} | given
        return self.do(TakeGroove(**given)).project.grooves[-1]

    def body(self, loop, beat=0.0):
        """What one pass sounds like."""
        hand = self.studio.hand(self.tree(), loop.sha)
        plan = Placement.of(self.tree(), hand.strand, hand.loop, beat).plan
        sound = render_whole(self.studio.store.folder, plan)
        return Audio(sound[:, plan.lead_frames : plan.lead_frames + plan.body_frames], RATE)


class TakeTest(GrooveTest):
    def test_a_shuffle_is_taken_with_its_ratio(self):
        groove = self.take().groove
        self.assertAlmostEqual(swing_ratio(groove), SHUFFLED / (1 - SHUFFLED), delta=0.1)
        self.assertEqual((groove.beats, groove.name), (8.0, "shuffled 100bpm feel"))
        self.assertIn("bars 1–2 of shuffled 100bpm", groove.origin)
        self.assertIn("low", groove.registers)
        self.assertGreater(len(groove.played), 10)  # the hits stay with it by value

    def test_of_tracks_it_is_what_is_heard_there(self):
        track = next(
            c.track for c in self.tree().clips if c.strand == self.strand(self.shuffled).id
        )
        given = {"hand": None, "tracks": (track,), "bars": 1, "first_bar": 2}
        made = self.take(**given).groove
        self.assertAlmostEqual(swing_ratio(made), SHUFFLED / (1 - SHUFFLED), delta=0.1)
        self.assertEqual(made.beats, 4.0)

    def test_it_is_gathered_anew_on_another_grid(self):
        id_ = self.take().id
        state = self.do(RegridGroove(groove=id_, per_beat=3, fold_beats=4.0))
        made = state.project.kept_groove(id_).groove
        self.assertEqual((made.per_beat, made.beats), (3, 4.0))
        # Two thirds of a beat is the third triplet.
        self.assertLess(abs(made.steps[2].offset), 0.05)
        # Folded, it is gathered from all of its hits again.
        back = self.do(RegridGroove(groove=id_, per_beat=2)).project.kept_groove(id_).groove
        self.assertEqual((back.beats, back.steps[0].hits), (4.0, 2))

    def test_what_cannot_be_taken_is_a_sentence_and_changes_nothing(self):
        before = self.tree()
        for wrong in (
            {"bars": 3}, {"bars": 2, "fold_bars": 4}, {"hand": None}, {"first_bar": 2},
            {"hand": None, "tracks": ("none",)},
            {"hand": None, "tracks": (before.tracks[0].id,), "first_bar": 40},
            {"per_beat": 9},
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaises(ZeroKnotError):
                self.take(**wrong)
        self.assertIs(self.tree(), before)


class LayTest(GrooveTest):
    def test_a_straight_loop_is_locked_to_the_shuffle(self):
        """Read back from what plays: where its attacks are."""
        kept = self.take()
        self.do(LayOver(hand=self.straight.sha, kept=kept.id))
        heard = all_attacks(self.body(self.straight)).at_sensitivity(SENSITIVITY).seconds
        wanted = all_attacks(self.body(self.shuffled)).at_sensitivity(SENSITIVITY).seconds
        off = [1000 * np.abs(heard - w).min() for w in wanted if w < 4.7]
        self.assertLess(np.median(off), 1.5)
        seen = seen_groove(self.tree(), self.studio.hand(self.tree(), self.straight.sha))
        self.assertGreater(seen.before_ms, 40.0)
        self.assertLess(seen.after_ms, 2.0)
        self.assertGreater(seen.farthest.moved_ms, 80.0)

    def test_amounts_are_computed_from_below_and_nothing_is_the_loop_itself(self):
        plain = self.body(self.straight).samples
        kept = self.take()
        self.do(LayOver(hand=self.straight.sha, kept=kept.id))
        whole = self.body(self.straight).samples
        self.do(SetGroove(hand=self.straight.sha, timing=0.6))
        self.do(SetGroove(hand=self.straight.sha, timing=0.0))
        np.testing.assert_array_equal(self.body(self.straight).samples, plain)
        self.do(SetGroove(hand=self.straight.sha, timing=1.0))
        np.testing.assert_array_equal(self.body(self.straight).samples, whole)
        self.do(TakeOff(hand=self.straight.sha))
        np.testing.assert_array_equal(self.body(self.straight).samples, plain)
        self.studio.projects.undo(self.project)
        np.testing.assert_array_equal(self.body(self.straight).samples, whole)

    def test_each_change_is_one_step_of_undo_that_says_what_it_was(self):
        kept = self.take()
        self.do(LayOver(hand=self.straight.sha, kept=kept.id))
        self.assertEqual(self.studio.projects.state(self.project).undo, "lay shuffled 100bpm feel")
        self.do(SetGroove(hand=self.straight.sha, timing=0.95))
        self.assertEqual(self.studio.projects.state(self.project).undo, "timing 95 %")
        self.studio.projects.undo(self.project)
        self.assertEqual(self.strand(self.straight).groove.timing, 1.0)

    def test_accents_make_hits_louder_and_softer_as_the_groove_says(self):
        groove = Groove("Loud offbeats", 2, (Step(accent_db=-6.0), Step(accent_db=6.0)))
        kept = self.do(BringGroove(groove=groove)).project.grooves[-1]
        plain = self.body(self.straight).samples
        self.do(LayOver(hand=self.straight.sha, kept=kept.id))
        self.do(SetGroove(hand=self.straight.sha, timing=0.0, accents=1.0))
        loud = self.body(self.straight).samples
        eighth = 60.0 / BPM / 2
        for k in range(1, 15):
            at = slice(round((k * eighth + 0.01) * RATE), round((k * eighth + 0.1) * RATE))
            change = 10 * np.log10(np.mean(loud[:, at] ** 2) / np.mean(plain[:, at] ** 2))
            hit = next(
                h for h in seen_groove(
                    self.tree(), self.studio.hand(self.tree(), self.straight.sha)
                ).hits if abs(h.move.before - k / 2) < 0.05
            )  # fmt: skip
            self.assertAlmostEqual(change, hit.move.gain_db, delta=0.2)
        self.assertLess(np.abs(np.diff(loud)).max(), 2.5 * np.abs(np.diff(plain)).max())

    def test_it_lies_over_what_is_straightened_and_survives_another_tempo(self):
        kept = self.take()
        self.do(LayOver(hand=self.straight.sha, kept=kept.id))
        self.do(StraightenBeats(hand=self.straight.sha, every=1))
        self.do(SetSteadyTempo(bpm=120))
        strand = self.strand(self.straight)
        self.assertIsNotNone(strand.straighten)
        beat = strand.warp.beat_of_second(1.5 * 60 / BPM)
        self.assertAlmostEqual(beat, 1.0 + SHUFFLED, delta=0.02)
        # Fit's rails and knots stay those below the groove.
        self.assertAlmostEqual(strand.tied.warp.beat_of_second(1.5 * 60 / BPM), 1.5, delta=0.01)

    def test_a_drag_costs_little_history(self):
        kept = self.take()
        self.do(LayOver(hand=self.straight.sha, kept=kept.id))
        state = self.do(SetGroove(hand=self.straight.sha, timing=0.7))
        with self.studio._engine.connect() as connection:
            row = connection.exec_driver_sql(
                "SELECT length(edit), length(change) FROM revision"
                " WHERE project = ? AND number = ?",
                (self.project, state.revision),
            ).one()
        self.assertLess(sum(n or 0 for n in row), 2_000)

    def test_what_is_wrong_is_a_sentence(self):
        silent = self.brought(wav_bytes(audio(np.zeros(RATE)), 24), "silent.wav")
        for wrong in (
            LayOver(hand=self.straight.sha), LayOver(hand=self.straight.sha, kept="none"),
            LayOver(hand=silent.sha, per_beat=4), LayOver(hand=self.straight.sha, per_beat=9),
            LayOver(hand=self.straight.sha, per_beat=4, swing=80.0),
            SetGroove(hand=self.straight.sha, timing=0.5), TakeOff(hand=self.straight.sha),
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaises(ZeroKnotError):
                self.do(wrong)


class MidiTest(GrooveTest):
    def midi(self):
        track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=600_000)])
        for i in range(16):
            track.append(mido.Message("note_on", note=60, velocity=64, time=0 if not i else 120))
            track.append(mido.Message("note_off", note=60, time=120))
        out = io.BytesIO()
        mido.MidiFile(type=0, ticks_per_beat=480, tracks=[track]).save(file=out)
        return self.brought(out.getvalue(), "line.mid")

    def plan(self, loop):
        hand = self.studio.hand(self.tree(), loop.sha)
        return Placement.of(self.tree(), hand.strand, hand.loop).plan

    def test_notes_move_and_keep_their_lengths_or_do_not(self):
        loop = self.midi()
        self.do(LayOver(hand=loop.sha, per_beat=2, swing=60.0))
        kept = self.plan(loop)
        self.assertTrue(kept.lengths_by)
        self.do(SetGroove(hand=loop.sha, keeps_lengths=False))
        scaled = self.plan(loop)
        self.assertFalse(scaled.lengths_by)
        self.assertEqual(kept.knots, scaled.knots)
        with self.studio.store.path(loop.sha).open("rb") as file:
            notes = read_midi(file)
        before = [n.frames for n in NotesRendering(notes, kept)._notes]
        after = [n.frames for n in NotesRendering(notes, scaled)._notes]
        self.assertEqual(len(set(before)), 1)
        self.assertGreater(max(after) - min(after), 1_000)

    def test_accents_change_velocities(self):
        loop = self.midi()
        groove = Groove("", 2, (Step(accent_db=4.0), Step(accent_db=-4.0)))
        kept = self.do(BringGroove(groove=groove)).project.grooves[-1]
        self.do(LayOver(hand=loop.sha, kept=kept.id))
        self.do(SetGroove(hand=loop.sha, accents=1.0))
        with self.studio.store.path(loop.sha).open("rb") as file:
            notes = NotesRendering(read_midi(file), self.plan(loop))._notes
        # 40 dB a decade: 4 dB is a velocity times 10^(4/40).
        self.assertEqual(
            [n.velocity for n in notes[:2]], [round(64 * 10**0.1), round(64 / 10**0.1)]
        )


class KeptTest(GrooveTest):
    def test_swing_mix_name_draw_and_let_go(self):
        even = self.do(MakeSwing(percent=50.0, per_beat=4)).project.grooves[-1]
        late = self.do(MakeSwing(percent=60.0, per_beat=4, name="Late")).project.grooves[-1]
        mix = self.do(MixGrooves(one=even.id, other=late.id, share=0.5)).project.grooves[-1]
        self.assertAlmostEqual(mix.groove.steps[1].offset, 0.1)
        self.do(NameGroove(groove=mix.id, name="Half way"))
        self.do(LayOver(hand=self.straight.sha, kept=mix.id))
        self.do(DrawStep(groove=mix.id, number=1, offset=0.3, accent_db=3.0))
        # Where it is laid it changes along, in the same step of undo.
        self.assertEqual(self.strand(self.straight).groove.groove.steps[1].offset, 0.3)
        self.studio.projects.undo(self.project)
        self.assertAlmostEqual(self.strand(self.straight).groove.groove.steps[1].offset, 0.1)
        self.do(LetGrooveGo(groove=mix.id))
        self.assertEqual(len(self.tree().grooves), 2)
        self.assertEqual(self.strand(self.straight).groove.groove.name, "Half way")

    def test_the_shelf_keeps_one_for_every_project(self):
        kept = self.take(name="Rope feel")
        self.assertTrue(self.studio.shelve_groove(self.project, kept.id).is_new)
        self.assertFalse(self.studio.shelve_groove(self.project, kept.id).is_new)  # once
        found = self.studio.grooves.find("rope")
        self.assertEqual([g.groove.name for g in found], ["Rope feel"])
        self.assertEqual(self.studio.grooves.find("hemp"), [])
        self.studio.close()
        self.studio = self.opened()
        self.assertEqual(self.studio.grooves.get(found[0].id), kept.groove)
        self.studio.grooves.forget(found[0].id)
        with self.assertRaises(ZeroKnotError):
            self.studio.grooves.get(found[0].id)
        self.assertEqual(self.studio.grooves.find("rope"), [])
        self.studio.grooves.bring_back(found[0].id)
        self.assertEqual(self.studio.grooves.find("rope"), found)
        self.studio.grooves.forget(found[0].id)
        self.studio.shelve_groove(self.project, kept.id)  # kept anew, it is there again
        self.assertEqual(self.studio.grooves.find("rope"), found)


class SongTest(GrooveTest):
    def test_the_song_may_have_a_groove_that_changes_at_a_bar(self):
        shuffle = self.do(MakeSwing(percent=66.0, per_beat=2)).project.grooves[-1]
        self.do(Place(hand=self.straight.sha, beat=16, track=self.tree().tracks[0].id))
        self.do(SetSongGroove(bar=5, groove=shuffle.id, follow=True))
        self.assertTrue(all(s.groove.follows for s in self.tree().strands))
        hand = self.studio.hand(self.tree(), self.straight.sha)
        early, late = (
            Placement.of(self.tree(), hand.strand, hand.loop, beat) for beat in (0.0, 16.0)
        )
        second = 1.5 * 60 / BPM
        self.assertAlmostEqual(early.warp.beat_of_second(second), 1.5, delta=0.01)
        self.assertAlmostEqual(late.warp.beat_of_second(second), 1.66, delta=0.01)
        self.assertNotEqual(early.law, late.law)
        # A pass that the change falls into goes by each where it holds.
        across = Placement.of(self.tree(), hand.strand, hand.loop, 12.0).warp
        self.assertAlmostEqual(across.beat_of_second(second), 1.5, delta=0.01)
        self.assertAlmostEqual(across.beat_of_second(5.5 * 60 / BPM), 5.66, delta=0.01)

    def test_the_sheet_follows_at_once_and_back(self):
        shuffle = self.do(MakeSwing(percent=66.0, per_beat=2)).project.grooves[-1]
        straight = self.studio.play_sheet(self.tree(), None)
        self.do(SetSongGroove(bar=1, groove=shuffle.id, follow=True))
        told = self.studio.play_sheet(self.tree(), None, known=straight["token"])
        self.assertTrue(told["events"]["set"])
        self.do(RemoveSongGroove(bar=1))
        again = self.studio.play_sheet(self.tree(), None)
        digests = [[e.digest for e in sheet["events"]] for sheet in (straight, again)]
        self.assertEqual(*digests)

    def test_a_groove_that_the_song_has_stays(self):
        kept = self.do(MakeSwing(percent=60.0, per_beat=4)).project.grooves[-1]
        self.do(SetSongGroove(bar=1, groove=kept.id))
        with self.assertRaises(EditError):
            self.do(LetGrooveGo(groove=kept.id))
        with self.assertRaises(ZeroKnotError):
            self.do(SetSongGroove(bar=3, groove="none"))
        with self.assertRaises(EditError):
            self.do(RemoveSongGroove(bar=9))

    def test_ticks_lie_on_the_steps(self):
        kept = self.do(MakeSwing(percent=66.0, per_beat=2)).project.grooves[-1]
        sheet = self.studio.hand_sheet(
            self.tree(), self.strand(self.straight).id, 0.0, clicks=kept.id
        )
        plan = self.studio.renders.plan(sheet["clicks"])
        beat = 60.0 / BPM * RATE
        wanted = [round((k + late) * beat) for k in range(8) for late in (0.0, 0.66)]
        self.assertEqual([at for at, _, _ in plan.strikes], wanted)
        sound = render_whole(self.studio.store.folder, plan)
        self.assertEqual(sound.shape, (1, plan.body_frames))
        found = all_attacks(Audio(sound, RATE)).at_sensitivity(SENSITIVITY).seconds
        self.assertEqual(len(found), 16)
        self.assertLess(np.abs(found * RATE - wanted).max(), 0.002 * RATE)
        none = self.studio.hand_sheet(
            self.tree(), self.strand(self.straight).id, 0.0, clicks="laid"
        )
        self.assertIsNone(none["clicks"])


class SwingTest(GrooveTest):
    def test_a_groove_with_no_steps_at_all_is_no_groove(self):
        with self.assertRaises(GrooveError):
            self.do(BringGroove(groove=swing(60.0, 11)))


if __name__ == "__main__":
    import unittest

    unittest.main()

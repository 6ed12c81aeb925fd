"""The song's key: who follows it, what moves where it changes, tuning, clashes."""

import io
from dataclasses import replace

import mido
import numpy as np

from tests.sounds import RATE, audio
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.core.formats.midi import read_midi
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.harmony.fit import HEARD, SAID
from zeroknot.core.harmony.tones import profile_of
from zeroknot.core.listening.chroma import spectral_peaks, tuning_cents
from zeroknot.core.mixing.mix import mix
from zeroknot.core.render.notes_run import NotesRendering
from zeroknot.document.edits.clip import ChangeClip
from zeroknot.studio.hand import in_hand
from zeroknot.studio.intents.key import (
    CorrectTuning,
    Follow,
    PlaceInGaps,
    RemoveKeyAt,
    SetA4,
    SetKeyAt,
    TreatBars,
)
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.stretch import SetMethod, SetShift
from zeroknot.studio.intents.time import SetSteadyTempo, TakeKey
from zeroknot.studio.key_view import seen_key
from zeroknot.studio.placement import Placement
from zeroknot.studio.shelf_edits import StateKey, StateSound
from zeroknot.studio.tasks.rendering import rendering_of

BPM = 120.0
BAR = 4 * 60.0 / BPM


def chords(roots, cents=0.0, minor=True, seed=1):
    """Two seconds of a held triad for each root (MIDI note numbers): float64 [frames]"""
    rng = np.random.default_rng(seed)
    out = []
    for root in roots:
        t = np.arange(round(BAR * RATE)) / RATE
        third = 3 if minor else 4
        sound = np.zeros(t.size)
        for note in (root, root + third, root + 7):
            hertz = 440 * 2 ** ((note - 69 + cents / 100) / 12)
            for h in range(1, 5):
                sound += np.sin(2 * np.pi * hertz * h * t + rng.uniform(0, 6)) / h**1.5
        edge = np.minimum(1.0, np.minimum(t, BAR - t) / 0.02)
        out.append(0.08 * sound * edge)
    return np.concatenate(out)


def turned(one, other):
    """By how many semitones the notes of the other are higher."""
    before, after = (np.asarray(profile_of(audio(samples))) for samples in (one, other))
    return int(np.argmax([np.dot(np.roll(before, n), after) for n in range(12)]))


class KeyTest(StudioTest):
    def setUp(self):
        super().setUp()
        # A minor: i, iv, v, i.
        self.chords = self.brought(chords((57, 62, 64, 57)), "chords.wav", "A minor", "chords")
        self.bass = self.brought(chords((45, 45, 45, 45)), "bass.wav", "A minor", "bass")
        self.project = self.studio.projects.create("Keys")
        self.submit(self.project, SetSteadyTempo(bpm=BPM))

    def brought(self, samples, name, key=None, sound=None):
        sha = self.bring(wav_bytes(audio(samples), 24), name).sha
        if key:
            self.studio.shelf.change([sha], StateKey(key=key))
        if sound:
            self.studio.shelf.change([sha], StateSound(sound=sound))
        return self.studio.shelf.loop(sha)

    def brought_notes(self):
        """A MIDI loop in A minor."""
        track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=500_000)])
        for note in (57, 60, 64, 67):  # A, C, E, G: 1, 3, 5, 7 of A minor
            track.append(mido.Message("note_on", note=note, velocity=80, time=0))
            track.append(mido.Message("note_off", note=note, time=480))
        out = io.BytesIO()
        mido.MidiFile(type=0, ticks_per_beat=480, tracks=[track]).save(file=out)
        sha = self.bring(out.getvalue(), "line.mid").sha
        self.studio.shelf.change([sha], StateKey(key="A minor"))
        return self.studio.shelf.loop(sha)

    def do(self, intent):
        return self.submit(self.project, intent)

    def tree(self):
        return self.studio.projects.state(self.project).project

    def strand(self, loop):
        return next(s for s in self.tree().strands if s.loop == loop.sha)

    def semitones(self, loop, beat=0.0):
        return Placement.of(self.tree(), self.strand(loop), loop, beat).semitones

    def song(self, first, seconds):
        """What the song plays from a beat on: float64 [frames], both sides together."""
        sheet = self.studio.sheet(self.tree())

        def read(digest, at, count):
            return rendering_of(self.studio.store.folder, self.studio.renders.plan(digest)).frames(
                at, count
            )

        return mix(sheet, read, round(first * 60 / BPM * RATE), round(seconds * RATE)).sum(axis=0)


class FollowTest(KeyTest):
    def test_what_has_notes_follows_the_key_it_comes_into(self):
        self.do(SetKeyAt(key="C minor"))
        drums = self.loop("drums_103")
        for loop in (self.chords, self.bass, drums):
            self.do(Place(hand=loop.sha, beat=0))
        self.assertEqual(self.semitones(self.chords), 3.0)  # A to C is three up
        self.assertEqual(self.semitones(self.bass), 3.0)
        self.assertIsNone(self.strand(drums).in_key)
        with self.assertRaises(EditError):
            self.do(Follow(hand=drums.sha))

    def test_what_is_placed_as_it_is_heard_leaves_what_plays_as_it_is(self):
        self.do(SetKeyAt(key="C minor"))
        for lay, span in ((2.0, 32.0), (1.0, 32.0), (0.5, 16.0)):
            tree = self.do(Place(hand=self.chords.sha, beat=0, lay=lay)).project
            self.assertEqual(tree.strand(tree.clips[-1].strand).span, span)
            self.assertEqual(tree.strands[0].span, 32.0)
        self.assertEqual(len(tree.strands), 2)
        self.assertEqual(tree.strands[1].in_key, tree.strands[0].in_key)
        for wrong in ({"lay": 99.0}, {"bars": -1.0}):
            with self.assertRaises(EditError):
                self.do(Place(hand=self.chords.sha, beat=0, **wrong))

    def test_the_first_key_takes_along_what_is_there(self):
        self.do(Place(hand=self.chords.sha, beat=0))
        self.assertIsNone(self.strand(self.chords).in_key)
        state = self.do(SetKeyAt(key="D minor"))
        self.assertEqual(state.undo, "key D minor")
        self.assertEqual(self.semitones(self.chords), 5.0)
        self.studio.projects.undo(self.project)
        self.assertEqual((self.tree().keys, self.strand(self.chords).in_key), ((), None))

    def test_a_key_that_is_said_is_gone_by_farther_than_one_that_is_heard(self):
        # B♭ held as long as the tonic: as E minor's tritone it would be outside, five up it is in.
        strange = chords((52, 58, 52), minor=True)
        said = self.brought(strange, "strange.wav", "E minor", "chords")
        named = self.brought(-strange, "strange 120bpm Em.wav", sound="chords")
        self.do(SetKeyAt(key="E minor"))
        for loop in (said, named):
            self.do(Place(hand=loop.sha, beat=0))
            self.assertEqual(self.strand(loop).in_key.leeway, SAID)
            self.assertEqual(self.semitones(loop), 0.0, loop.name)
        heard = self.brought(chords((57, 62, 64, 57), seed=2), "heard.wav", sound="chords")
        self.assertEqual(heard.key_from, "heard")
        self.do(Place(hand=heard.sha, beat=0))
        self.assertEqual(self.strand(heard).in_key.leeway, HEARD)

    def test_a_key_that_is_corrected_is_followed_where_it_is_asked_for(self):
        self.do(SetKeyAt(key="C minor"))
        self.do(Place(hand=self.chords.sha, beat=0))
        strand = self.strand(self.chords).id
        self.do(Follow(hand=strand, prefers="relative"))
        self.studio.shelf.change([self.chords.sha], StateKey(key="D minor"))
        hand = in_hand(self.tree(), self.studio.loops, strand)
        seen = seen_key(self.tree(), hand)
        self.assertEqual((seen.rule.key, seen.proposed, seen.by_key), ("A minor", 3, 3))
        self.assertEqual((seen.anew.key, seen.anew.shift), ("D minor", -2))
        self.do(Follow(hand=strand, anew=True))
        self.assertEqual(self.semitones(self.studio.shelf.loop(self.chords.sha)), -2.0)
        self.assertEqual(self.strand(self.chords).in_key.prefers, "relative")
        hand = in_hand(self.tree(), self.studio.loops, strand)
        self.assertIsNone(seen_key(self.tree(), hand).anew)
        self.studio.projects.undo(self.project)
        self.assertEqual(self.semitones(self.chords), 3.0)

    def test_who_follows_is_not_listened_to_again_to_be_looked_at(self):
        midi = self.brought_notes()
        self.do(SetKeyAt(key="C minor"))
        self.do(Place(hand=midi.sha, beat=0))
        self.do(Follow(hand=self.strand(midi).id))
        self.studio.shelf.change([midi.sha], StateKey(key="D minor"))

        def asked(loop):
            self.fail(f"{loop.name} was listened to")

        hand = in_hand(self.tree(), self.studio.loops, self.strand(midi).id)
        seen = seen_key(self.tree(), replace(hand, listen=asked))
        self.assertEqual((seen.rule.key, seen.anew.key), ("A minor", "D minor"))

    def test_own_shift_lies_on_top_and_following_can_be_left(self):
        self.do(SetKeyAt(key="B minor"))
        self.do(Place(hand=self.chords.sha, beat=0))
        self.do(SetShift(hand=self.chords.sha, semitones=-12.0))
        self.assertEqual(self.semitones(self.chords), -10.0)
        self.do(Follow(hand=self.chords.sha, follows=False))
        self.assertEqual(self.semitones(self.chords), -12.0)
        self.do(Follow(hand=self.chords.sha, prefers="relative"))
        self.assertEqual(self.strand(self.chords).in_key.prefers, "relative")

    def test_what_is_too_far_is_silent_and_says_why(self):
        self.do(SetKeyAt(key="D minor"))
        self.do(Place(hand=self.chords.sha, beat=0))
        self.do(SetShift(hand=self.chords.sha, semitones=19.0))
        [clip] = self.tree().clips
        self.do(ChangeClip(clip=clip.id, shift=12.0))
        placed = Placement.of(self.tree(), self.strand(self.chords), self.chords, 0.0, 12.0)
        self.assertIn("shifted by +36 st", placed.why_silent)
        self.assertEqual(self.studio.sheet(self.tree()).events, ())

    def test_a_project_takes_the_key_of_what_is_in_hand_and_keeps_its_changes(self):
        self.do(SetKeyAt(key="C minor"))
        self.do(SetKeyAt(bar=9, key="E minor"))
        self.do(TakeKey(hand=self.chords.sha))
        self.assertEqual(
            [(k.bar, k.key) for k in self.tree().keys], [(1, "A minor"), (9, "E minor")]
        )


class ChangeTest(KeyTest):
    def setUp(self):
        super().setUp()
        self.do(SetKeyAt(key="A minor"))
        self.do(Place(hand=self.chords.sha, beat=0, passes=3))

    def test_it_changes_in_mid_pass_on_its_frame_and_comes_back(self):
        plain = self.song(0.0, 12 * BAR)
        self.do(SetKeyAt(bar=3, key="B minor"))
        self.do(SetKeyAt(bar=7, key="A minor"))
        moved = self.song(0.0, 12 * BAR)
        split, back = round(2 * BAR * RATE), round(6 * BAR * RATE)
        room = round(0.006 * RATE)
        # Until the change, and from its end on, it is what it was, sample for sample.
        np.testing.assert_array_equal(moved[: split - room], plain[: split - room])
        np.testing.assert_allclose(moved[back:], plain[back:], atol=1e-6)
        self.assertGreater(
            np.abs(moved[split : back - room] - plain[split : back - room]).max(), 0.05
        )
        third = slice(split + RATE // 2, split + 3 * RATE // 2)
        self.assertEqual(turned(plain[third], moved[third]), 2)
        # No click: the step over it is no larger than elsewhere.
        steps = np.abs(np.diff(moved))
        for at in (split, back):
            self.assertLess(steps[at - room : at + room].max(), 1.5 * steps[: split - room].max())

    def test_passes_after_a_change_are_shifted_whole_and_shared(self):
        self.do(SetKeyAt(bar=5, key="B minor"))
        events = self.studio.sheet(self.tree()).events
        self.assertEqual(len(events), 3)
        self.assertEqual(len({e.digest for e in events}), 2)
        self.assertEqual(self.semitones(self.chords, 16.0), 2.0)

    def test_a_sparse_loop_moves_by_the_interval_and_does_not_jump(self):
        self.do(Place(hand=self.bass.sha, beat=0))
        for key, wanted in (("B minor", 2.0), ("G minor", -2.0), ("D major", 5.0)):
            self.do(SetKeyAt(bar=3, key=key))
            self.assertEqual(self.semitones(self.bass, 8.0), wanted)

    def test_a_clip_may_be_shifted_alone(self):
        track = self.tree().tracks[0].id
        self.do(Place(hand=self.chords.sha, beat=64, track=track))
        clip = max(self.tree().clips, key=lambda c: c.beat)
        state = self.do(ChangeClip(clip=clip.id, shift=2.0))
        self.assertEqual(state.undo, "shift clip +2 st")
        events = self.studio.sheet(self.tree()).events
        plans = {e.id: self.studio.renders.plan(e.digest).semitones for e in events}
        self.assertEqual(plans[f"{clip.id}:0"], 2.0)
        self.assertEqual(set(plans.values()), {0.0, 2.0})

    def test_what_makes_no_sense_is_a_sentence(self):
        for wrong in (
            SetKeyAt(bar=3, key="H minor"), RemoveKeyAt(bar=9), SetKeyAt(bar=2, key=""),
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaises(ZeroKnotError):
                self.do(wrong)
        self.do(SetKeyAt(bar=3, key="B minor"))
        with self.assertRaises(EditError):
            self.do(RemoveKeyAt(bar=1))
        self.do(RemoveKeyAt(bar=3))
        self.do(RemoveKeyAt(bar=1))
        self.assertEqual(self.tree().keys, ())


class ScaleTest(KeyTest):
    def test_notes_of_midi_keep_their_degree(self):
        loop = self.brought_notes()
        sha = loop.sha
        self.do(SetKeyAt(key="C major"))
        self.do(Place(hand=sha, beat=0))
        self.do(Follow(hand=sha, along=True))
        self.do(SetKeyAt(bar=2, key="C minor"))

        def pitches(beat):
            plan = Placement.of(self.tree(), self.strand(loop), loop, beat).plan
            with self.studio.store.path(sha).open("rb") as file:
                notes = NotesRendering(read_midi(file), plan)._notes
            return sorted(int(n.pitch) for n in notes)

        self.assertEqual(pitches(0.0), [60, 64, 67, 71])  # C, E, G, B
        self.assertEqual(pitches(4.0), [60, 63, 67, 70])  # C, E♭, G, B♭
        with self.assertRaises(EditError):
            self.do(Follow(hand=self.chords.sha, along=True))


class TuningTest(KeyTest):
    def test_it_is_corrected_in_one_step_for_one_or_a_set(self):
        sharp = self.brought(chords((57, 62), cents=22.0), "sharp.wav", "A minor", "chords")
        self.do(Place(hand=sharp.sha, beat=0))
        seen = seen_key(self.tree(), self.studio.hand(self.tree(), sharp.sha))
        self.assertAlmostEqual(seen.cents, 22.0, delta=2.0)
        self.assertAlmostEqual(seen.correction, -22.0, delta=2.0)
        self.do(CorrectTuning(hands=(sharp.sha, self.chords.sha)))
        heard = tuning_cents(spectral_peaks(audio(self.song(0.5, 3.0))))
        self.assertLess(abs(heard), 3.0)
        self.do(SetA4(hertz=442.0))
        self.do(CorrectTuning(hands=(sharp.sha,)))
        # 442 Hz is 7.85 cents over 440.
        heard = tuning_cents(spectral_peaks(audio(self.song(0.5, 3.0))))
        self.assertAlmostEqual(heard, 7.85, delta=3.0)
        with self.assertRaises(EditError):
            self.do(CorrectTuning(hands=(sharp.sha,)))

    def test_what_is_as_good_as_in_tune_is_left_alone(self):
        """Tuning is heard to some cents: corrected by that, two loops in tune would be apart."""
        for cents, corrected in ((5.0, 0.0), (-6.0, 0.0), (14.0, -14.0)):
            loop = self.brought(chords((57, 62), cents=cents), f"{cents}.wav", "A minor", "chords")
            seen = seen_key(self.tree(), self.studio.hand(self.tree(), loop.sha))
            with self.subTest(cents=cents):
                self.assertAlmostEqual(seen.cents, cents, delta=2.0)
                self.assertAlmostEqual(seen.correction, corrected, delta=2.0 if corrected else 0.0)
            if not corrected:  # nothing is done, and no step of undo says that something was
                with self.assertRaisesRegex(EditError, "no tuning was heard there"):
                    self.do(CorrectTuning(hands=(loop.sha,)))
        self.do(SetA4(hertz=442.0))
        seen = seen_key(self.tree(), self.studio.hand(self.tree(), self.chords.sha))
        self.assertEqual(seen.correction, 7.85)

    def test_pitch_that_follows_speed_is_said_in_cents_with_what_would_mend_it(self):
        self.do(Place(hand=self.chords.sha, beat=0))
        self.do(SetMethod(hand=self.chords.sha, method="spool"))
        self.do(SetSteadyTempo(bpm=126))
        seen = seen_key(self.tree(), self.studio.hand(self.tree(), self.chords.sha))
        # 12 · log2(126 / 120) semitones.
        self.assertAlmostEqual(seen.spool_cents, 84.47, delta=0.5)
        self.assertAlmostEqual(seen.mending, -0.84, delta=0.01)


class ClashTest(KeyTest):
    def clash(self, loop):
        return self.studio.clashes.of(self.tree(), self.studio.hand(self.tree(), loop.sha))

    def test_what_does_not_go_together_is_said_with_its_bars_and_notes(self):
        other = self.brought(chords((58, 63, 65, 58), seed=4), "other.wav", "B♭ minor", "pad")
        self.do(Place(hand=self.chords.sha, beat=0))
        self.do(Place(hand=other.sha, beat=0))
        apart = self.clash(self.chords)
        self.assertEqual((apart.first_bar, apart.count), (1, 4))
        self.assertIn("clashes with other in bars 1–4", apart.sentence)
        self.do(SetShift(hand=other.sha, semitones=-1.0))
        together = self.clash(self.chords)
        for a, b in zip(apart.rows[0].bars, together.rows[0].bars, strict=True):
            self.assertLess(b.value, 0.6 * a.value)

    def test_the_shift_that_clashes_least_is_found(self):
        other = self.brought(chords((58, 63, 65, 58), seed=4), "other.wav", "B♭ minor", "pad")
        self.do(Place(hand=self.chords.sha, beat=0))
        self.do(Place(hand=other.sha, beat=0))
        found = self.studio.clashes.by_shift(
            self.tree(), self.studio.hand(self.tree(), self.chords.sha)
        )
        self.assertEqual(min(found, key=found.get), 1)

    def test_only_some_bars_are_shifted_or_rest(self):
        self.do(Place(hand=self.chords.sha, beat=0, passes=2))
        state = self.do(TreatBars(hand=self.chords.sha, first_bar=3, last_bar=5, shift=2.0))
        self.assertEqual(state.undo, "shift bars 3–5")
        clips = sorted(self.tree().clips, key=lambda c: c.beat)
        self.assertEqual([(c.beat, c.length, c.shift) for c in clips],
                         [(0, 8, 0), (8, 12, 2), (20, 12, 0)])  # fmt: skip
        self.do(TreatBars(hand=self.chords.sha, first_bar=4, last_bar=4, muted=True))
        self.assertEqual(sum(c.muted for c in self.tree().clips), 1)
        silent = self.song(12.1, 1.5)
        self.assertLess(np.abs(silent).max(), 1e-4)
        for _ in range(2):
            self.studio.projects.undo(self.project)
        [whole] = self.tree().clips
        self.assertTrue(whole.is_whole)
        nothing = {"first_bar": 1, "last_bar": 1}
        for wrong in ({"first_bar": 40, "last_bar": 41, "shift": 1.0}, nothing):
            with self.subTest(wrong), self.assertRaises(EditError):
                self.do(TreatBars(hand=self.chords.sha, **wrong))

    def test_it_is_played_where_the_others_rest(self):
        self.do(Place(hand=self.bass.sha, beat=8))
        self.do(Place(hand=self.bass.sha, beat=32))
        self.do(PlaceInGaps(hand=self.chords.sha))
        mine = [c for c in self.tree().clips if c.strand == self.strand(self.chords).id]
        self.assertEqual([(c.beat, c.length) for c in mine], [(0, 8), (24, 8)])
        with self.assertRaises(EditError):
            self.do(PlaceInGaps(hand=self.chords.sha))

    def test_bars_in_which_one_rests_have_none_and_drums_never_clash(self):
        self.do(Place(hand=self.chords.sha, beat=0, passes=2))
        self.do(Place(hand=self.bass.sha, beat=16))
        self.do(Place(hand=self.loop("drums_103").sha, beat=0))
        found = self.clash(self.chords)
        [row] = found.rows
        self.assertEqual([c is None for c in row.bars], [True] * 4 + [False] * 4)

    def test_it_follows_the_key_as_what_plays_does(self):
        self.do(SetKeyAt(key="A minor"))
        self.do(Place(hand=self.chords.sha, beat=0, passes=2))
        self.do(Place(hand=self.bass.sha, beat=0, passes=2))
        before = self.clash(self.chords)
        self.do(Follow(hand=self.bass.sha, follows=False))
        self.do(SetKeyAt(bar=5, key="B♭ minor"))
        after = self.clash(self.chords)
        values = [[c.value for c in one.rows[0].bars] for one in (before, after)]
        np.testing.assert_allclose(values[0][:4], values[1][:4])
        self.assertGreater(sum(values[1][4:]), 1.2 * sum(values[0][4:]))


if __name__ == "__main__":
    import unittest

    unittest.main()

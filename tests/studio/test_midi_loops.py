"""MIDI loops on the shelf: brought in, heard, fitted, transposed, printed, like any other loop."""

import io

import numpy as np
import soundfile

from tests.core.listening.test_midi_reading import SIX_EIGHT, midi
from tests.studio.helper import StudioTest
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.units import frame
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.readings import LayOn
from zeroknot.studio.intents.stretch import SetShift, SetStretch
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.tasks.rendering import render_whole

# Two bars of quarters at 84: A minor, low to high.
LINE = [(i, i + 0.8, p, 0) for i, p in enumerate((45, 57, 60, 64, 69, 64, 60, 57))]


class MidiLoopsTest(StudioTest):
    def brought(self, notes=LINE, tempo=84, name="line.mid"):
        item = self.bring(midi(notes, tempo).getvalue(), name)
        self.assertEqual((item.state, item.reason), ("done", ""))
        return self.studio.shelf.loop(item.sha)

    def placed(self, loop, bpm):
        project = self.studio.projects.create("MIDI")
        self.submit(project, SetSteadyTempo(bpm=bpm))
        return self.submit(project, Place(hand=loop.sha, beat=0)).project

    def axis(self, tree, loop):
        plan = Placement.of(tree, tree.strands[0], loop).plan
        return plan, render_whole(self.folder, plan)

    def test_it_is_known_at_once(self):
        loop = self.brought()
        self.assertTrue(loop.is_midi)
        self.assertEqual((loop.reading.bars, loop.reading.beats_per_bar), (2, 4))
        self.assertAlmostEqual(loop.reading.tempo_bpm, 84, places=3)
        self.assertEqual(loop.hearing.key.key, "A minor")
        self.assertEqual((loop.channels, loop.hearing.sound.kind), (2, "line"))

    def test_it_lies_on_the_beat_of_any_project(self):
        loop = self.brought()
        for bpm in (63.5, 97, 141.3):
            with self.subTest(bpm):
                tree = self.placed(loop, bpm)
                plan, axis = self.axis(tree, loop)
                self.assertEqual(plan.body_frames, frame(8 * 60 / bpm * 44_100))
                for beat in range(8):
                    at = plan.lead_frames + frame(beat * 60 / bpm * 44_100)
                    quiet = np.abs(axis[:, max(0, at - 40) : at]).max(initial=0.0)
                    self.assertGreater(np.abs(axis[:, at : at + 400]).max(), 2 * quiet)

    def test_a_file_that_changes_its_tempo_lies_on_every_beat(self):
        import mido

        file, track = mido.MidiFile(ticks_per_beat=480), mido.MidiTrack()
        file.tracks.append(track)
        for i in range(8):
            # 120 BPM for four quarters, then faster and faster.
            tempo = 500_000 if i < 4 else 500_000 - 60_000 * (i - 3)
            track.append(mido.MetaMessage("set_tempo", tempo=tempo))
            track.append(mido.Message("note_on", note=60, velocity=100))
            track.append(mido.Message("note_off", note=60, time=240))
            track.append(mido.MetaMessage("marker", text="", time=240))
        out = io.BytesIO()
        file.save(file=out)
        item = self.bring(out.getvalue(), "rush.mid")
        loop = self.studio.shelf.loop(item.sha)
        # 4 · 0.5 + 0.44 + 0.38 + 0.32 + 0.26 s.
        self.assertAlmostEqual(loop.reading.end_s, 3.4)
        tree = self.placed(loop, 100)
        plan, axis = self.axis(tree, loop)
        self.assertEqual(plan.body_frames, frame(8 * 0.6 * 44_100))
        for beat in range(1, 8):
            at = plan.lead_frames + frame(beat * 0.6 * 44_100)
            self.assertEqual(np.abs(axis[:, at - 60 : at]).max(), 0.0)
            self.assertGreater(np.abs(axis[:, at : at + 200]).max(), 0.01)

    def test_shift_and_span(self):
        loop = self.brought()
        tree = self.placed(loop, 84)
        plain = self.axis(tree, loop)[1]
        shifted = self.studio.projects.create("Shifted")
        self.submit(shifted, SetSteadyTempo(bpm=84))
        self.submit(shifted, Place(hand=loop.sha, beat=0))
        state = self.submit(
            shifted, SetShift(hand=self.studio.projects.state(shifted).project.strands[0].id,
                                semitones=3)
        )  # fmt: skip
        higher = self.axis(state.project, loop)[1]
        written = self.brought([(a, b, p + 3, c) for a, b, p, c in LINE], name="up.mid")
        np.testing.assert_array_equal(higher, self.axis(self.placed(written, 84), written)[1])
        self.assertFalse(np.array_equal(plain, higher))
        state = self.submit(shifted, LayOn(hand=state.project.strands[0].id, beats=16))
        self.assertEqual(self.axis(state.project, loop)[0].body_frames, frame(16 * 60 / 84 * 44100))

    def test_a_name_says_what_plays_it_and_a_person_has_the_last_word(self):
        loop = self.brought(name="pack/deep bass 84bpm.mid")
        tree = self.placed(loop, 84)
        plan = Placement.of(tree, tree.strands[0], loop).plan
        self.assertEqual((loop.claims.voice, plan.settings.voice), ("bass", "bass"))
        tree = self.submit(tree.id, SetStretch(hand=tree.strands[0].id, voice="pad")).project
        self.assertEqual(Placement.of(tree, tree.strands[0], loop).plan.settings.voice, "pad")

    def test_what_rings_past_the_end_is_the_tail(self):
        loop = self.brought([(0, 1, 60, 0), (3, 4, 64, 0)], 120)
        tree = self.placed(loop, 120)
        plan, axis = self.axis(tree, loop)
        self.assertGreater(plan.tail_frames, 4_000)  # keys ring for 0.16 s
        after = axis[:, plan.lead_frames + plan.body_frames :]
        self.assertGreater(np.abs(after[:, :500]).max(), 0.001)
        self.assertLess(np.abs(after[:, -1]).max(), 1e-4)

    def test_it_is_printed_and_downloaded_as_sound(self):
        loop = self.brought()
        tree = self.placed(loop, 97)
        printed = self.studio.prints.print_strand(tree, tree.strands[0].id, "wrap", False).loop
        info = soundfile.info(self.studio.store.path(printed.sha))
        self.assertEqual((info.frames, info.channels), (frame(8 * 60 / 97 * 44_100), 2))
        self.assertFalse(printed.is_midi)
        download = self.wav_of(loop.sha, 24)
        sound, _ = soundfile.read(download.file)
        self.assertEqual(sound.shape, (loop.frames, 2))
        self.assertGreater(np.abs(sound).max(), 0.05)
        self.assertRegex(download.name, r"\.wav$")

    def test_as_recorded_is_its_own_tempo(self):
        loop = self.brought()
        tree = self.placed(loop, 120)
        sheet = self.studio.hand_sheet(tree, loop.sha, 0.0)
        plan = self.studio.renders.plan(sheet["recorded"])
        self.assertEqual((plan.body_frames, sheet["source_frames"]), (loop.frames, loop.frames))
        self.assertTrue(self.studio.renders.block(sheet["recorded"], 0).exists())
        self.assertGreater(len(self.studio.renders.source_peaks(loop.sha, 512)), 100)

    def test_formats_0_and_1_and_what_is_refused(self):
        self.assertEqual(self.bring(SIX_EIGHT, "six.mid").state, "done")
        no_notes = midi([], 100).getvalue()
        pattern = bytearray(SIX_EIGHT)
        pattern[9] = 2  # format 2: independent patterns
        for name, data, said in (
            ("no notes", no_notes, "no notes"), ("cut off", SIX_EIGHT[:30], "cut off"),
            ("format 2", bytes(pattern), "format 2"),
        ):  # fmt: skip
            with self.subTest(name):
                item = self.bring(data, "x.mid")
                self.assertEqual(item.state, "refused")
                self.assertIn(said, item.reason)

    def test_two_parts_have_their_own_voices(self):
        import mido

        file = mido.MidiFile(ticks_per_beat=96)
        for name, channel, pitch in (("Bass", 0, 33), ("Drums", 9, 36)):
            track = mido.MidiTrack()
            track.append(mido.MetaMessage("track_name", name=name))
            for _ in range(4):
                track.append(mido.Message("note_on", note=pitch, velocity=90, channel=channel))
                track.append(mido.Message("note_off", note=pitch, channel=channel, time=96))
            file.tracks.append(track)
        out = io.BytesIO()
        file.save(file=out)
        self.assertEqual(file.type, 1)
        loop = self.studio.shelf.loop(self.bring(out.getvalue(), "groove.mid").sha)
        self.assertEqual(loop.hearing.sound.kind, "mixed")
        self.assertEqual((loop.reading.bars, loop.key), (1, loop.key))

    def test_a_recording_with_the_same_name_is_no_midi(self):
        sound = wav_bytes(self.studio_sound(), 16)
        self.assertFalse(self.studio.shelf.loop(self.bring(sound, "line.mid").sha).is_midi)

    @staticmethod
    def studio_sound():
        from tests.sounds import audio, sine

        return audio(sine(220, 1.0))

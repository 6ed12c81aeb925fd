"""Loops out of a long take: found, mended, cropped, fitted."""

import io
from dataclasses import replace

import numpy as np
import soundfile

from tests.core.listening.test_midi_reading import SIX_EIGHT
from tests.sounds import RATE, audio
from tests.studio.helper import StudioTest
from tests.takes import beat_times, drummer
from zeroknot.core.errors import EditError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.render.seam import seam_between
from zeroknot.studio.intents.readings import StateReading
from zeroknot.studio.intents.stretch import SetCrossfade
from zeroknot.studio.intents.time import TakeTempoOfRange
from zeroknot.studio.shelf_edits import StateKey

BPM = 97.0


class TakesTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.times = beat_times(lambda beat: BPM * (1 + 0.01 * np.sin(beat / 7)), 96, 1.4)
        samples, _ = drummer(self.times)
        self.sound = audio(0.5 * samples)
        self.sha = self.bring(wav_bytes(self.sound, 16), "field take.wav").sha
        self.project = self.studio.projects.create("a song")

    def tree(self):
        return self.studio.projects.state(self.project).project

    def test_loops_are_proposed_on_its_bars(self):
        found = self.studio.takes.loops_in(self.tree(), self.sha)
        self.assertEqual({f.bars for f in found}, {1, 2, 4, 8})
        for loop in found:
            for edge in (loop.start_s, loop.end_s):
                self.assertLess(np.abs(self.times - edge).min(), 0.03)
            self.assertAlmostEqual(loop.tempo_bpm, BPM, delta=2.5)

    def test_a_range_is_counted_and_its_overhang_told_and_mended(self):
        start, end = self.times[8], self.times[24]
        facts = self.studio.takes.range_of(self.tree(), self.sha, start, end + 0.012)
        self.assertEqual((facts.bars, facts.beats_per_bar), (4, 4))
        self.assertAlmostEqual(facts.overhang_s, 0.012, delta=0.004)
        self.assertAlmostEqual(facts.mended_s, end, delta=0.004)
        self.assertTrue(0 < facts.seam <= 1)
        for edge, crossing in zip((start, end), facts.crossing_s, strict=True):
            self.assertLess(abs(edge - crossing), 0.012)
            at = round(crossing * RATE)
            before, after = self.sound.samples[0, at - 1], self.sound.samples[0, at]
            self.assertLessEqual(min(before, after), 0.0005)
            self.assertGreaterEqual(max(before, after), -0.0005)
        as_three = self.studio.takes.range_of(self.tree(), self.sha, start, end, bars=3)
        self.assertAlmostEqual(as_three.tempo_bpm, 12 * 60 / (end - start))

    def test_cropping_copies_samples_and_keeps_the_take(self):
        start, end = 3.0, 7.5
        loop = self.studio.takes.crop(self.tree(), self.sha, start, end, 2).loop
        file = io.BytesIO(self.studio.store.path(loop.sha).read_bytes())
        samples, rate = soundfile.read(file, dtype="float32")
        self.assertEqual((rate, samples.size), (RATE, round(4.5 * RATE)))
        wanted = np.round(self.sound.samples[0] * 32768) / 32768
        np.testing.assert_allclose(samples, wanted[3 * RATE : 3 * RATE + samples.size], atol=4e-5)
        self.assertEqual((loop.reading.bars, loop.reading.downbeat_s), (2, 0.0))
        self.assertAlmostEqual(loop.reading.tempo_bpm, 8 * 60 / 4.5)
        self.assertEqual(loop.recipe.parents, (self.sha,))
        self.assertEqual(loop.name, "field take, from 0:03.0")
        self.assertEqual(len(self.on_shelf()), 2)

    def test_a_crop_is_heard_anew_and_keeps_what_was_said(self):
        said = self.studio.takes.crop(self.tree(), self.sha, 3.0, 7.5, 2).loop
        plain = self.studio.takes.crop(self.tree(), self.sha, 3.0, 8.0, None).loop
        for loop in (said, plain):
            old = replace(loop.hearing, readings=(), version=0)
            self.studio.loops.set_hearing(replace(loop, hearing=old))
        self.assertEqual(self.studio.bringing.hear_again(), 2)
        for loop in (said, plain):
            now = self.studio.shelf.loop(loop.sha)
            self.assertEqual((now.hearing, now.reading), (loop.hearing, loop.reading))

    def test_what_has_no_key_has_none_when_it_is_cropped(self):
        self.studio.shelf.change([self.sha], StateKey(key=None))
        self.assertIsNone(self.studio.takes.crop(self.tree(), self.sha, 3.0, 7.0, None).loop.key)

    def test_the_trades_own_example(self):
        # Four bars that last 9.897 s make the project 97 BPM (common practice, no source).
        take = TakeTempoOfRange(hand=self.sha, start_s=2.0, end_s=2.0 + 9.897, bars=4)
        self.submit(self.project, take)
        self.assertAlmostEqual(self.tree().tempo_map.bpm_at(0), 97.0, delta=0.01)
        # Two bars that last 3.4575 s are 138.83.
        take = TakeTempoOfRange(hand=self.sha, start_s=2.0, end_s=2.0 + 3.4575, bars=2)
        self.submit(self.project, take)
        self.assertAlmostEqual(self.tree().tempo_map.bpm_at(0), 138.83, delta=0.005)

    def test_a_range_is_fitted_to_the_project(self):
        start, end = float(self.times[8]), float(self.times[24])
        said = StateReading(hand=self.sha, downbeat_s=start, end_s=end, bars=4)
        strand = self.submit(self.project, said).project.strands[0]
        self.assertEqual((strand.span, strand.warp.zero.second), (16, start))

    def test_refusals(self):
        tree = self.tree()
        for start, end in ((5, 4), (0, 1000), (-1, 3), (2, 2.001)):
            with self.subTest(start=start), self.assertRaises(EditError):
                self.studio.takes.range_of(tree, self.sha, start, end)


class SeamTest(StudioTest):
    """A sung loop that was cut without a thought: its seam is told, mended, and printed mended."""

    def setUp(self):
        super().setUp()
        seconds = 4 * 60 / BPM
        time = np.arange(round(seconds * RATE)) / RATE
        pitch = 2 * np.pi * np.cumsum(196.3 * (1 + 0.008 * np.sin(2 * np.pi * 5 * time))) / RATE
        sung = sum(np.cos(k * pitch) / k for k in range(1, 12))
        self.sha = self.bring(wav_bytes(audio(0.2 * sung), 16), "aah.wav").sha
        self.project = self.studio.projects.create("a song")
        self.submit(self.project, StateReading(hand=self.sha, bars=1))

    def seam(self):
        tree = self.studio.projects.state(self.project).project
        return self.studio.takes.seam_of(tree, self.sha)

    def test_it_is_told_mended_and_taken_back(self):
        raw = self.seam()
        self.assertTrue(raw.is_heard)
        self.assertFalse(raw.is_mended)
        state = self.submit(self.project, SetCrossfade(hand=self.sha, ms=20))
        self.assertEqual(state.undo, "crossfade the seam over 20 ms")
        mended = self.seam()
        self.assertTrue(mended.is_mended)
        self.assertLess(mended.heard_jump, 1.5)
        self.assertEqual(mended.jump, raw.jump)
        self.studio.projects.undo(self.project)
        self.assertEqual(self.seam(), raw)

    def test_the_print_is_mended_with_it(self):
        self.submit(self.project, SetCrossfade(hand=self.sha, ms=20))
        tree = self.studio.projects.state(self.project).project
        made = self.studio.prints.print_strand(tree, self.sha, "wrap", False).loop
        printed = soundfile.read(self.studio.store.path(made.sha), always_2d=True)[0].T
        self.assertLess(seam_between(printed, 0, printed.shape[1], RATE).jump, 1.5)

    def test_notes_have_none(self):
        notes = self.bring(SIX_EIGHT, "notes.mid").sha
        with self.assertRaises(EditError):
            self.submit(self.project, SetCrossfade(hand=notes, ms=20))

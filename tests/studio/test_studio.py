import contextlib
import io
import json
import re
import threading
import zipfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import soundfile

from tests.sounds import RATE, audio, rendered, sine
from tests.studio.helper import StudioTest
from zeroknot.core.errors import (
    EditError,
    FormatError,
    NotFoundError,
    StaleError,
    StretchError,
    ZeroKnotError,
)
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.document.edits.clip import ChangeClip
from zeroknot.document.edits.project import RenameProject
from zeroknot.document.edits.time import SetKeys
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.document.project import KeyChange
from zeroknot.store.codec import recipe_text, recipe_value
from zeroknot.store.shelf_query import Query
from zeroknot.studio.intents.placing import CopyClips, NewTrack, Place
from zeroknot.studio.intents.readings import (
    AdoptReading,
    LayOn,
    ShiftGrid,
    StateReading,
    WithdrawReading,
)
from zeroknot.studio.intents.stretch import SetMethod, SetShift
from zeroknot.studio.intents.time import SetMetre, SetSteadyTempo, TakeTempo
from zeroknot.studio.shelf_edits import Correct, StateKey, TakeOff
from zeroknot.web.api.shown import ShownProjects
from zeroknot.web.api.wire import loop_json


class ProjectsTest(StudioTest):
    def test_undo_and_redo_reach_over_a_restart(self):
        project = self.studio.projects.create("First")
        for bpm in (90, 100, 110):
            self.submit(project, SetSteadyTempo(bpm=bpm))
        self.studio.projects.undo(project)
        self.studio.close()
        studio = self.opened()
        state = studio.projects.state(project)
        self.assertEqual((state.project.tempo[0].bpm, state.undo, state.redo),
                         (100, "tempo 100 BPM", "tempo 110 BPM"))  # fmt: skip
        self.assertEqual(studio.projects.redo(project).project.tempo[0].bpm, 110)
        for _ in range(3):
            state = studio.projects.undo(project)
        self.assertEqual((state.project.tempo[0].bpm, state.undo), (120, None))
        with self.assertRaises(EditError):
            studio.projects.undo(project)

    def test_what_changes_nothing_is_no_step_and_redo_stays(self):
        project = self.studio.projects.create("First")
        for bpm in (90, 100):
            self.submit(project, SetSteadyTempo(bpm=bpm))
        undone = self.studio.projects.undo(project)
        for same in (SetSteadyTempo(bpm=90), RenameProject(name="First")):
            state = self.submit(project, same)
            self.assertEqual((state.revision, state.redo), (undone.revision, undone.redo))
        self.assertEqual(self.studio.projects.redo(project).project.tempo[0].bpm, 100)

    def test_an_abandoned_branch_is_kept(self):
        project = self.studio.projects.create("First")
        kept = self.submit(project, SetSteadyTempo(bpm=90)).revision
        self.studio.projects.undo(project)
        state = self.submit(project, SetSteadyTempo(bpm=140))
        self.assertIsNone(state.redo)
        left = self.studio.projects._tree(project, kept)
        self.assertEqual(left.tempo[0].bpm, 90)

    def test_what_takes_long_to_measure_keeps_nobody_waiting(self):
        begun, ready = threading.Event(), threading.Event()
        self.addCleanup(ready.set)

        class Measured(SetSteadyTempo):
            def measure(self, project, known):
                begun.set()
                ready.wait(20)

        project = self.studio.projects.create("First")
        with ThreadPoolExecutor(2) as pool:
            slow = pool.submit(self.submit, project, Measured(bpm=90))
            self.assertTrue(begun.wait(10))
            quick = pool.submit(self.submit, project, NewTrack(name="Bells"))
            self.assertEqual(quick.result(timeout=10).project.tempo[0].bpm, 120)
            self.assertFalse(slow.done())
            ready.set()
            tree = slow.result(timeout=10).project
        self.assertEqual((tree.tempo[0].bpm, [t.name for t in tree.tracks]), (90, ["Bells"]))

    def test_a_stale_edit_is_applied_or_refused_with_what_was_done_since(self):
        loop = self.loop()
        project = self.studio.projects.create("First")
        placed = self.submit(project, Place(hand=loop.sha, beat=0))
        track = placed.project.tracks[0].id
        self.submit(project, SetSteadyTempo(bpm=90))
        # Nobody touched the track since: applied.
        state = self.studio.projects.submit(
            project, placed.revision, ChangeTrack(track=track, muted=True)
        )
        self.assertTrue(state.project.tracks[0].muted)
        self.assertEqual(state.project.tempo[0].bpm, 90)
        with self.assertRaises(StaleError) as refused:
            self.studio.projects.submit(project, placed.revision, SetSteadyTempo(bpm=100))
        self.assertEqual(refused.exception.since, ["tempo 90 BPM", "mute"])

    def test_what_was_trimmed_to_make_room_counts_as_changed(self):
        loop = self.loop()
        project = self.studio.projects.create("First")
        placed = self.submit(project, Place(hand=loop.sha, beat=0))
        [clip], [track] = placed.project.clips, placed.project.tracks
        self.submit(project, Place(hand=loop.sha, beat=4, track=track.id))
        with self.assertRaises(StaleError):
            self.studio.projects.submit(
                project, placed.revision, ChangeClip(clip=clip.id, passes=3)
            )
        clips = self.studio.projects.state(project).project.clips
        self.assertEqual(sorted(c.beat for c in clips), [0, 4])

    def test_what_undo_took_back_counts_as_a_change(self):
        project = self.studio.projects.create("First")
        seen = self.submit(project, SetSteadyTempo(bpm=90)).revision
        self.studio.projects.undo(project)
        with self.assertRaises(StaleError):
            self.studio.projects.submit(project, seen, SetSteadyTempo(bpm=100))

    def test_duplicate_remove_restore_rename(self):
        projects = self.studio.projects
        project = projects.create("First")
        copy = projects.duplicate(project)
        self.submit(copy, RenameProject(name="Second"))
        self.assertEqual([p.name for p in projects.list()], ["Second", "First"])
        projects.remove(project)
        self.assertEqual([p.name for p in projects.list()], ["Second"])
        self.assertEqual([p.name for p in projects.list(removed=True)], ["First"])
        projects.restore(project)
        self.assertEqual(len(projects.list()), 2)
        projects.undo(copy)
        self.assertEqual({p.name for p in projects.list()}, {"First", "First copy"})

    def test_refusals(self):
        for name, make in {
            "no name": lambda: self.studio.projects.create(" "),
            "odd rate": lambda: self.studio.projects.create("x", 22_050),
            "no such project": lambda: self.studio.projects.state("nope"),
        }.items():
            with self.subTest(name), self.assertRaises(ZeroKnotError):
                make()


class BringingTest(StudioTest):
    def test_claims_are_shown_beside_what_is_heard(self):
        loop = self.shelf_loop("pack two/drums_95bpm_Am.wav")
        self.assertEqual((loop.name, loop.set_name), ("drums_95bpm_Am", "pack two"))
        self.assertEqual((loop.claims.tempo_bpm, loop.claims.key), (95.0, "A minor"))
        self.assertAlmostEqual(loop.reading.tempo_bpm, 103, delta=0.1)

    def shelf_loop(self, name):
        item = self.bring(wav_bytes(rendered("drums_103"), 16), name)
        return self.studio.shelf.loop(item.sha)

    def test_the_recording_is_kept_as_it_came(self):
        data = wav_bytes(rendered("bass_97"), 16)
        item = self.bring(data, "bass.wav")
        self.assertEqual(self.studio.store.path(item.sha).read_bytes(), data)

    def test_doubles_are_recognised_and_bad_files_leave_nothing(self):
        data = wav_bytes(rendered("bass_97"), 16)
        states = [
            self.bring(d, n).state
            for d, n in (
                (data, "a.wav"),
                (data, "b.wav"),
                (b"no sound", "c.wav"),
                (data[:30], "d.wav"),
            )
        ]
        self.assertEqual(states, ["done", "double", "refused", "refused"])
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])
        self.assertEqual(len(list(self.studio.store.audio.glob("??/*"))), 1)
        self.assertEqual(len(self.on_shelf()), 1)

    def test_what_an_older_listening_heard_is_heard_again_and_statements_stay(self):
        loop = self.loop()
        self.studio.loops.state(loop.sha, loop.readings[0])
        old = replace(loop.hearing, version=1, readings=(), attacks=())
        self.studio.loops.set_hearing(replace(loop, hearing=old))
        self.assertEqual(self.studio.bringing.hear_again(), 1)
        again = self.studio.loops.get(loop.sha)
        self.assertEqual(again.hearing, loop.hearing)
        self.assertEqual(again.stated, loop.readings[0])
        self.assertEqual(self.studio.bringing.hear_again(), 0)

    def test_hostile_names_are_only_names(self):
        data = [wav_bytes(audio(sine(200 + i, 0.5)), 16) for i in range(6)]
        names = ("<img src=x onerror=alert(1)>.wav", "../../../etc/passwd", "x" * 300 + ".wav",
                 "\u202egnp.wav", "🥁 loop.wav", "..\\..\\windows\\a.wav")  # fmt: skip
        for content, name in zip(data, names, strict=True):
            self.assertEqual(self.bring(content, name).state, "done")
        shown = {loop.name for loop in self.on_shelf()}
        self.assertIn("<img src=x onerror=alert(1)>", shown)
        self.assertTrue(all(0 < len(n) <= 300 for n in shown))
        for loop in self.on_shelf():
            file = self.wav_of(loop.sha, 16)
            self.assertNotRegex(file.name, r"[/\\<>]")
        self.assertEqual(
            {p.name for p in self.folder.iterdir()},
            {
                "audio",
                "cache",
                "incoming",
                "zeroknot.sqlite",
                "zeroknot.sqlite-shm",
                "zeroknot.sqlite-wal",
            },
        )

    def test_after_a_crash_nothing_is_half_there(self):
        loop = self.loop()
        (self.studio.store.incoming / "half").write_bytes(b"RIFF")
        orphan = self.studio.store.audio / "ff" / ("f" * 64)
        orphan.parent.mkdir()
        orphan.write_bytes(b"no row knows me")
        self.studio.close()
        for _ in range(2):
            studio = self.opened()
            self.assertEqual(list(studio.store.incoming.iterdir()), [])
            self.assertTrue(studio.store.path(loop.sha).exists())
            # It may be all that is left of something: it stays, and is told, once.
            self.assertTrue(orphan.exists())
            refused = [i.name for i in studio.bringing.items() if i.state == "refused"]
            self.assertEqual(refused, ["found again/ffffffff"])
            studio.close()

    def test_off_the_shelf_and_back(self):
        loop = self.loop()
        off = self.studio.shelf.change([loop.sha], TakeOff())
        self.assertEqual(self.on_shelf(), [])
        self.assertTrue(self.studio.store.path(loop.sha).exists())
        self.studio.shelf.take_back(off.id)
        self.assertEqual(len(self.on_shelf("drums")), 1)
        self.assertEqual(self.on_shelf("drums nowhere"), [])
        self.assertEqual(self.on_shelf("100%"), [])


class FitTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.drums = self.loop()
        self.project = self.studio.projects.create("Fit")

    def fit(self, intent):
        return self.submit(self.project, intent).project.strands[0]

    def test_a_strand_is_made_only_when_something_is_changed(self):
        tree = self.studio.projects.state(self.project).project
        self.assertTrue(self.studio.hand(tree, self.drums.sha).is_new)
        self.fit(SetShift(hand=self.drums.sha, semitones=2))
        tree = self.studio.projects.state(self.project).project
        hand = self.studio.hand(tree, self.drums.sha)
        self.assertFalse(hand.is_new)
        self.assertEqual((hand.strand.shift, hand.strand.span), (2, 8))

    def test_correcting_bars_states_the_reading_of_the_loop(self):
        strand = self.fit(StateReading(hand=self.drums.sha, bars=4))
        self.assertEqual((strand.span, strand.reading.bars), (16, 4))
        # 16 beats in 4.660 s: twice the tempo.
        self.assertAlmostEqual(strand.reading.tempo_bpm, 206, delta=0.1)
        self.assertEqual(self.studio.shelf.loop(self.drums.sha).reading.bars, 4)
        self.assertEqual(self.studio.shelf.loop(self.drums.sha).readings[0].bars, 2)
        strand = self.fit(WithdrawReading(hand=strand.id))
        self.assertEqual(strand.span, 8)
        self.assertIsNone(self.studio.shelf.loop(self.drums.sha).stated)

    def test_undo_and_redo_take_the_statement_along(self):
        self.fit(StateReading(hand=self.drums.sha, bars=4))
        self.fit(StateReading(hand=self.drums.sha, bars=1))
        for step, bars in (("undo", 4), ("undo", 2), ("redo", 4), ("redo", 1), ("undo", 4)):
            state = getattr(self.studio.projects, step)(self.project)
            with self.subTest(step=step, bars=bars):
                self.assertEqual(self.studio.shelf.loop(self.drums.sha).reading.bars, bars)
                hand = self.studio.hand(state.project, self.drums.sha)
                self.assertEqual(hand.strand.reading.bars, bars)

    def test_undo_leaves_what_was_stated_elsewhere_since(self):
        self.fit(StateReading(hand=self.drums.sha, bars=4))
        self.studio.shelf.change([self.drums.sha], Correct(bars=8))
        state = self.studio.projects.undo(self.project)
        self.assertEqual(self.studio.shelf.loop(self.drums.sha).reading.bars, 8)
        self.assertEqual(self.studio.hand(state.project, self.drums.sha).strand.reading.bars, 8)
        self.assertRegex(state.notes[0], "drums_103 was corrected elsewhere since")
        state = self.studio.projects.redo(self.project)
        self.assertEqual(self.studio.shelf.loop(self.drums.sha).reading.bars, 8)
        self.assertEqual(state.project.strands[0].reading.bars, 4)
        self.assertRegex(state.notes[0], "stays")

    def test_correcting_tempo_and_downbeat(self):
        strand = self.fit(StateReading(hand=self.drums.sha, tempo_bpm=100.0))
        self.assertAlmostEqual(strand.warp.end.second, 4.8)
        strand = self.fit(StateReading(hand=strand.id, downbeat_s=0.25))
        self.assertAlmostEqual(strand.warp.zero.second, 0.25)
        # It keeps its tempo, and its end comes along.
        self.assertAlmostEqual(strand.warp.end.second, 5.05)
        self.assertAlmostEqual(strand.reading.tempo_bpm, 100.0)
        self.assertEqual(strand.span, 8)
        # An end that was stated stays where it is.
        self.fit(StateReading(hand=strand.id, end_s=5.0))
        strand = self.fit(StateReading(hand=strand.id, downbeat_s=0.3))
        self.assertAlmostEqual(strand.warp.end.second, 5.0)
        # Half the tempo: half the bars fit.
        strand = self.fit(StateReading(hand=strand.id, tempo_bpm=strand.reading.tempo_bpm / 2))
        self.assertEqual(strand.reading.bars, 1)

    def test_what_it_is_and_what_it_is_laid_on_are_kept_apart(self):
        strand = self.fit(LayOn(hand=self.drums.sha, beats=16))
        self.assertEqual((strand.span, strand.reading.bars), (16, 2))
        # Correcting the bars keeps the proportion: laid on double.
        strand = self.fit(StateReading(hand=strand.id, bars=3))
        self.assertEqual((strand.span, strand.reading.bars), (24, 3))

    def test_the_grid_moves_under_the_recording(self):
        strand = self.fit(ShiftGrid(hand=self.drums.sha, beats=1))
        beat = 60 / 103
        self.assertAlmostEqual(strand.warp.zero.second, -beat, places=3)
        self.assertAlmostEqual(strand.warp.end.second, 7 * beat, places=3)

    def test_adopt_take_tempo_method_metre(self):
        keys = self.loop("keys_88")
        self.submit(self.project, AdoptReading(hand=keys.sha, index=1))
        tree = self.studio.projects.state(self.project).project
        self.assertEqual(self.studio.hand(tree, keys.sha).strand.reading, keys.readings[1])
        self.assertEqual(self.studio.shelf.loop(keys.sha).stated, keys.readings[1])
        self.submit(self.project, AdoptReading(hand=keys.sha, index=0))
        self.assertIsNone(self.studio.shelf.loop(keys.sha).stated)
        self.studio.projects.undo(self.project)
        self.studio.projects.undo(self.project)
        strand = self.fit(AdoptReading(hand=self.drums.sha, index=0))
        state = self.submit(self.project, TakeTempo(hand=strand.id))
        self.assertAlmostEqual(state.project.tempo[0].bpm, 103, delta=0.01)
        self.assertEqual(self.fit(SetMethod(hand=strand.id, method="spool")).method, "spool")
        state = self.submit(self.project, SetMetre(metre="6/8"))
        self.assertEqual(state.project.metre_map.beat_of_bar(2), 3)

    def test_a_reading_that_was_hardly_heard_is_stated_when_it_is_adopted(self):
        doubtful = replace(self.drums.readings[0], confidence=0.05)
        hearing = replace(self.drums.hearing, readings=(doubtful,))
        self.studio.loops.set_hearing(replace(self.drums, hearing=hearing))
        self.assertIsNone(self.studio.shelf.loop(self.drums.sha).reading)
        self.fit(AdoptReading(hand=self.drums.sha, index=0))
        self.assertEqual(self.studio.shelf.loop(self.drums.sha).reading, doubtful)

    def test_what_cannot_be_read_is_laid_on_whole_bars_or_left_as_it_is(self):
        # At 120 a bar lasts 2 s, a beat 0.5 s.
        for seconds, beats, end in (
            (1 / RATE, 1, 0.5),
            (0.7, 2, 1.0),
            (2.2, 4, 2.2),
            (7.9, 16, 7.9),
        ):
            with self.subTest(seconds):
                silence = audio(np.zeros(round(seconds * RATE)))
                item = self.bring(wav_bytes(silence, 16), f"silence {seconds}.wav")
                tree = self.studio.projects.state(self.project).project
                warp = self.studio.hand(tree, item.sha).strand.warp
                self.assertEqual(warp.span, beats)
                self.assertAlmostEqual(warp.end.second, end, places=3)

    def test_refusals_lose_nothing(self):
        revision = self.studio.projects.state(self.project).revision
        for name, intent in {
            "no such reading": AdoptReading(hand=self.drums.sha, index=99),
            "no such method": SetMethod(hand=self.drums.sha, method="melt"),
            "end before start": StateReading(hand=self.drums.sha, end_s=-5.0),
            "no such hand": LayOn(hand="nope", beats=4),
            "tempo too high": SetSteadyTempo(bpm=1000),
        }.items():
            with self.subTest(name), self.assertRaises(ZeroKnotError):
                self.submit(self.project, intent)
        self.assertEqual(self.studio.projects.state(self.project).revision, revision)


class ArrangeTest(StudioTest):
    def test_copies_lie_end_to_end_and_room_is_made_aloud(self):
        loop = self.loop()
        project = self.studio.projects.create("A")
        state = self.submit(project, Place(hand=loop.sha, beat=4))
        clip = state.project.clips[0]
        state = self.submit(project, CopyClips(clips=(clip.id,)))
        self.assertEqual(sorted(c.beat for c in state.project.clips), [4, 12])
        state = self.submit(project, ChangeClip(clip=clip.id, passes=2))
        self.assertEqual(state.notes, ("1 clip lay wholly under it and went",))
        self.assertEqual(len(state.project.clips), 1)

    def test_events_are_on_whole_frames_and_passes_meet(self):
        loop = self.loop()
        project = self.studio.projects.create("A")
        self.submit(project, SetSteadyTempo(bpm=97))
        state = self.submit(project, Place(hand=loop.sha, beat=4, passes=30))
        sheet = self.studio.sheet(state.project)
        events = [e for e in sheet.events]
        self.assertEqual(len(events), 30)
        for i, event in enumerate(events):
            self.assertEqual(event.at, state.project.tempo_map.frame_of_beat(4 + 8 * i, RATE))
        self.assertLessEqual(len({e.digest for e in events}), 2)
        self.assertEqual((events[0].fade_in, events[-1].fade_out), (132, 132))

    def test_a_trimmed_clip_ends_on_its_beat(self):
        loop = self.loop()
        project = self.studio.projects.create("A")
        state = self.submit(project, Place(hand=loop.sha, beat=0, passes=2))
        state = self.submit(project, ChangeClip(clip=state.project.clips[0].id, length=11.0))
        events = self.studio.sheet(state.project).events
        end = max(e.at + e.frames for e in events)
        self.assertEqual(end, state.project.tempo_map.frame_of_beat(11, RATE))

    def test_what_cannot_be_laid_is_silent_and_says_so_and_the_rest_plays(self):
        one, other = self.loop(), self.loop("keys_88")
        project = self.studio.projects.create("A")
        for loop in (one, other):
            self.submit(project, Place(hand=loop.sha, beat=0))
        state = self.studio.projects.state(project).project
        strand = next(s for s in state.strands if s.loop == one.sha)
        self.submit(project, LayOn(hand=strand.id, beats=strand.span * 2))
        state = self.submit(project, SetSteadyTempo(bpm=20))
        heard = {e.strand for e in self.studio.sheet(state.project).events}
        self.assertEqual(heard, {s.id for s in state.project.strands} - {strand.id})
        told = {c["strand"]: c["trouble"] for c in ShownProjects(self.studio).whole(state)["clips"]}
        why = told.pop(strand.id)
        self.assertIn("outside 1/8 to 8", why)
        self.assertEqual(set(told.values()), {None})
        # What it says holds, to its ends.
        said = re.search(
            r"at 20 BPM .* on (.*) to (.*) beats, or as it is at (.*) to (.*) BPM", why
        )
        least, most, slowest, fastest = map(float, said.groups())
        state = self.submit(project, SetSteadyTempo(bpm=slowest))
        self.assertEqual(self.troubles(state), set())
        self.submit(project, SetSteadyTempo(bpm=20))
        for beats, holds in (
            (least, True),
            (0.95 * least, False),
            (most, True),
            (1.02 * most, False),
        ):
            with self.subTest(beats=beats):
                asked = LayOn(hand=strand.id, beats=beats)
                if holds:
                    self.assertEqual(self.troubles(self.submit(project, asked)), set())
                else:
                    with self.assertRaisesRegex(StretchError, f"on {least:g} to {most:g} beats"):
                        self.submit(project, asked)
        self.assertEqual(fastest, 400)

    def troubles(self, state):
        return {c["trouble"] for c in ShownProjects(self.studio).whole(state)["clips"]} - {None}

    def test_a_count_that_cannot_be_laid_is_refused_with_the_spans_that_can(self):
        loop = self.loop()
        project = self.studio.projects.create("A")
        self.submit(project, LayOn(hand=loop.sha, beats=2))
        # No tempo that there is would do for so many: none is said.
        with self.assertRaisesRegex(StretchError, r"beats$"):
            self.submit(project, LayOn(hand=loop.sha, beats=16_000))
        with self.assertRaisesRegex(
            StretchError, "at 120 BPM it can be laid on 1.17 to 74.56 beats"
        ):
            self.submit(project, StateReading(hand=loop.sha, bars=99))

    def test_solo_and_mute(self):
        loop = self.loop()
        project = self.studio.projects.create("A")
        self.submit(project, Place(hand=loop.sha, beat=0))
        state = self.submit(project, Place(hand=loop.sha, beat=0))
        one, two = (t.id for t in state.project.tracks)
        state = self.submit(project, ChangeTrack(track=two, solo=True))
        gains = {t.id: t.gain for t in self.studio.sheet(state.project).tracks}
        self.assertEqual(gains[one], 0)
        self.assertAlmostEqual(gains[two], 0.5012, places=4)  # −6 dB


class PrintsTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.drums = self.loop()
        self.project = self.studio.projects.create("P")
        self.submit(self.project, SetSteadyTempo(bpm=97))

    def printed(self, **more):
        tree = self.studio.projects.state(self.project).project
        return self.studio.prints.print_strand(
            tree, self.drums.sha, more.get("seam", "wrap"), more.get("with_lead", False)
        ).loop

    def test_a_print_sheds_the_tempo_of_its_source(self):
        item = self.bring(wav_bytes(rendered("keys_88"), 16), "lamp_88bpm_Dm.wav")
        tree = self.studio.projects.state(self.project).project
        made = self.studio.prints.print_strand(tree, item.sha, "wrap", False).loop
        self.assertNotIn("88", made.name)
        self.assertTrue(made.name.startswith("lamp_Dm, "), made.name)
        self.assertIsNone(made.claims.tempo_bpm)
        self.assertRegex(
            self.wav_of(made.sha, 24).name,
            r"^lamp_Dm_97bpm.*\.wav$",
        )

    def test_exact_length_recipe_and_shelf(self):
        loop = self.printed()
        # Two bars at 97: 8 · 60 / 97 · 44 100 = 218 226.8 samples.
        self.assertEqual(loop.frames, 218_227)
        self.assertAlmostEqual(loop.reading.tempo_bpm, 97, places=3)
        self.assertEqual(loop.recipe.parents, (self.drums.sha,))
        self.assertIn(loop.sha, {row.sha for row in self.on_shelf()})
        with soundfile.SoundFile(self.studio.store.path(loop.sha)) as opened:
            self.assertEqual((opened.subtype, opened.frames), ("FLOAT", 218_227))

    def test_its_key_is_that_of_its_loop_shifted_and_never_the_projects(self):

        self.submit(self.project, SetKeys(changes=(KeyChange(bar=1, key="F♯ major"),)))
        # Drums have no key; what was only heard is heard again.
        self.assertIsNone(self.printed().key)
        keys = self.loop("keys_88").sha
        self.studio.shelf.change([keys], StateKey(key="D minor"))
        for shift, key in ((0.0, "D minor"), (3.0, "F minor"), (-2.0, "C minor")):
            with self.subTest(shift=shift):
                self.submit(self.project, SetShift(hand=keys, semitones=shift))
                self.assertEqual(self.made_of(keys).recipe.key, key)
        self.submit(self.project, SetShift(hand=keys, semitones=0.5))
        self.assertIsNone(self.made_of(keys).recipe.key)
        # Run faster, it sounds higher: 88 to 97 BPM is 1.69 semitones, which is no key at all;
        # twice as fast is an octave.
        self.submit(self.project, SetShift(hand=keys, semitones=0.0))
        strand = self.submit(self.project, SetMethod(hand=keys, method="spool")).project.strands[-1]
        self.assertIsNone(self.made_of(keys).recipe.key)
        self.submit(self.project, SetSteadyTempo(bpm=2 * strand.own_bpm))
        self.assertEqual(self.made_of(keys).recipe.key, "D minor")
        self.studio.shelf.change([keys], StateKey(key=None))
        self.submit(self.project, SetSteadyTempo(bpm=96))
        self.assertIsNone(self.made_of(keys).key)

    def made_of(self, sha):
        tree = self.studio.projects.state(self.project).project
        return self.studio.prints.print_strand(tree, sha, "wrap", False).loop

    def test_recipes_from_before_they_had_a_kind_are_read_and_their_key_not_believed(self):
        old = {"plan": {"source": "a"}, "seam": "wrap", "key": "F♯ major"}
        read = recipe_value(json.dumps(old))
        self.assertEqual((read.kind, read.parents, read.key), ("print", ("a",), None))
        read = recipe_value(json.dumps({"crop_of": "b", "start_s": 1.0}))
        self.assertEqual((read.kind, read.parents), ("crop", ("b",)))
        self.assertEqual(recipe_value(recipe_text(read)), read)

    def test_the_same_recipe_gives_the_same_bytes(self):
        self.assertEqual(self.printed().sha, self.printed().sha)

    def test_download(self):
        file = self.wav_of(self.printed().sha, 24)
        self.assertEqual((file.name, file.lowered_db), ("drums_103_97bpm.wav", 0.0))
        with soundfile.SoundFile(file.file) as opened:
            self.assertEqual((opened.subtype, opened.frames), ("PCM_24", 218_227))

    def test_levels_over_full_scale_are_lowered_and_said(self):
        data = wav_bytes(audio(sine(200, 1.0, 2.0)), 32)
        loud = self.bring(data, "loud.wav")
        file = self.wav_of(loud.sha, 24)
        self.assertAlmostEqual(file.lowered_db, 6.02, delta=0.02)
        self.assertAlmostEqual(np.abs(soundfile.read(file.file)[0]).max(), 1.0, places=4)
        self.assertEqual(self.wav_of(loud.sha, 32).lowered_db, 0.0)

    def test_refusals(self):
        for name, make in {
            "seam": lambda: self.printed(seam="fold"),
            "bits": lambda: self.wav_of(self.drums.sha, 8),
            "loop": lambda: self.wav_of("0" * 64, 24),
            "no hash": lambda: self.wav_of("../etc/passwd", 24),
        }.items():
            with self.subTest(name), self.assertRaises(ZeroKnotError):
                make()


class BundlesTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.drums = self.loop()
        self.project = self.studio.projects.create("Travels")
        self.submit(self.project, Place(hand=self.drums.sha, beat=8))
        written = io.BytesIO()
        self.studio.bundles.write(self.project, written)
        self.zip = written.getvalue()

    def test_a_project_comes_back_elsewhere_with_its_audio(self):
        before = self.studio.projects.state(self.project).project
        sent = self.studio.store.path(self.drums.sha).read_bytes()
        other = BundlesElsewhere()
        other.setUp()
        self.addCleanup(other.doCleanups)
        project = other.studio.bundles.read(io.BytesIO(self.zip))
        tree = other.studio.projects.state(project).project
        self.assertEqual(tree.changed(id=before.id), before)
        self.assertEqual(other.studio.store.path(self.drums.sha).read_bytes(), sent)
        self.assertEqual(other.studio.shelf.loop(self.drums.sha), self.drums)

    def altered(self, **parts):
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(self.zip)) as source, zipfile.ZipFile(out, "w") as target:
            for name in source.namelist():
                data = source.read(name)
                for key, change in parts.items():
                    if key in name:
                        data = change(data)
                target.writestr(name, data)
        return io.BytesIO(out.getvalue())

    def test_damaged_files_are_refused_and_leave_nothing(self):
        other = BundlesElsewhere()
        other.setUp()
        self.addCleanup(other.doCleanups)
        for name, file in {
            "no zip": io.BytesIO(b"nonsense"),
            "another zip": self.altered(project=lambda _: b"{}"),
            "audio changed": self.altered(audio=lambda d: d[:-1] + b"x"),
            "loops missing": self.altered(loops=lambda _: b"[]"),
            "wicked hash": self.altered(
                loops=lambda d: json.dumps(
                    [{**json.loads(d)[0], "sha": "../../x"}, json.loads(d)[0]]
                ).encode()
            ),
        }.items():
            with self.subTest(name), self.assertRaises((FormatError, NotFoundError)):
                other.studio.bundles.read(file)
        self.assertEqual(other.studio.projects.list(), [])
        self.assertEqual(list(other.studio.store.audio.glob("??/*")), [])
        self.assertEqual(list(other.studio.store.incoming.iterdir()), [])

    def test_whatever_a_wicked_file_says_the_shelf_goes_on(self):
        other = BundlesElsewhere()
        other.setUp()
        self.addCleanup(other.doCleanups)
        entry = json.loads(zipfile.ZipFile(io.BytesIO(self.zip)).read("loops.json"))[0]
        wrong = ([], {}, "x", -1, 1e999, None, [[["deep"]]], True)
        for field in entry:
            for value in wrong:
                told = json.dumps([entry | {field: value}]).encode()
                self.tried(other, self.altered(loops=lambda _, told=told: told), (field, value))
        for part in ("claims", "hearing"):
            for field in entry[part]:
                for value in wrong:
                    told = json.dumps([entry | {part: entry[part] | {field: value}}]).encode()
                    file = self.altered(loops=lambda _, told=told: told)
                    self.tried(other, file, (part, field, value))

    def test_a_file_that_is_cut_or_has_flipped_bits_is_refused_or_whole(self):
        other = BundlesElsewhere()
        other.setUp()
        self.addCleanup(other.doCleanups)
        rng = np.random.default_rng(4)
        for _ in range(150):
            data = bytearray(self.zip)
            for at in rng.integers(0, len(data), 3):
                data[at] ^= 1 << int(rng.integers(8))
            if rng.random() < 0.3:
                del data[int(rng.integers(len(data))) :]
            self.tried(other, io.BytesIO(bytes(data)), "flipped")

    def tried(self, other, file, what):
        """Taken or refused in a sentence; whatever it was, what is there can be found and shown."""
        with self.subTest(what):
            with contextlib.suppress(FormatError):
                project = other.studio.bundles.read(file)
                other.studio.play_sheet(other.studio.projects.state(project).project, None)
            found = other.studio.shelf.find(Query())
            self.assertLessEqual(found.total, 1)
            for row in found.rows:
                loop_json(other.studio.shelf.loop(row.sha))
            self.assertEqual(list(other.studio.store.incoming.iterdir()), [])


class BundlesElsewhere(StudioTest):
    """Another machine: only its set-up is used."""

    def runTest(self):  # noqa: N802
        self.assertEqual(self.studio.projects.list(), [])

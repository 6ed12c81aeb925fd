"""A stretch of the song printed: what it holds, what it descends from, and the same bytes again."""

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile

from tests.sounds import rendered
from tests.studio.family import AGAIN
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError
from zeroknot.core.formats.handed import HandOver
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.mixing.mix import mix
from zeroknot.document.desk import LinePoint
from zeroknot.document.edits.desk import SetLine
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.settings import Settings
from zeroknot.studio.executors import Executors
from zeroknot.studio.intents.offshoots import TakeRecipe
from zeroknot.studio.intents.pieces import OpenClip, PlacePieces
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.prints import RangeHow
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import SongRange
from zeroknot.studio.studio import Studio
from zeroknot.studio.tasks import THREADS_VARIABLE
from zeroknot.studio.tasks.rendering import rendering_of


class RangePrintTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.drums = self.loop()
        self.keys = self.studio.shelf.loop(
            self.bring(wav_bytes(rendered("keys_88"), 16), "keys_88.wav").sha
        )
        self.project = self.studio.projects.create("Slate")
        self.do(SetSteadyTempo(bpm=100))
        for loop in (self.drums, self.keys):
            for beat in (0, 8):
                self.do(Place(hand=loop.sha, beat=beat, track=self.track_of(loop)))

    def do(self, intent):
        return self.submit(self.project, intent)

    def tree(self):
        return self.studio.projects.state(self.project).project

    def track_of(self, loop):
        tree = self.tree()
        found = [c.track for c in tree.clips if tree.strand(c.strand).loop == loop.sha]
        return found[0] if found else None

    def sound(self, loop):
        return soundfile.read(self.studio.store.path(loop.sha), dtype="float32")[0].T

    def printed(self, start=0.0, end=16.0, **how):
        tracks = how.pop("tracks", None)
        return self.studio.prints.print_range(
            self.tree(), SongRange(start, end, tracks), RangeHow(**how)
        ).loop

    def test_it_is_what_the_song_plays_and_knows_its_beats(self):
        loop = self.printed(seam="cut")
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        read = lambda digest, at, count: rendering_of(  # noqa: E731
            self.studio.store.folder, maker.plans[digest]
        ).frames(at, count)
        song = mix(maker.arrangement(), read, 0, loop.frames)
        self.assertLess(np.abs(self.sound(loop) - song).max(), 1e-6)
        self.assertEqual((loop.reading.bars, loop.reading.beats_per_bar), (4, 4))
        self.assertAlmostEqual(loop.reading.tempo_bpm, 100.0, places=3)
        self.assertEqual(loop.name, "Slate, bars 1–4 at 100")
        self.assertEqual(set(loop.recipe.parents), {self.drums.sha, self.keys.sha})

    def test_one_track_muted_ones_and_half_of_it(self):
        whole = self.printed(seam="cut")
        drums = self.printed(seam="cut", tracks=(self.track_of(self.drums),))
        self.assertEqual(drums.recipe.parents, (self.drums.sha,))
        self.do(ChangeTrack(track=self.track_of(self.drums), muted=True))
        keys = self.printed(seam="cut")
        both = self.sound(drums) + self.sound(keys)
        self.assertLess(np.abs(both - self.sound(whole)).max(), 1e-6)
        second = self.printed(4.0, 8.0, seam="cut")
        self.assertTrue(second.name.endswith("bar 2 at 100"), second.name)
        self.assertEqual(second.reading.bars, 1)
        with self.assertRaisesRegex(EditError, "nothing sounds"):
            self.printed(400.0, 404.0)
        with self.assertRaisesRegex(EditError, "ends where it begins"):
            self.printed(4.0, 4.0)

    def test_muted_but_for_a_line_it_is_printed_as_its_tracks_sound_and_not_without(self):
        drums = self.track_of(self.drums)
        for track in self.tree().tracks:
            self.do(ChangeTrack(track=track.id, muted=True))
        with self.assertRaisesRegex(EditError, "nothing sounds"):
            self.printed(through=True)
        told = (LinePoint(beat=0, value=0), LinePoint(beat=8, value=1))
        self.do(SetLine(track=drums, name="muted", points=told))
        loop = self.printed(seam="cut", through=True)
        self.assertEqual(loop.recipe.parents, (self.drums.sha,))
        quiet = self.sound(loop)[:, -44100:]
        self.assertLess(np.abs(quiet).max(), 1e-3 * np.abs(self.sound(loop)).max())
        with self.assertRaisesRegex(EditError, "nothing sounds"):
            self.printed(8.0, 12.0, tracks=(self.track_of(self.keys),), through=True)
        with self.assertRaisesRegex(EditError, "nothing sounds"):
            self.printed()

    def test_the_same_bytes_in_another_process_from_its_text_on_a_fresh_folder(self):
        loop = self.printed()
        made = self.studio.handing_over.files([loop.sha], HandOver(), "Slate")
        self.addCleanup(made.file.unlink)
        written = self.studio.prints.recipe(self.tree(), loop.sha)
        self.assertEqual(written.run, loop.recipe.run)
        self.assertEqual({name for _, name in written.sources}, {self.drums.name, self.keys.name})
        own = self.studio.store.path(loop.sha).read_bytes()
        with tempfile.TemporaryDirectory() as folder:
            fresh = Studio(Settings(data=Path(folder) / "data"), Executors.inline())
            try:
                for source in (self.drums, self.keys):
                    [item] = fresh.bringing.begin_paths([self.studio.store.path(source.sha)])
                    self.assertEqual(fresh.bringing.item(item.id).sha, source.sha)
            finally:
                fresh.close()
            recipe, out = Path(folder) / "r.json", Path(folder) / "o.wav"
            recipe.write_text(written.text)
            for threads in ("1", "3"):
                subprocess.run(
                    [sys.executable, "-c", AGAIN, str(Path(folder) / "data"), recipe, out],
                    check=True, env=os.environ | {THREADS_VARIABLE: threads},
                )  # fmt: skip
                self.assertEqual(out.read_bytes(), own)

    def test_its_steps_name_what_sounded_and_a_recipe_of_it_is_laid_over_nothing(self):
        loop = self.printed()
        _, steps = self.studio.families.steps(self.tree(), loop.sha)
        self.assertEqual([s.view for s in steps][:2], ["arrange", "arrange"])
        self.assertIn(self.keys.name, " ".join(s.said for s in steps))
        family = {m.id for m in self.studio.families.of(self.tree(), loop.sha)}
        self.assertEqual(family, {loop.sha, self.drums.sha, self.keys.sha})
        text = self.studio.prints.recipe(self.tree(), loop.sha).text
        self.assertEqual(json.loads(text)["strand"], {})
        for over in ((), (self.keys.sha,)):
            with self.assertRaisesRegex(EditError, "a stretch of a song"):
                self.do(TakeRecipe(text=text, over=over))
        with self.assertRaisesRegex(EditError, "no way of working"):
            self.studio.keep_way(self.project, loop.sha, "slate")

    def test_printed_again_it_is_the_same_loop_and_placed_it_is_heard(self):
        loop = self.printed()
        self.assertEqual(self.printed().sha, loop.sha)
        self.do(Place(hand=loop.sha, beat=32))
        again = self.printed(32.0, 48.0, seam="cut")
        level = np.sqrt(np.square(self.sound(again)).mean() / np.square(self.sound(loop)).mean())
        self.assertAlmostEqual(20 * np.log10(level), -6.0, delta=0.1)  # a new track's level

    def heard(self, first, count):
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        read = lambda digest, at, frames: rendering_of(  # noqa: E731
            self.studio.store.folder, maker.plans[digest]
        ).frames(at, frames)
        return mix(maker.arrangement(), read, first, count)

    def test_its_pieces_are_laid_again_from_the_recordings(self):
        """Elsewhere in the song, where nothing else plays, they sound as they did: to the bit at
        the same tempo, and at another one as the song itself laid there."""
        loop = self.printed()
        bar = round(2.4 * 44_100)
        before = self.heard(0, 4 * bar)
        self.do(PlacePieces(loop=loop.sha, beat=32))
        tree = self.tree()
        self.assertEqual(len(tree.tracks), 2)  # on the tracks they were on
        self.assertEqual(len([c for c in tree.clips if c.beat >= 32]), 4)
        again = self.heard(8 * bar, 4 * bar)
        np.testing.assert_array_equal(again, before)
        self.do(SetSteadyTempo(bpm=120))
        twice = round(2.0 * 44_100)
        song, pieces = self.heard(0, 4 * twice), self.heard(8 * twice, 4 * twice)
        np.testing.assert_array_equal(pieces, song)

    def test_a_clip_of_it_gives_way_to_its_pieces_and_undo_brings_it_back(self):
        loop = self.printed(0.0, 8.0)
        self.do(Place(hand=loop.sha, beat=32, passes=2))
        [clip] = [c for c in self.tree().clips if c.beat >= 32]
        self.do(OpenClip(clip=clip.id))
        pieces = sorted(
            (c.beat, self.tree().clip_length(c)) for c in self.tree().clips if c.beat >= 32
        )
        self.assertEqual(pieces, [(32, 8.0), (32, 8.0), (40, 8.0), (40, 8.0)])
        sources = {self.tree().strand(c.strand).loop for c in self.tree().clips if c.beat >= 32}
        self.assertEqual(sources, {self.drums.sha, self.keys.sha})
        self.studio.projects.undo(self.project)
        self.assertEqual([c.id for c in self.tree().clips if c.beat >= 32], [clip.id])
        # Where its tracks are taken by then, on new ones of their names.
        for beat in (32, 36):
            self.do(Place(hand=self.drums.sha, beat=beat, track=self.track_of(self.drums)))
        count = len(self.tree().tracks)
        self.do(OpenClip(clip=clip.id))
        self.assertEqual(len(self.tree().tracks), count + 1)

    def test_what_is_no_stretch_or_was_changed_since_is_left(self):
        [clip, *_] = self.tree().clips
        with self.assertRaisesRegex(EditError, "no stretch of a song"):
            self.do(OpenClip(clip=clip.id))
        loop = self.printed(0.0, 8.0)
        self.do(Place(hand=loop.sha, beat=32, lay=2.0))
        [own] = [c for c in self.tree().clips if c.beat >= 32]
        with self.assertRaisesRegex(EditError, "changed since it was printed"):
            self.do(OpenClip(clip=own.id))

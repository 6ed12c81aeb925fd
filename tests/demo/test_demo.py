import hashlib
import tempfile
import unittest
from pathlib import Path

import numpy as np

from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.mixing.mix import mix
from zeroknot.core.render.plan import RenderPlan
from zeroknot.demo import build
from zeroknot.demo.loops import LOOPS, sound_of
from zeroknot.settings import Settings
from zeroknot.studio.executors import Executors
from zeroknot.studio.studio import Studio
from zeroknot.studio.tasks.rendering import render_whole


class DemoTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.settings = Settings(data=Path(folder.name))
        build.build(cls.settings)
        cls.studio = Studio(cls.settings, Executors.inline())
        cls.addClassCleanup(cls.studio.close)

    def test_loops_are_the_same_every_time_and_as_long_as_they_claim(self):
        beats = {"Foghorn": (16, 104), "Lamp-room": (16, 92.5), "Rope-walk": (4, 126)}
        for loop in LOOPS:
            sound = sound_of(loop)
            with self.subTest(loop.file):
                # What the demo put onto the shelf, made once more: byte for byte.
                sha = hashlib.sha256(wav_bytes(sound, 24)).hexdigest()
                self.assertTrue(self.studio.store.path(sha).exists())
                self.assertAlmostEqual(sound.peak(), 10 ** (-3 / 20), places=3)
                self.assertLess(abs(float(sound.samples.mean())), 0.01)
                for words, (count, bpm) in beats.items():
                    if loop.file.startswith(words):
                        self.assertEqual(sound.frames, round(count * 60 / bpm * sound.rate))

    def test_pressing_play_makes_music(self):
        settings, studio = self.settings, self.studio
        entry = studio.projects.list()[0]
        tree = studio.projects.state(entry.id).project
        self.assertEqual((tree.name, tree.key, tree.last_bar), ("Lantern Tide", "D minor", 56))
        self.assertEqual(len(tree.tracks), 6)
        sheet = studio.sheet(tree)
        renders: dict[str, np.ndarray] = {}

        def read(digest, first, count):
            plan: RenderPlan = studio.renders.plan(digest)
            if digest not in renders:
                renders[digest] = render_whole(settings.data, plan)
            return renders[digest][:, first : first + count]

        bar = tree.tempo_map.frame_of_beat(4, tree.rate)
        levels = []
        for i in range(16):
            part = mix(sheet, read, i * bar, bar)
            self.assertLess(np.abs(part).max(), 1.0)
            levels.append(float(np.sqrt(np.mean(part**2))))
        # Every bar sounds, and it grows: keys and drums alone at first, everybody by bar 13.
        self.assertGreater(min(levels), 0.02)
        self.assertGreater(levels[13], levels[0])

    def test_it_is_a_song_of_two_to_three_minutes_that_is_mixed(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        self.assertTrue(120 < tree.tempo_map.second_of_beat(tree.end_beat) < 180)
        self.assertEqual([p.shape for p in tree.tempo], ["step", "ramp", "step"])
        self.assertEqual([c.key for c in tree.keys], ["D minor", "E minor", "D minor"])
        keys = next(t for t in tree.tracks if t.name == "Lamp-room keys")
        self.assertEqual([line.name for line in keys.lines], ["low_cut_hz"])
        fill = [c for c in tree.clips if tree.clip_length(c) == 0.25]
        self.assertEqual([c.beat for c in fill], [159.0, 159.25, 159.5, 159.75])
        # The same each time but for what is drawn by chance: ids.
        told = [(t.name, t.level_db, t.sound.values) for t in tree.tracks]
        self.assertEqual(
            [name for name, _, _ in told], [words for words, _, _ in build.ARRANGEMENT]
        )
        self.assertEqual(tree.ceiling_db, -1.0)

    def test_no_loop_of_it_clicks_where_it_repeats(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        for strand in tree.strands:
            if self.studio.loops.get(strand.loop).is_midi:  # notes have no seam
                continue
            with self.subTest(strand.name):
                self.assertFalse(self.studio.takes.seam_of(tree, strand.id).is_heard)

"""The cache is kept under its size while it is used, oldest use first."""

import os
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np

from zeroknot.store.audio_store import BLOCKS
from zeroknot.store.cache import Trimmer, note_use, trim


class CacheTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.cache = Path(folder.name)

    def entry(self, name, size=100, used=0.0):
        """A render, or a file of `sources` or `takes`; used so many seconds ago."""
        part, name = name.split("/")
        place = self.cache / (BLOCKS if part == "render" else part) / "ab" / name
        file = place / "0" if part == "render" else place
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(b"x" * size)
        os.utime(place, (time.time() - used,) * 2)
        return place

    def left(self):
        return {path.name for path in self.cache.glob("*/ab/*")}

    def test_what_was_used_longest_ago_goes_whatever_it_is(self):
        self.entry("render/a", used=400)
        self.entry("sources/b", used=300)
        self.entry("takes/c", used=200)
        played = self.entry("render/d", used=500)
        note_use(played)
        self.assertEqual(trim(self.cache, 250), 200)
        self.assertEqual(self.left(), {"c", "d"})
        self.assertEqual(trim(self.cache, 250), 0)

    def test_blocks_of_another_size_go(self):
        old = self.cache / "blocks" / "ab" / "old"
        old.mkdir(parents=True)
        trim(self.cache, 250)
        self.assertFalse(old.exists())

    def test_a_recording_that_is_mapped_is_read_on_after_its_name_went(self):
        place = self.entry("sources/b.npy", used=300)
        np.save(place, np.arange(5))
        mapped = np.load(place, mmap_mode="r")
        trim(self.cache, 10)
        self.assertFalse(place.exists())
        self.assertEqual(mapped.sum(), 10)

    def test_it_is_trimmed_while_it_grows(self):
        trimmer = Trimmer(self.cache, 1000, every=0.02)
        self.addCleanup(trimmer.close)
        for i in range(40):
            self.entry(f"render/r{i}", used=100 - i)
        until = time.monotonic() + 20
        while len(self.left()) > 10 and time.monotonic() < until:
            time.sleep(0.01)
        self.assertLessEqual(len(self.left()), 10)
        self.assertIn("r39", self.left())

"""Which hits and which notes does a loop have? Measured once by a worker."""

from pathlib import Path

from cachetools import LRUCache

from zeroknot.core.groove.hit import Hit
from zeroknot.core.harmony.profile import NO_TONES, Profile
from zeroknot.core.listening.sound_kind import UNPITCHED
from zeroknot.core.loop import Loop
from zeroknot.studio.executors import Executors

MOST_HITS = 200_000  # held in memory, of all loops together
MOST_PROFILES = 50_000


class Hits:
    def __init__(self, folder: Path, executors: Executors):
        self._folder, self._executors = folder, executors
        self._known: LRUCache[str, tuple[Hit, ...]] = LRUCache(
            MOST_HITS, getsizeof=lambda hits: 1 + len(hits)
        )

    def of(self, loop: Loop) -> tuple[Hit, ...]:
        """Every hit of a loop, in order."""
        known = self._known.get(loop.sha)
        if known is None:
            known = self._executors.look("hits_of", self._folder, loop.sha).result()
            if len(known) < MOST_HITS:
                self._known[loop.sha] = known
        return known


class Tones:
    def __init__(self, folder: Path, executors: Executors):
        self._folder, self._executors = folder, executors
        self._known: LRUCache[str, Profile] = LRUCache(MOST_PROFILES)

    def of(self, loop: Loop) -> Profile:
        """How much each pitch class sounds in a loop; nothing where it has no pitch."""
        if loop.sound in UNPITCHED:
            return NO_TONES
        if loop.hearing.tones:
            return loop.hearing.tones
        known = self._known.get(loop.sha)
        if known is None:
            known = self._executors.look("tones_of", self._folder, loop.sha).result()
            self._known[loop.sha] = known
        return known

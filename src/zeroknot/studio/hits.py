"""Which hits does a loop have, in which register, how loud? Measured once by a worker."""

from pathlib import Path

from cachetools import LRUCache

from zeroknot.core.groove.hit import Hit
from zeroknot.core.loop import Loop
from zeroknot.studio.executors import Executors

MOST_HITS = 200_000  # held in memory, of all loops together


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

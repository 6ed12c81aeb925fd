"""What is known of a loop only once it is measured? Asked of a worker once, then held in memory."""

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, Generic, TypeVar

from cachetools import LRUCache

from zeroknot.core.groove.hit import Hit
from zeroknot.core.harmony.profile import NO_TONES, Profile
from zeroknot.core.listening.sound_kind import UNPITCHED
from zeroknot.core.loop import Loop
from zeroknot.core.notes.written import Score
from zeroknot.studio.executors import Executors
from zeroknot.studio.known import Begin, Begun, Compare, FindZeros, Read

MOST_HITS = 200_000  # held in memory, of all loops together
MOST_PROFILES = 50_000
MOST_COMPARED = 64  # loops, as they were cut

T = TypeVar("T")


class Measured(Generic[T]):
    """What one task tells of loops, by their hashes; asked from any thread.

    task  its name in the table of tasks
    most  that is held, as `size` counts it
    """

    def __init__(
        self, folder: Path, executors: Executors, task: str, most: float,
        size: Callable[[T], int] = lambda value: 1,
    ):  # fmt: skip
        self._folder, self._executors, self._task, self._most = folder, executors, task, most
        self._size, self._lock = size, threading.Lock()
        self._known: LRUCache[str, T] = LRUCache(most, getsizeof=size)

    def of(self, loop: Loop) -> T:
        with self._lock:
            known = self._known.get(loop.sha)
        if known is None:
            # Not under the lock: two who ask at once measure twice, and nobody waits for others.
            known = self._executors.look(self._task, self._folder, loop.sha).result()
            if self._size(known) <= self._most:
                with self._lock:
                    self._known[loop.sha] = known
        return known


def measured_hits(folder: Path, executors: Executors) -> Callable[[Loop], tuple[Hit, ...]]:
    """Every hit of a loop, in order."""
    hits: Measured[tuple[Hit, ...]] = Measured(
        folder, executors, "hits_of", MOST_HITS, lambda found: 1 + len(found)
    )
    return hits.of


def measured_tones(folder: Path, executors: Executors) -> Callable[[Loop], Profile]:
    """How much each pitch class sounds in a loop; nothing where it has no pitch."""
    tones: Measured[Profile] = Measured(folder, executors, "tones_of", MOST_PROFILES)

    def of(loop: Loop) -> Profile:
        if loop.sound in UNPITCHED:
            return NO_TONES
        return loop.hearing.tones or tones.of(loop)

    return of


def measured_begun(folder: Path, executors: Executors) -> Begin:
    """Where each attack of a loop begins, and how sure it is one."""
    begun: Measured[Begun] = Measured(
        folder, executors, "begun_in", MOST_HITS, lambda found: 1 + len(found)
    )
    return begun.of


def measured_likeness(folder: Path, executors: Executors) -> Compare:
    """How unlike the pieces of a loop sound, by where they begin and end."""
    return _by_places(folder, executors, "likeness_of")


def found_zeros(folder: Path, executors: Executors) -> FindZeros:
    """Where a loop crosses zero, next to some seconds."""
    return _by_places(folder, executors, "zeros_at")


def _by_places(
    folder: Path, executors: Executors, task: str
) -> Callable[[Loop, tuple[float, ...]], Any]:
    """What a task tells of some seconds of a loop; asked from any thread."""
    lock = threading.Lock()
    known: LRUCache[tuple[str, tuple[float, ...]], Any] = LRUCache(MOST_COMPARED)

    def of(loop: Loop, seconds: tuple[float, ...]) -> Any:
        key = loop.sha, seconds
        with lock:
            found = known.get(key)
        if found is None:
            found = executors.look(task, folder, *key).result()
            with lock:
                known[key] = found
        return found

    return of


def read_scores(folder: Path, executors: Executors) -> Read:
    """What a MIDI loop has written."""
    scores: Measured[Score] = Measured(
        folder, executors, "score_in", MOST_HITS, lambda found: 1 + len(found.notes)
    )
    return scores.of

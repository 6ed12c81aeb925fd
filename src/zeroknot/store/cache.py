"""How large is the cache? Kept under a size, what was used longest ago goes first.

What is weighed: renders with their pictures, converted recordings, pictures of takes. When one was
used is its modification time, which is set anew where it is read. A file that somebody reads or
maps meanwhile stays theirs: only its name goes.
"""

import os
import shutil
import threading
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

from zeroknot.store.audio_store import BLOCKS

LOOKED_AT_EVERY_SECONDS = 60.0
# A use is noted no oftener: a song asks for some block of each render again and again.
NOTED_EVERY_SECONDS = 20.0
LONGEST_WAIT_SECONDS = 1.0  # for a trimming under way when the server is told to stop
TRIMMED_TO = 0.9  # of its size, so that it is not done again at once


class Entry(NamedTuple):
    """One thing that goes as a whole."""

    used_at: float
    size: int
    place: Path


def entries(cache: Path) -> Iterator[Entry]:
    """All that is weighed; what goes meanwhile is left out."""
    for place in (cache / BLOCKS).glob("??/*"):
        with suppress(OSError):
            used_at = place.stat().st_mtime
            yield Entry(used_at, sum(f.stat().st_size for f in os.scandir(place)), place)
    for part in ("sources", "takes"):
        for place in (cache / part).glob("??/*"):
            with suppress(OSError):
                facts = place.stat()
                yield Entry(facts.st_mtime, facts.st_size, place)


def trim(cache: Path, most_bytes: int) -> int:
    """Drop what was used longest ago where the cache is over a size; returns how many bytes."""
    for other in (cache / "renders", *cache.glob("blocks*")):
        if other.name != BLOCKS:  # blocks of another size, once
            shutil.rmtree(other, ignore_errors=True)
    found = sorted(entries(cache))
    total = sum(entry.size for entry in found)
    dropped = 0
    if total <= most_bytes:
        return 0
    for entry in found:
        if total - dropped <= TRIMMED_TO * most_bytes:
            break
        if entry.place.is_dir():
            shutil.rmtree(entry.place, ignore_errors=True)
        else:
            entry.place.unlink(missing_ok=True)
        dropped += entry.size
    return dropped


def note_use(place: Path) -> None:
    """What lies there is read now."""
    with suppress(OSError):
        now = time.time()
        if now - place.stat().st_mtime > NOTED_EVERY_SECONDS:
            os.utime(place)


class Trimmer:
    """Keeps a cache under a size, in a thread of its own, until it is closed."""

    def __init__(self, cache: Path, most_bytes: int, every: float = LOOKED_AT_EVERY_SECONDS):
        self._cache, self._most_bytes, self._every = cache, most_bytes, every
        self._closed = threading.Event()
        self._thread = threading.Thread(target=self._keep_trimming, daemon=True)
        self._thread.start()

    def close(self) -> None:
        self._closed.set()
        self._thread.join(LONGEST_WAIT_SECONDS)

    def _keep_trimming(self) -> None:
        trim(self._cache, self._most_bytes)
        while not self._closed.wait(self._every):
            trim(self._cache, self._most_bytes)

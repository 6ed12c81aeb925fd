"""A rendering of which many short stretches are read: made by the block, and kept a while."""

import threading

import numpy as np
from cachetools import LRUCache

from zeroknot.core.audio import Samples
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.core.render.in_blocks import InBlocks

MOST_BYTES = 48 * 1024 * 1024


class Chunks:
    """Blocks of renderings by name and number, those used last; shared, from any thread."""

    def __init__(self, most_bytes: int = MOST_BYTES):
        self._lock = threading.Lock()
        self._kept: LRUCache[tuple[str, int], Samples] = LRUCache(
            most_bytes, getsizeof=lambda sound: sound.nbytes
        )

    def of(self, name: str, rendering: InBlocks, index: int) -> Samples:
        """float32 [channels, up to BLOCK_FRAMES]: a block, made where it is not kept."""
        with self._lock:
            known = self._kept.get((name, index))
        if known is not None:
            return known
        made = rendering.block(index)  # not under the lock: two who ask at once make it twice
        with self._lock:
            self._kept[name, index] = made
        return made


class InChunks(InBlocks):
    """A rendering through its kept blocks: the same frames, to the bit.

    name  of what is rendered: its plan's address
    """

    def __init__(self, rendering: InBlocks, name: str, chunks: Chunks):
        self._rendering, self._name, self._chunks = rendering, name, chunks

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self._rendering.size

    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: axis frames from `first` on."""
        end = first + count
        if first < 0 or end > self.size or count <= 0:
            return self._rendering.frames(first, count)
        found = []
        for index in range(first // BLOCK_FRAMES, (end - 1) // BLOCK_FRAMES + 1):
            chunk = self._chunks.of(self._name, self._rendering, index)
            begin = index * BLOCK_FRAMES
            found.append(chunk[:, max(0, first - begin) : min(BLOCK_FRAMES, end - begin)])
        return found[0] if len(found) == 1 else np.concatenate(found, axis=1)

"""What every rendering has in common: its axis is handed out in blocks, or whole."""

from abc import ABC, abstractmethod

from zeroknot.core.audio import Samples
from zeroknot.core.render.blocks import BLOCK_FRAMES


class InBlocks(ABC):
    """A rendering of one plan; axis frame 0 is where the lead begins."""

    @property
    @abstractmethod
    def size(self) -> int:
        """Frames of lead, body and tail together."""

    @abstractmethod
    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: axis frames from `first` on."""

    def block(self, index: int) -> Samples:
        """Block `index` of the axis: float32 [channels, up to BLOCK_FRAMES]."""
        first = index * BLOCK_FRAMES
        return self.frames(first, min(BLOCK_FRAMES, self.size - first))

    def whole(self) -> Samples:
        """Lead, body and tail: float32 [channels, size]."""
        return self.frames(0, self.size)

"""How does a stretch of the song become sound? Its passes, each where it lies, added up."""

from collections.abc import Sequence

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.mix import envelope
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.range_plan import RangePlan

PIECE_FRAMES = 8 * BLOCK_FRAMES


class RangeRendering(InBlocks):
    """A range over renderings of its passes.

    passes  one for each of the plan's, in order
    """

    def __init__(self, plan: RangePlan, passes: Sequence[InBlocks]):
        self.plan, self._passes = plan, passes

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self.plan.frames

    def whole(self) -> Samples:
        """float32 [2, size], added up by the piece: sums take twice the room."""
        out = np.empty((2, self.size), np.float32)
        for first in range(0, self.size, PIECE_FRAMES):
            count = min(PIECE_FRAMES, self.size - first)
            out[:, first : first + count] = self.frames(first, count)
        return out

    def frames(self, first: int, count: int) -> Samples:
        """float32 [2, count]: axis frames from `first` on."""
        begin = first - self.plan.lead_frames
        out = np.zeros((2, count))
        for one in self.plan.placed:
            a, b = max(begin, one.at), min(begin + count, one.at + one.frames)
            if b <= a:
                continue
            sound = self._passes[one.plan].frames(one.start + a - one.at, b - a)
            shape = envelope(one, a - one.at, b - a)
            out[:, a - begin : b - begin] += sound * (one.gain * shape)
        return out.astype(np.float32)

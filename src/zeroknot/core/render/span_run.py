"""How does a stretch of the song become sound? Its passes, each where it lies, added up."""

from collections.abc import Sequence

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.mix import envelope
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.span_plan import SpanPlan


class SpanRendering(InBlocks):
    """A span over renderings of its passes.

    passes  one for each of the plan's, in order
    """

    def __init__(self, plan: SpanPlan, passes: Sequence[InBlocks]):
        self.plan, self._passes = plan, passes

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self.plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [2, count]: axis frames from `first` on."""
        begin = first - self.plan.lead_frames
        out = np.zeros((2, count))
        for one in self.plan.placed:
            a, b = max(begin, one.at), min(begin + count, one.at + one.frames)
            if b <= a:
                continue
            sound = self._passes[one.plan].frames(one.start + a - one.at, b - a)
            shape = envelope(one.frames, one.fade_in, one.fade_out, a - one.at, b - a)
            out[:, a - begin : b - begin] += sound * (one.gain * shape)
        return out.astype(np.float32)

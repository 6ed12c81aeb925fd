"""A pass played backwards: what rang past its end comes before it, and the other way round."""

from dataclasses import dataclass

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan


@dataclass(frozen=True)
class ReversePlan(Addressed):
    """A pass, ready to be rendered and turned round.

    turned  the pass as it goes forwards
    """

    turned: RenderPlan | OrderPlan

    @property
    def kind(self) -> str:
        """Who renders it."""
        return "reverse"

    @property
    def source(self) -> str:
        """SHA-256 of the recording."""
        return self.turned.source

    @property
    def recordings(self) -> tuple[str, ...]:
        """SHA-256 of every recording that it needs."""
        return self.turned.recordings

    @property
    def rate(self) -> int:
        """Frames per second."""
        return self.turned.rate

    @property
    def body_frames(self) -> int:
        """Exact length of the pass."""
        return self.turned.body_frames

    @property
    def lead_frames(self) -> int:
        """Frames before the one: of what rang past the end."""
        return self.turned.tail_frames

    @property
    def tail_frames(self) -> int:
        """Frames past the body's end: of what led to the one."""
        return self.turned.lead_frames

    @property
    def frames(self) -> int:
        """Lead, body and tail together."""
        return self.turned.frames

    @property
    def knots(self) -> tuple[object, ...]:
        """What its size in memory is counted by."""
        return self.turned.knots


class ReverseRendering(InBlocks):
    """forwards  the rendering of the plan as it goes forwards"""

    def __init__(self, plan: ReversePlan, forwards: InBlocks):
        self.plan, self._forwards = plan, forwards

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self.plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: axis frames from `first` on."""
        found = self._forwards.frames(self.size - first - count, count)
        return np.ascontiguousarray(found[:, ::-1])

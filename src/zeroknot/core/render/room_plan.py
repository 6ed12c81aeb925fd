"""How does a page get the room that a song is sent to? As a render like any other."""

from dataclasses import dataclass

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.desk.room_sizes import frames_of
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.in_blocks import InBlocks

ROOM_VERSION = 1


@dataclass(frozen=True)
class RoomPlan(Addressed):
    """size     of a room
    rate     frames per second
    version  of how it is made
    """

    size: str
    rate: int
    channels: int = 2
    version: int = ROOM_VERSION

    @property
    def kind(self) -> str:
        """Who renders it."""
        return "room"

    @property
    def frames(self) -> int:
        """Until it has died away."""
        return frames_of(self.size, self.rate)

    @property
    def lead_frames(self) -> int:
        """There is nothing before it."""
        return 0

    @property
    def body_frames(self) -> int:
        """All of it."""
        return self.frames

    @property
    def knots(self) -> tuple[object, ...]:
        """What its size in memory is counted by."""
        return ()


class RoomRendering(InBlocks):
    """Made whole when the first of it is asked for."""

    def __init__(self, plan: RoomPlan):
        self.plan = plan

    @property
    def size(self) -> int:
        """Frames of the impulse."""
        return self.plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [2, count]"""
        from zeroknot.core.mixing.desk.room import impulse  # scipy, where it is rendered

        return impulse(self.plan.size, self.plan.rate)[:, first : first + count]

"""What exactly is to be rendered of a stretch of the song as it sounds through its desk?

Conventions
-----------
- Axis frame 0 is song frame `at`.
- What rang before the stretch is taken in from a while before it, and left out again.
"""

from dataclasses import dataclass

from zeroknot.core.mixing.desk.room_sizes import frames_of
from zeroknot.core.mixing.desk.strip import Desk, EchoLine
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.range_plan import RangePlan
from zeroknot.core.render.reverse import ReversePlan

DESK_VERSION = 1
BEFORE_SECONDS = 12.0  # from which on what rings into a stretch is taken in
HEARD_DB = -70.0  # of a repeat that is the last to be waited for
LONGEST_RING_SECONDS = 20.0
STRIP_SECONDS = 0.5  # that filters and compressors may ring on
PARTS = ("dry", "room", "echo")
_NO_RING = {"level_db", "muted", "pan", "room_db", "echo_db"}


@dataclass(frozen=True)
class DeskTrack:
    """A track's passes before its strip.

    at  song frame of the first frame of its range
    """

    id: str
    at: int
    range: RangePlan


@dataclass(frozen=True)
class DeskPlan(Addressed):
    """A stretch of the song through its desk, ready to be rendered.

    rate     frames per second
    at       song frame of the first that is kept
    body_frames  from its first bar line to its end
    tracks   what sounds
    desk     what it goes through
    lead_frames, tail_frames  what sounds before the first line and past the end
    skipped  frames before all that that are run and left out
    heard    ids of the tracks that are; all where None
    parts    of PARTS: the tracks themselves, and what comes back of what is sent
    whole    through the master's strip and under its ceiling, too?
    version  of how it is run
    """

    rate: int
    at: int
    body_frames: int
    tracks: tuple[DeskTrack, ...]
    desk: Desk
    lead_frames: int = 0
    tail_frames: int = 0
    skipped: int = 0
    heard: tuple[str, ...] | None = None
    parts: tuple[str, ...] = PARTS
    whole: bool = True
    channels: int = 2
    version: int = DESK_VERSION

    @property
    def kind(self) -> str:
        """Who renders it."""
        return "desk"

    @property
    def frames(self) -> int:
        """Lead, body and tail together."""
        return self.lead_frames + self.body_frames + self.tail_frames

    @property
    def recordings(self) -> tuple[str, ...]:
        """SHA-256 of every recording that it needs."""
        return tuple(dict.fromkeys(sha for t in self.tracks for sha in t.range.recordings))

    @property
    def passes(self) -> tuple[RenderPlan | OrderPlan | ReversePlan, ...]:
        """Of all tracks, each once."""
        return tuple({p.digest: p for t in self.tracks for p in t.range.passes}.values())

    @property
    def knots(self) -> tuple[object, ...]:
        """What its size in memory is counted by."""
        return tuple(k for t in self.tracks for k in t.range.knots)


def ring_frames(desk: Desk, rate: int) -> int:
    """Frames for which something may be heard after all tracks are over."""
    names = {n for s in (*desk.strips, desk.master) for n, _ in (*s.values, *s.lanes)}
    seconds = STRIP_SECONDS if names - _NO_RING else 0.0
    if desk.sends("echo"):
        seconds += _echo_seconds(desk.echo, rate)
    frames = round(min(seconds, LONGEST_RING_SECONDS) * rate)
    return frames + (frames_of(desk.room.size, rate) if desk.sends("room") else 0)


def _echo_seconds(echo: EchoLine, rate: int) -> float:
    longest = max(delay for _, delay in echo.delay) / rate
    times, level = 1, 1.0
    while level > 10 ** (HEARD_DB / 20) and times * longest < LONGEST_RING_SECONDS:
        level *= echo.feedback
        times += 1
    return times * longest

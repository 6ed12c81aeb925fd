"""What exactly is to be rendered of a stretch of the song?

Conventions
-----------
- Frames count from the stretch's first bar line. What begins in it belongs to it, with what sounds
  before its one and what rings past the end. What began before is heard from the bar line on, and
  what goes on past the end is cut there; both go over a few milliseconds.
- As it is heard, what sounds before the one of something that begins after the end is heard, too,
  and nothing is heard before the first bar line, unless the song begins there.
- Levels are those of clips and tracks; the master's has no say.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.shape import Corners
from zeroknot.core.mixing.sheet import Event, Sheet, fades_within
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.reverse import ReversePlan

RANGE_VERSION = 1
EDGE_SECONDS = 0.003  # over which what is cut at an edge comes and goes
NEARLY_FRAMES = 1  # a pass that begins so little before the line begins on it


@dataclass(frozen=True)
class Placed:
    """A stretch of a pass.

    plan     which of the plans
    at       frame of the range at which it begins
    start    axis frame of the pass to begin with
    frames   how many
    gain     linear
    fade_in, fade_out  frames, linear
    shape    corners from its first frame on, beside the fades
    """

    plan: int
    at: int
    start: int
    frames: int
    gain: float
    fade_in: int = 0
    fade_out: int = 0
    shape: Corners = ()


@dataclass(frozen=True)
class RangePlan(Addressed):
    """A stretch of the song, ready to be rendered.

    rate         frames per second
    body_frames  from its first bar line to its end
    passes       that sound in it, each once
    placed       by where they begin
    lead_frames, tail_frames  what sounds before the first line and past the end
    channels     always 2
    version      of how they are added up
    """

    rate: int
    body_frames: int
    passes: tuple[RenderPlan | OrderPlan | ReversePlan, ...]
    placed: tuple[Placed, ...]
    lead_frames: int = 0
    tail_frames: int = 0
    channels: int = 2
    version: int = RANGE_VERSION

    @property
    def kind(self) -> str:
        """Who renders it."""
        return "range"

    @property
    def frames(self) -> int:
        """Lead, body and tail together."""
        return self.lead_frames + self.body_frames + self.tail_frames

    @property
    def recordings(self) -> tuple[str, ...]:
        """SHA-256 of every recording that it needs."""
        return tuple(dict.fromkeys(sha for one in self.passes for sha in one.recordings))

    @property
    def knots(self) -> tuple[object, ...]:
        """What its size in memory is counted by."""
        return (*self.placed, *(k for one in self.passes for k in one.knots))


def plan_range(
    sheet: Sheet,
    plans: Mapping[str, RenderPlan | OrderPlan | ReversePlan],
    first: int,
    end: int,
    tracks: Collection[str] | None = None,
    as_heard: bool = False,
) -> RangePlan:
    """The plan of what sounds between two song frames.

    plans     of the sheet's events, by digest
    tracks    ids of those that are meant; all where None
    as_heard  as the song plays it there, not as a loop of its own
    Raises EditError where nothing sounds.
    """
    edges = _Edges(first, end, round(EDGE_SECONDS * sheet.rate), as_heard)
    gains = {t.id: t.gain for t in sheet.tracks if tracks is None or t.id in tracks}
    numbers: dict[str, int] = {}
    placed = []
    for whole in sheet.events:
        event = edges.inside(whole, plans[whole.digest])
        if event is None:
            continue
        gain = gains.get(event.track, 0.0) * event.gain
        if gain == 0.0:
            continue
        number = numbers.setdefault(event.digest, len(numbers))
        placed.append(
            Placed(
                number, event.at - first, event.start, event.frames, gain, event.fade_in,
                event.fade_out, event.shape,
            )
        )  # fmt: skip
    if not placed:
        raise EditError("nothing sounds there")
    body = end - first
    return RangePlan(
        rate=sheet.rate,
        body_frames=body,
        passes=tuple(plans[digest] for digest in numbers),
        placed=tuple(sorted(placed, key=lambda p: (p.at, p.plan, p.start))),
        lead_frames=max(0, *(-p.at for p in placed)),
        tail_frames=max(0, *(p.at + p.frames - body for p in placed)),
    )


@dataclass(frozen=True)
class _Edges:
    """Where a stretch begins and ends, and how what goes over an edge is cut.

    fade  frames over which that comes and goes
    """

    first: int
    end: int
    fade: int
    as_heard: bool

    def inside(self, event: Event, plan: RenderPlan | OrderPlan | ReversePlan) -> Event | None:
        """An event as far as it belongs to the stretch."""
        one = event.at - event.start + plan.lead_frames
        over = one + plan.body_frames  # where its tail begins
        last = event.at + event.frames
        begins_after = one >= self.end
        if last <= self.first or (begins_after and not (self.as_heard and event.at < self.end)):
            return None
        began_before = one < self.first - NEARLY_FRAMES
        if began_before or (self.as_heard and self.first > 0):
            skipped = max(0, self.first - event.at)
            if skipped:
                event = event.within(skipped, event.frames - skipped)
                event = replace(event, fade_in=self.fade)
        if begins_after or min(over, last) > self.end + NEARLY_FRAMES:  # it goes on
            event = replace(event.within(0, max(0, self.end - event.at)), fade_out=self.fade)
        if event.frames <= 0:
            return None
        fade_in, fade_out = fades_within(event.frames, event.fade_in, event.fade_out)
        return replace(event, fade_in=fade_in, fade_out=fade_out)

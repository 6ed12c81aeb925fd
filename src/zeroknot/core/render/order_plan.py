"""What exactly is to be rendered for one round of a new order?

Conventions
-----------
- An order is voices: each a stretch of a *source*, which is a pass over the loop as the strand is
  laid, by another shift or at another speed. So pieces that sound alike are rendered once.
- Frames count from the order's one. A fade-in may lie before it: that is heard at the end of the
  round before.
- Where voices go on as it was recorded they are one: an order as it was cut is the pass itself,
  lead and tail and all, to the bit.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

from zeroknot.core.order.order import Order
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.laying import Laying, Moves
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.voice import Voice
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.piece import Bus

ORDER_VERSION = 2
APART_FRAMES = 64  # of silence between pads

Pad = tuple[int, int]  # frame with which it begins, and how many


@dataclass(frozen=True)
class OrderPlan(Addressed):
    """One round of an order, ready to be rendered.

    rate         frames per second
    body_frames  of a round, exact
    channels     1 or 2
    sources      passes over the loop
    voices       by where they begin
    lead_frames, tail_frames  what sounds before the one and past the round's end
    version      of how voices are joined
    """

    rate: int
    body_frames: int
    channels: int
    sources: tuple[RenderPlan, ...]
    voices: tuple[Voice, ...]
    lead_frames: int = 0
    tail_frames: int = 0
    version: int = ORDER_VERSION

    @property
    def kind(self) -> str:
        """Who renders it."""
        return "order"

    @property
    def source(self) -> str:
        """SHA-256 of the recording."""
        return self.sources[0].source

    @property
    def recordings(self) -> tuple[str, ...]:
        """SHA-256 of every recording that it needs, that of the pass first."""
        return tuple(dict.fromkeys(source.source for source in self.sources))

    @property
    def frames(self) -> int:
        """Lead, body and tail together."""
        return self.lead_frames + self.body_frames + self.tail_frames

    @property
    def knots(self) -> tuple[object, ...]:
        """What its size in memory is counted by."""
        return (*self.voices, *(k for s in self.sources for k in s.knots))


def plan_order(
    *,
    base: RenderPlan,
    cut: Cut,
    order: Order,
    frame_of: Callable[[float], int],
    channels: int,
    moves: Moves | None = None,
    bus: Bus | None = None,
) -> OrderPlan:
    """The plan of a round.

    base      the pass as the strand is laid
    frame_of  frame, from the round's one, of a beat of the order
    channels  of the loop; with a pan there are two
    bus       only what its pieces send there, as loud as they do
    moves     what moves along its strokes
    """
    laying = Laying(base, cut, frame_of, moves=moves, bus=bus)
    body = max(1, frame_of(order.beats))
    strokes = laying.strokes(order, body)
    if bus is not None:
        strokes = [one.sent(bus) for one in strokes if one.piece.sends(bus)]
    voices = [laying.faded(one) for one in strokes]
    lead = base.lead_frames if strokes and strokes[0].leads else 0
    if lead:
        voices.insert(0, replace(strokes[0].voice, start=-lead, at=-lead, frames=lead))
    return OrderPlan(
        rate=base.rate,
        body_frames=body,
        channels=laying.channels(voices, channels),
        sources=tuple(laying.sources),
        voices=tuple(voices),
        lead_frames=lead,
        tail_frames=max([0, *(v.at + v.frames - body for v in voices)]),
    )


def plan_pads(
    base: RenderPlan, cut: Cut, frame_of: Callable[[float], int], channels: int
) -> tuple[OrderPlan, tuple[Pad, ...]]:
    """The plan of every piece by itself, one after another, as pads play them; and where each lies.

    base, frame_of, channels  as of `plan_order`
    """
    laying = Laying(base, cut, frame_of)
    voices: list[Voice] = []
    pads: list[Pad] = []
    end = 0
    for index, piece in enumerate(cut.all_pieces):
        voice = None if piece.muted else laying.alone(index, piece)
        if voice is None:
            pads.append((end, 0))
            continue
        voices.append(replace(voice, at=end))
        pads.append((end, voice.frames))
        end += voice.frames + APART_FRAMES
    return OrderPlan(
        rate=base.rate,
        body_frames=max(1, end),
        channels=laying.channels(voices, channels),
        sources=tuple(laying.sources),
        voices=tuple(voices),
    ), tuple(pads)

"""What does a player need to mix an order by itself, so that a change is heard at once?

Conventions
-----------
- A *cell* is what is rendered beforehand: a source of the order, or, where a piece's pitch bends,
  that one voice in its shape. All else of a voice is mixed live, by the formulas of `order_run`.
- Voices are told before they are faded: fades are mixed live, too.
"""

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

from zeroknot.core.order.order import Order
from zeroknot.core.render.laying import Laying, Stroke, follows
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.voice import Voice
from zeroknot.core.slicing.cut import Cut

Cell = RenderPlan | OrderPlan
AS_FADED = -1


@dataclass(frozen=True)
class LiveVoice:
    """cell    index of what it is a stretch of
    which   piece that it plays
    voice   before its fades; `source` says nothing
    begins, ends  is it faded there?
    joins   does it go on from the voice before it, as it was recorded, while both sound alike?
    room    frames that its cell has before it, for a fade-in
    before  frames of it that lead in; AS_FADED: as its fade-in has it
    """

    cell: int
    which: int
    voice: Voice
    begins: bool
    ends: bool
    joins: bool
    room: int
    before: int = AS_FADED


@dataclass(frozen=True)
class LivePlan:
    """One round: its length in frames, its channels, its cells with theirs, its voices."""

    body_frames: int
    channels: int
    cells: tuple[tuple[Cell, int], ...]
    voices: tuple[LiveVoice, ...]


def plan_live(
    *, base: RenderPlan, cut: Cut, order: Order, frame_of: Callable[[float], int], channels: int,
    apart: Collection[int],
) -> LivePlan:  # fmt: skip
    """The plan of a round, for who mixes it.

    base, cut, order, frame_of, channels  as of `order_plan.plan_order`
    apart  pieces that something is about to be done to: they go on from none
    """
    laying = Laying(base, cut, frame_of, tells_beats=True)
    body = max(1, frame_of(order.beats))
    strokes = laying.strokes(order, body, apart)
    cells: list[Cell] = []
    voices = []
    for last, stroke in zip([None, *strokes], strokes, strict=False):
        cell, voice, before = _cell(laying, stroke, channels)
        if cell not in cells:
            cells.append(cell)
        is_bent = before != AS_FADED
        voices.append(
            LiveVoice(
                cells.index(cell), stroke.which, voice,
                begins=stroke.begins and not is_bent, ends=stroke.ends,
                joins=last is not None and follows(last.voice, voice),
                room=0 if is_bent else laying.room(stroke.voice), before=before,
            )
        )  # fmt: skip
    heard = laying.channels([laying.faded(s) for s in strokes], channels)
    own = {b.source: b.channels for b in cut.borrowed} | {base.source: channels}
    told = tuple((c, c.channels if isinstance(c, OrderPlan) else own[c.source]) for c in cells)
    return LivePlan(body, heard, told, tuple(voices))


def _cell(laying: Laying, stroke: Stroke, channels: int) -> tuple[Cell, Voice, int]:
    """What is rendered of a stroke, the rest of it, and the frames that lead in."""
    voice, shape = stroke.voice, stroke.voice.shape
    if shape is None or not shape.bend:
        return laying.sources[voice.source], voice, AS_FADED
    # A pitch that bends is read anew, and all that follows it with it.
    faded = laying.faded(stroke)
    alone = replace(faded, source=0, at=0, gain_db=0.0, pan=0.0, sway=0.0, fade_out=0)
    source = laying.sources[voice.source]
    cell = OrderPlan(
        rate=source.rate, body_frames=faded.frames, channels=channels, sources=(source,),
        voices=(alone,),
    )  # fmt: skip
    live = replace(faded, start=0, reverse=False, shape=None, fade_in=0, fade_out=0, release=0)
    return cell, live, faded.fade_in

"""Which plans are there, and how is one read again?"""

import json
from typing import Any

from zeroknot.core.mixing.desk.strip import desk_of
from zeroknot.core.render.clicks import ClickPlan
from zeroknot.core.render.desk_plan import DeskPlan, DeskTrack
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.range_plan import Placed, RangePlan
from zeroknot.core.render.reverse import ReversePlan
from zeroknot.core.render.room_plan import RoomPlan
from zeroknot.core.render.voice import Voice
from zeroknot.core.slicing.shape import Shape
from zeroknot.core.stretch.settings import StretchSettings

PassPlan = RenderPlan | OrderPlan | ReversePlan  # what a pass of a strand is rendered by
AnyPlan = PassPlan | RangePlan | ClickPlan | DeskPlan | RoomPlan


def channels_of(plan: PassPlan, loop_channels: int) -> int:
    """Channels of a render: the loop's own, or more where some of it is panned."""
    if isinstance(plan, ReversePlan):
        return channels_of(plan.turned, loop_channels)
    return plan.channels if isinstance(plan, OrderPlan) else loop_channels


def shifts_of(plan: PassPlan) -> frozenset[float]:
    """Semitones by which what is heard sounds higher, on the whole, than it was recorded."""
    if isinstance(plan, ReversePlan):
        return shifts_of(plan.turned)
    if not isinstance(plan, OrderPlan):
        return frozenset({round(plan.heard_shift, 6)})
    heard = {plan.sources[voice.source] for voice in plan.voices}
    own = [source for source in heard if source.source == plan.source]
    return frozenset(round(source.heard_shift, 6) for source in own or plan.sources[:1])


def plan_of_text(text: str) -> AnyPlan:
    """The plan of which that is the text. Raises ValueError, KeyError or TypeError for others."""
    told = json.loads(text)
    kind = told.pop("kind")
    if kind == "range":
        return _range_of(told)
    if kind == "desk":
        tracks = tuple(
            DeskTrack(t["id"], t["at"], _range_of(t["range"])) for t in told.pop("tracks")
        )
        heard = told.pop("heard", None)
        if heard is not None:
            told["heard"] = tuple(heard)
        if "parts" in told:
            told["parts"] = tuple(told["parts"])
        return DeskPlan(tracks=tracks, desk=desk_of(told.pop("desk", {})), **told)
    if kind == "room":
        return RoomPlan(**told)
    if kind == "clicks":
        strikes = tuple((int(at), float(db), int(which)) for at, db, which in told.pop("strikes"))
        return ClickPlan(strikes=strikes, **told)
    return _pass_plan_of(told)


def _range_of(told: dict[str, Any]) -> RangePlan:
    passes = tuple(_pass_plan_of(one) for one in told.pop("passes"))
    placed = tuple(_placed_of(one) for one in told.pop("placed"))
    return RangePlan(passes=passes, placed=placed, **told)


def _placed_of(told: dict[str, Any]) -> Placed:
    shape = tuple((int(at), float(gain)) for at, gain in told.pop("shape", ()))
    return Placed(shape=shape, **told)


def _pass_plan_of(told: dict[str, Any]) -> PassPlan:
    if "turned" in told:
        return ReversePlan(_pass_or_order(told.pop("turned")))
    return _pass_or_order(told)


def _pass_or_order(told: dict[str, Any]) -> RenderPlan | OrderPlan:
    if "voices" not in told:
        return _pass_of(told)
    sources = tuple(_pass_of(source) for source in told.pop("sources"))
    voices = tuple(_voice_of(voice) for voice in told.pop("voices"))
    return OrderPlan(sources=sources, voices=voices, **told)


def _voice_of(told: dict[str, Any]) -> Voice:
    shape = told.pop("shape", None)
    cutoff, drive = (
        tuple((int(at), float(value)) for at, value in told.pop(name, ()))
        for name in ("cutoff", "drive")
    )
    return Voice(shape=Shape(**shape) if shape else None, cutoff=cutoff, drive=drive, **told)


def _pass_of(told: dict[str, Any]) -> RenderPlan:
    knots, lengths_by = (
        tuple((float(second), int(at)) for second, at in told.pop(name, ()))
        for name in ("knots", "lengths_by")
    )
    gains = tuple((int(at), float(db)) for at, db in told.pop("gains", ()))
    by_note = tuple(int(n) for n in told.pop("by_note", ()))
    notes = tuple(
        (float(start), float(end), int(pitch), int(velocity), int(part))
        for start, end, pitch, velocity, part in told.pop("notes", ())
    )
    settings = StretchSettings(**told.pop("settings", {}))
    return RenderPlan(
        knots=knots,
        settings=settings,
        gains=gains,
        lengths_by=lengths_by,
        by_note=by_note,
        notes=notes,
        **told,
    )

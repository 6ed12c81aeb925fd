"""Which plans are there, and how is one read again?"""

import json
from typing import Any

from zeroknot.core.render.clicks import ClickPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.stretch.settings import StretchSettings

AnyPlan = RenderPlan | ClickPlan


def plan_of_text(text: str) -> AnyPlan:
    """The plan of which that is the text. Raises ValueError, KeyError or TypeError for others."""
    told = json.loads(text)
    if told.pop("kind") == "clicks":
        strikes = tuple((int(at), float(db), int(which)) for at, db, which in told.pop("strikes"))
        return ClickPlan(strikes=strikes, **told)
    return _pass_of(told)


def _pass_of(told: dict[str, Any]) -> RenderPlan:
    knots, lengths_by = (
        tuple((float(second), int(at)) for second, at in told.pop(name, ()))
        for name in ("knots", "lengths_by")
    )
    gains = tuple((int(at), float(db)) for at, db in told.pop("gains", ()))
    by_note = tuple(int(n) for n in told.pop("by_note", ()))
    settings = StretchSettings(**told.pop("settings", {}))
    return RenderPlan(
        knots=knots, settings=settings, gains=gains, lengths_by=lengths_by, by_note=by_note, **told
    )

"""Which ways of stretching are there? One table feeds interface, command, plan and benchmark."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Literal

from zeroknot.core.errors import StretchError

if TYPE_CHECKING:
    from zeroknot.core.audio import Samples
    from zeroknot.core.stretch.part import Part

    Point = tuple[float, float]
    PieceRenderer = Callable[[Part, Point, Point, float], tuple[int, Samples]]


@dataclass(frozen=True, kw_only=True)
class Method:
    """One way of stretching.

    key              as stored, sent and typed
    family           "keep" aims at the same sound, "colour" at another
    pitch_follows    whether speed changes pitch (a shift then has no say)
    version          of its code: part of a render's address
    module           where its `render_piece` is; loaded when first asked for, so that naming a
                     method does not cost its compiler's start
    """

    key: str
    name: str
    family: Literal["keep", "colour"]
    about: str
    pitch_follows: bool
    version: int
    module: str

    @property
    def render_piece(self) -> PieceRenderer:
        renderer: PieceRenderer = import_module(self.module).render_piece
        return renderer


METHODS: dict[str, Method] = {
    method.key: method
    for method in (
        Method(
            key="weave",
            name="Weave",
            family="keep",
            about="chords and full mixes",
            pitch_follows=False,
            version=3,
            module="zeroknot.core.stretch.weave",
        ),
        Method(
            key="spool",
            name="Spool",
            family="colour",
            about="speed and pitch together",
            pitch_follows=True,
            version=1,
            module="zeroknot.core.stretch.spool",
        ),
    )
}


def method_named(key: str) -> Method:
    """The method of that key. Raises StretchError where there is none (yet)."""
    try:
        return METHODS[key]
    except KeyError:
        known = ", ".join(METHODS)
        raise StretchError(
            f"there is no stretch method {key!r} here; choose from {known}"
        ) from None

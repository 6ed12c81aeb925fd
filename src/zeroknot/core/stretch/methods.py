"""Which ways of stretching are there? One table feeds interface, command, plan and benchmark."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Literal

from zeroknot.core.errors import StretchError
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.stretch.settings import GRAINS, PLAYED, SHIFTED
from zeroknot.core.synth.voices import VERSION as VOICES_VERSION

if TYPE_CHECKING:
    from zeroknot.core.audio import Samples
    from zeroknot.core.stretch.part import Part
    from zeroknot.core.stretch.settings import StretchSettings

    Point = tuple[float, float]
    PieceRenderer = Callable[[Part, Point, Point, StretchSettings], tuple[int, Samples]]


@dataclass(frozen=True, kw_only=True)
class Method:
    """One way of stretching.

    key              as stored, sent and typed
    family           "keep" aims at the same sound, "colour" at another; "played": notes, not sound
    uses             names of the settings that have a say
    version          of its code: part of a render's address
    module           where its `render_piece` is; loaded when first asked for, so that naming a
                     method does not cost its compiler's start
    reach_seconds    a piece may sound as far past its anchors
    rings_on         a piece sounds on to the attack after its last anchor, and as far past that
    sensitivity      to attacks
    shifts           whether pitch is its own; else speed changes it
    """

    key: str
    name: str
    family: Literal["keep", "colour", "played"]
    about: str
    uses: frozenset[str]
    version: int
    module: str
    reach_seconds: float = 0.01
    rings_on: bool = False
    sensitivity: float = SENSITIVITY
    shifts: bool = True

    @property
    def always_changes(self) -> bool:
        """Is it heard even where nothing is stretched or shifted?"""
        return "grain_seconds" in self.uses

    @property
    def render_piece(self) -> PieceRenderer:
        """Its code, loaded when it is first asked for."""
        renderer: PieceRenderer = import_module(self.module).render_piece
        return renderer


METHODS: dict[str, Method] = {
    method.key: method
    for method in (
        Method(
            key="strike",
            name="Strike",
            family="keep",
            about="drums and percussion",
            uses=SHIFTED,
            version=5,
            module="zeroknot.core.stretch.strike",
            reach_seconds=1.0,
            rings_on=True,
            # A cut too many does no harm; a flam's second hit that is not cut is lost.
            sensitivity=0.88,
        ),
        Method(
            key="weave",
            name="Weave",
            family="keep",
            about="chords and full mixes",
            uses=SHIFTED,
            version=8,
            module="zeroknot.core.stretch.weave",
        ),
        Method(
            key="voice",
            name="Voice",
            family="keep",
            about="one line at a time",
            uses=SHIFTED,
            version=5,
            module="zeroknot.core.stretch.voice",
        ),
        Method(
            key="scatter",
            name="Scatter",
            family="colour",
            about="a cloud of grains",
            uses=SHIFTED | GRAINS,
            version=3,
            module="zeroknot.core.stretch.scatter",
            reach_seconds=1.1,
        ),
        Method(
            key="spool",
            name="Spool",
            family="colour",
            about="speed and pitch together",
            uses=frozenset(),
            shifts=False,
            version=2,
            module="zeroknot.core.stretch.spool",
        ),
    )
}


# What is done to a MIDI loop instead: its notes are moved, transposed and played.
NOTES = Method(
    key="notes",
    name="Notes",
    family="played",
    about="a MIDI loop's notes, moved and transposed",
    uses=PLAYED,
    version=VOICES_VERSION,
    module="zeroknot.core.render.notes_run",
)


def method_named(key: str) -> Method:
    """The method of that key. Raises StretchError where there is none (yet)."""
    try:
        return NOTES if key == NOTES.key else METHODS[key]
    except KeyError:
        known = ", ".join(METHODS)
        raise StretchError(
            f"there is no stretch method {key!r} here; choose from {known}"
        ) from None

"""How the strand in hand is stretched, shifted and levelled."""

from dataclasses import replace
from typing import Any, Literal

from pydantic import Field

from zeroknot.core.errors import EditError, StretchError
from zeroknot.core.render.seam import LONGEST_CROSSFADE_MS
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.methods import method_named
from zeroknot.core.stretch.settings import STEEPEST_SHIFT, Direction
from zeroknot.document.project import Project, Strand
from zeroknot.studio.hand import Hand
from zeroknot.studio.intents.base import FitIntent


class SetMethod(FitIntent):
    kind: Literal["set_method"] = "set_method"
    method: str = Field(max_length=40)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        name = "Auto" if self.method == AUTO else method_named(self.method).name
        return hand.strand.changed(method=self.method), f"stretch by {name}"


class SetShift(FitIntent):
    """Semitones, length kept."""

    kind: Literal["set_shift"] = "set_shift"
    semitones: float = Field(ge=-STEEPEST_SHIFT, le=STEEPEST_SHIFT)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        return hand.strand.changed(shift=self.semitones), f"shift {self.semitones:+g} st"


class SetStretch(FitIntent):
    """Settings of the stretch: those that are given change, the rest stays as it is."""

    kind: Literal["set_stretch"] = "set_stretch"
    formants: float = 0.0
    grain_seconds: float = 0.0
    density: float = 0.0
    jitter_seconds: float = 0.0
    spread: float = 0.0
    direction: Direction = "forward"
    frozen_at: float | None = None
    seed: int = 0
    voice: str | None = None

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        given = self.model_dump(exclude={"kind", "hand"}, exclude_unset=True)
        if not given:
            raise EditError("no setting of the stretch is given")
        try:
            settings = replace(hand.strand.settings, **given)
        except StretchError as error:
            raise EditError(str(error)) from error
        what = ", ".join(_said(name, value) for name, value in given.items())
        return hand.strand.changed(settings=settings), what


def _said(name: str, value: Any) -> str:
    """A setting as the list of undo says it."""
    words = name.removesuffix("_seconds").replace("_", " ")
    if value is None:
        return f"{words} off"
    if name.endswith("_seconds"):
        return f"{words} {1000 * value:g} ms"
    return f"{words} {value}" if isinstance(value, str | int) else f"{words} {100 * value:g} %"


class SetLead(FitIntent):
    kind: Literal["set_lead"] = "set_lead"
    lead: bool

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        return hand.strand.changed(lead=self.lead), "keep lead" if self.lead else "leave lead out"


class SetCrossfade(FitIntent):
    """Over how much of the recording a pass goes over into the next; with 0 it is left as it is."""

    kind: Literal["set_crossfade"] = "set_crossfade"
    ms: float = Field(ge=0, le=LONGEST_CROSSFADE_MS)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if hand.loop.is_midi:
            raise EditError("notes have no seam to be mended")
        what = f"crossfade the seam over {self.ms:g} ms" if self.ms else "leave the seam as it is"
        return hand.strand.changed(crossfade_ms=self.ms), what


class SetStrandLevel(FitIntent):
    kind: Literal["set_strand_level"] = "set_strand_level"
    gain_db: float = Field(ge=-60, le=12)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        return hand.strand.changed(gain_db=self.gain_db), "strand level"

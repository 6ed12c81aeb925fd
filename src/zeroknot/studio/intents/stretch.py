"""How the strand in hand is stretched, shifted and levelled."""

from dataclasses import replace
from typing import Any, Literal

from pydantic import Field

from zeroknot.core.apart.parts import PartsOrAuto, why_not_apart
from zeroknot.core.errors import EditError, StretchError
from zeroknot.core.loop import Loop
from zeroknot.core.render.seam import LONGEST_CROSSFADE_MS
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.methods import method_named
from zeroknot.core.stretch.settings import STEEPEST_SHIFT, Direction
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import AddClips
from zeroknot.document.edits.strand import AddStrand, ChangeStrand
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import Project, Track
from zeroknot.document.strand import LONGEST_NAME, YARNS, Strand
from zeroknot.studio.hand import LONGEST_HAND, Hand, in_hand, new_id
from zeroknot.studio.intents.base import FitIntent, Intent, Resolved
from zeroknot.studio.known import Known

PARTS_SAID: dict[PartsOrAuto, str] = {
    "auto": "tones and hits as Auto finds best",
    "whole": "tones and hits as one",
    "apart": "tones and hits each in their own way",
    "tones": "tones alone",
    "hits": "hits alone",
}


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


class SetParts(FitIntent):
    """Which parts of a recording are heard, and whether its hits are laid with its tones."""

    kind: Literal["set_parts"] = "set_parts"
    parts: PartsOrAuto

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if self.parts not in ("auto", "whole") and (why := why_whole(hand.loop)):
            raise EditError(why)
        return hand.strand.changed(parts=self.parts), PARTS_SAID[self.parts]


class TakeApart(Intent):
    """What is in hand becomes two strands, its tones and its hits, each on tracks of its own.

    Wherever it plays, both do.
    """

    kind: Literal["take_apart"] = "take_apart"
    hand: str = Field(max_length=LONGEST_HAND)

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        whole = hand.strand
        if why := why_whole(hand.loop):
            raise EditError(why)
        if whole.parts in ("tones", "hits"):
            raise EditError(f"{whole.name} is one part of its loop already")
        if len(whole.name) > LONGEST_NAME - 6:
            whole = whole.changed(name=whole.name[: LONGEST_NAME - 6])
        tones = whole.changed(parts="tones", name=f"{whole.name} tones")
        hits = whole.changed(
            id=new_id(), parts="hits", name=f"{whole.name} hits",
            yarn=(whole.yarn + 1) % YARNS,
        )  # fmt: skip
        what = f"take {hand.strand.name} apart"
        first = AddStrand(strand=tones) if hand.is_new else ChangeStrand(strand=tones, what=what)
        edits: list[SingleEdit] = [first, AddStrand(strand=hits)]
        played = [clip for clip in project.clips if clip.strand == whole.id]
        tracks = {id_: new_id() for id_ in dict.fromkeys(clip.track for clip in played)}
        for before, new in tracks.items():
            name = f"{project.track(before).name[: LONGEST_NAME - 6]} hits"
            level = project.track(before).level_db
            edits.append(AddTrack(track=Track(id=new, name=name, level_db=level)))
        if played:
            edits.append(
                AddClips(
                    clips=tuple(
                        c.changed(id=new_id(), strand=hits.id, track=tracks[c.track])
                        for c in played
                    )
                )
            )
        return Resolved(Together(edits=tuple(edits), what=what))


def why_whole(loop: Loop) -> str | None:
    """Why a loop's tones and hits cannot be told apart; None where they can."""
    if loop.is_midi:
        return "notes are parts already; only in a recording tones and hits can be told apart"
    return why_not_apart(loop.seconds)


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

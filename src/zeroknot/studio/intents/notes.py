"""The notes of a MIDI loop: added, moved, made longer or shorter, struck harder, let go."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.groove.notes import struck_of
from zeroknot.core.loop import Loop
from zeroknot.core.notes.written import (
    MOST_NOTES,
    MOST_PARTS,
    USUAL_VELOCITY,
    Laid,
    LaidNote,
    in_order,
    in_seconds,
    lengthened,
    moved,
    on_grid,
    struck,
)
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.studio.hand import Hand, in_hand
from zeroknot.studio.intents.base import FitIntent
from zeroknot.studio.intents.slicing import meant, numbers
from zeroknot.studio.known import Known
from zeroknot.studio.lanes import notes_in_beats

Which = tuple[int, ...]


class NoteIntent(FitIntent):
    """A change of the notes of what is in hand, which are named by their place in time."""

    def measure(self, project: Project, known: Known) -> None:
        loop = in_hand(project, known.loops, self.hand).loop
        _refuse_recording(loop)
        known.score(loop)

    def notes(self, hand: Hand) -> Laid:
        _refuse_recording(hand.loop)
        return notes_in_beats(hand.strand, hand.score(hand.loop))

    def with_notes(self, hand: Hand, notes: Laid) -> Strand:
        strand = hand.strand
        if not notes:
            raise EditError("a loop without a note would be silent: leave one, or mute its clips")
        if len(notes) > MOST_NOTES:
            raise EditError(f"a loop has at most {MOST_NOTES} notes")
        written = in_seconds(notes, strand.tied.warp)
        groove = strand.groove
        if groove:  # it moves the hits that there are now
            groove = groove.changed(hits=struck_of(written, hand.score(hand.loop).drums))
        return strand.changed(notes=written, groove=groove)


def _refuse_recording(loop: Loop) -> None:
    if not loop.is_midi:
        raise EditError(f"{loop.name} is a recording; only MIDI loops have notes to edit")


class AddNote(NoteIntent):
    kind: Literal["add_note"] = "add_note"
    beat: float = Field(ge=0, le=1024)
    beats: float = Field(gt=0, le=1024)
    pitch: int = Field(ge=0, le=127)
    velocity: int = Field(USUAL_VELOCITY, ge=1, le=127)
    part: int = Field(0, ge=0, lt=MOST_PARTS)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        notes = self.notes(hand)
        if self.beat >= hand.strand.span:
            raise EditError(f"a note begins before the loop ends, at beat {hand.strand.span:g}")
        new = LaidNote(self.beat, self.beats, self.pitch, self.velocity, self.part)
        return self.with_notes(hand, in_order([*notes, new])), "add a note"


class MoveNotes(NoteIntent):
    """Some so many beats later and semitones higher, or copies of them there."""

    kind: Literal["move_notes"] = "move_notes"
    which: Which = Field(min_length=1, max_length=MOST_NOTES)
    by: float = Field(0.0, ge=-1024, le=1024)
    semitones: int = Field(0, ge=-127, le=127)
    copies: bool = False

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        notes = self.notes(hand)
        which = meant(self.which, len(notes), "note")
        out = moved(notes, set(which), self.by, self.semitones, hand.strand.span, self.copies)
        return self.with_notes(hand, out), f"{'copy' if self.copies else 'move'} {said(which)}"


class TreatNotes(NoteIntent):
    """Some, or all where none is named, treated.

    beats     lengthen: so many longer, or shorter
    first, last  strike: velocities in a line from the first to the last
    step, strength  grid: drawn to lines so many beats apart
    """

    kind: Literal["treat_notes"] = "treat_notes"
    how: Literal["remove", "lengthen", "strike", "grid", "as_recorded"]
    which: Which = Field((), max_length=MOST_NOTES)
    beats: float = Field(0.0, ge=-1024, le=1024)
    first: float = Field(USUAL_VELOCITY, ge=1, le=127)
    last: float = Field(USUAL_VELOCITY, ge=1, le=127)
    step: float = Field(0.25, ge=1 / 64, le=64)
    strength: float = Field(1.0, ge=0, le=1)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        notes = self.notes(hand)
        if self.how == "as_recorded":
            groove = hand.strand.groove
            if groove:
                groove = groove.changed(hits=hand.measure(hand.loop))
            return hand.strand.changed(notes=None, groove=groove), "notes as they were"
        which = meant(self.which, len(notes), "note")
        chosen = set(which)
        if self.how == "remove":
            left = tuple(n for i, n in enumerate(notes) if i not in chosen)
            return self.with_notes(hand, left), f"remove {said(which)}"
        if self.how == "lengthen":
            out = lengthened(notes, chosen, self.beats)
        elif self.how == "strike":
            out = struck(notes, which, self.first, self.last)
        else:
            out = on_grid(notes, chosen, self.step, self.strength)
        return self.with_notes(hand, in_order(out)), f"{TREATED[self.how]} {said(which)}"


TREATED = {"lengthen": "length of", "strike": "velocity of", "grid": "quantize"}


def said(which: Which) -> str:
    return numbers(which, "note")

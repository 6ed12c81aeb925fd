"""What of a recording sounds: from where to where, which parts, and how its end meets its start."""

from zeroknot.core.apart.parts import LONGEST_SECONDS, Parts
from zeroknot.core.loop import Loop
from zeroknot.core.render.plan import lead_and_tail
from zeroknot.document.strand import Strand


def told_apart(strand: Strand, loop: Loop) -> Parts | None:
    """Which parts of it a person wants to hear; None where that is left to Auto."""
    if loop.is_midi or loop.seconds > LONGEST_SECONDS:
        return "whole"
    return None if strand.parts == "auto" else strand.parts


def sounding_of(strand: Strand, loop: Loop) -> tuple[float, float]:
    """Seconds of the recording from which the lead sounds, and to which the tail does."""
    # A note past the end belongs to another pass and is not played, and what was printed here rings
    # on for as long as it does: nothing ends the tail early.
    is_known = loop.is_midi or (loop.recipe is not None and loop.recipe.kind == "print")
    attacks = () if is_known else loop.hearing.attack_seconds()
    lead_from, tail_to = lead_and_tail(strand.warp, loop.hearing.sounding, attacks, strand.lead)
    return lead_from, strand.warp.end.second if crossfade_of(strand, loop) else tail_to


def crossfade_of(strand: Strand, loop: Loop) -> float:
    """Seconds of the recording over which a pass goes over into the next; notes have no seam."""
    return 0.0 if loop.is_midi else strand.crossfade_ms / 1000.0

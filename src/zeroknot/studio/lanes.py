"""Notes of a MIDI loop in beats: as its file has them, or as a person changed them."""

from zeroknot.core.notes.written import Laid, Score, in_beats
from zeroknot.document.strand import Strand


def notes_in_beats(strand: Strand, score: Score) -> Laid:
    """Notes of a strand where it lays them, without its groove.

    score  of its loop's file
    """
    return in_beats(strand.notes if strand.notes is not None else score.notes, strand.tied.warp)

"""What of a track's clips moves along the song? Lines that are read where a pass begins, or a
stroke of its slices, and hold until the next one.

A line says all of it: while there is one, what the strand says itself has no say.
"""

from dataclasses import dataclass, replace

from zeroknot.core.slicing.shape import HIGHEST_HZ, Shape
from zeroknot.document.desk import OF_PASSES, OF_STROKES
from zeroknot.document.lines import Points, value_on
from zeroknot.document.project import Track
from zeroknot.document.strand import Strand


@dataclass(frozen=True)
class Strokes:
    """What moves from stroke to stroke: cutoff in Hz, drive in dB; () where it does not.

    beat  of the song on which the round's one lies
    """

    cutoff: Points
    drive: Points
    beat: float = 0.0

    def shaped(self, shape: Shape, beat: float) -> Shape:
        """The shape of a stroke on a beat of the round."""
        at = self.beat + beat
        if self.cutoff:
            cutoff = value_on(self.cutoff, at, True)
            kind = "low" if shape.filter == "off" else shape.filter
            is_off = cutoff >= HIGHEST_HZ
            shape = replace(shape, filter="off" if is_off else kind, cutoff_hz=cutoff)
        if self.drive:
            shape = replace(shape, drive_db=value_on(self.drive, at, False))
        return shape


class Moving:
    """The lines of one track that its clips go by."""

    def __init__(self, track: Track):
        self.lines = tuple(one for one in track.lines if one.name in OF_PASSES | OF_STROKES)
        self._points = {line.name: line.points for line in self.lines}
        self._strands: dict[tuple[str, float | None, float | None], Strand] = {}

    def shift(self, beat: float) -> float:
        """Semitones that a pass is shifted besides."""
        points = self._points.get("shift_st")
        return value_on(points, beat, False) if points else 0.0

    def strand(self, strand: Strand, beat: float) -> Strand:
        """A strand as it is laid in a pass; the very same for the same amounts."""
        groove = self._amount("groove_share", beat) if strand.groove else None
        straight = self._amount("straight_share", beat) if strand.straighten else None
        if groove is None and straight is None:
            return strand
        key = strand.id, groove, straight
        if key not in self._strands:
            fields: dict[str, object] = {}
            if groove is not None and strand.groove:
                fields["groove"] = strand.groove.changed(timing=groove)
            if straight is not None and strand.straighten:
                fields["straighten"] = replace(strand.straighten, amount=straight)
            self._strands[key] = strand.changed(**fields)
        return self._strands[key]

    def strokes(self, beat: float) -> Strokes | None:
        """What strokes of a round go by whose one lies on a beat; None where nothing moves."""
        cutoff, drive = (self._points.get(name, ()) for name in OF_STROKES)
        return Strokes(cutoff, drive, beat) if cutoff or drive else None

    def _amount(self, name: str, beat: float) -> float | None:
        points = self._points.get(name)
        return round(value_on(points, beat, False), 4) if points else None

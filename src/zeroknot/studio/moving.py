"""What of a track's clips moves along the song? Lines that are read where a pass begins and hold
until the next one; those of slices' filter and drive go on within each stroke.

A line says all of it: while there is one, what the strand says itself has no say.
"""

import bisect
import itertools
import math
from dataclasses import dataclass, replace

from zeroknot.core.render.laying import BeatLine
from zeroknot.core.slicing.shape import HIGHEST_HZ, Shape
from zeroknot.document.desk import OF_PASSES, OF_STROKES
from zeroknot.document.lines import LEAST_BEND, Points, value_on
from zeroknot.document.project import Track
from zeroknot.document.strand import Strand

GRID_BEATS = 1 / 8  # on which a bent line is told
_SLACK = 1e-6


@dataclass(frozen=True)
class Strokes:
    """What moves along the strokes of slices: cutoff in Hz, drive in dB; () where it does not.

    beat    of the song on which the round's one lies
    turned  beats of a round that is played backwards; None where it runs forwards
    """

    cutoff: Points
    drive: Points
    beat: float = 0.0
    turned: float | None = None

    def moved(self, shape: Shape, beat: float, end: float) -> tuple[Shape, BeatLine, BeatLine]:
        """The shape of a stroke between two beats of the round, and what moves within it."""
        cutoff = self._line(self.cutoff, beat, end, True)
        drive = self._line(self.drive, beat, end, False)
        if cutoff:
            kind = "low" if shape.filter == "off" else shape.filter
            is_off = min(value for _, value in cutoff) >= math.log2(HIGHEST_HZ) - _SLACK
            hertz = value_on(self.cutoff, self._in_song(beat), True)
            shape = replace(shape, filter="off" if is_off else kind, cutoff_hz=hertz)
            cutoff = () if is_off or _is_level(cutoff) else cutoff
        if drive:
            shape = replace(shape, drive_db=value_on(self.drive, self._in_song(beat), False))
            drive = () if _is_level(drive) else drive
        return shape, cutoff, drive

    def _line(self, points: Points, beat: float, end: float, in_octaves: bool) -> BeatLine:
        """What of a line lies between two beats of the round, by those beats."""
        if not points:
            return ()
        first, last = sorted((self._in_song(beat), self._in_song(end)))
        begin = max(0, bisect.bisect_right(points, first, key=lambda p: p.beat) - 2)
        points = points[begin : bisect.bisect_left(points, last, key=lambda p: p.beat) + 1]
        inside = {p.beat for p in points if first < p.beat < last}
        if any(abs(p.bend) >= LEAST_BEND for p in points):
            steps = range(math.ceil(first / GRID_BEATS), math.floor(last / GRID_BEATS) + 1)
            inside |= {k * GRID_BEATS for k in steps}
        found: list[tuple[float, float]] = []
        for at in sorted(inside | {first, last}):
            before = next((p for p in reversed(points) if p.beat < at), None)
            if before and before.shape == "step" and at > first:
                found.append((at, before.value))  # it holds until there
            found.append((at, value_on(points, at, in_octaves)))
        if self.turned is not None:
            found.reverse()
        values = (math.log2(v) if in_octaves else v for _, v in found)
        beats = (self._in_round(at) for at, _ in found)
        return _without_middles(tuple(zip(beats, values, strict=True)))

    def _in_song(self, beat: float) -> float:
        return self.beat + (beat if self.turned is None else self.turned - beat)

    def _in_round(self, beat: float) -> float:
        return beat - self.beat if self.turned is None else self.turned - (beat - self.beat)


def _is_level(line: BeatLine) -> bool:
    return all(abs(value - line[0][1]) < _SLACK for _, value in line)


def _without_middles(line: BeatLine) -> BeatLine:
    """Without corners that lie on the straight line between their neighbours."""
    found = list(line[:1])
    for (at, value), (later, last) in itertools.pairwise((*line[1:], line[-1])):
        begun, first = found[-1]
        if at >= later or later <= begun:
            found.append((at, value))
            continue
        between = first + (last - first) * (at - begun) / (later - begun)
        if abs(between - value) > _SLACK:
            found.append((at, value))
    if len(line) > 1 and found[-1] != line[-1]:
        found.append(line[-1])
    return tuple(found)


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

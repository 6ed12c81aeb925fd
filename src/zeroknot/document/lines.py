"""Lines of what moves along the song: where they are, cut, moved and thinned.

Conventions
-----------
- Points rise in beats; what is in Hz goes by octaves from point to point.
- Part of a bent line is a line bent less: what is cut stays what it was.
"""

import itertools
import math
from collections.abc import Sequence

from zeroknot.document.desk import LinePoint

Points = tuple[LinePoint, ...]
LEAST_BEND = 0.01
LEAST_BEATS = 1 / 64  # over which a line goes to where it goes on from
MOST_TOGETHER = 256  # points that are thinned at once
_SLACK = 1e-6
# By how much a thinned line may be off, in the unit it moves in (octaves for Hz).
TOLERANCES = {"db": 0.05, "hz": 0.005, "ms": 0.5, "ratio": 0.05, "q": 0.02, "pan": 0.005}


def moved_share(share: float, bend: float) -> float:
    """How far along a line bent so is, of 0 to 1: float of 0 to 1."""
    if abs(bend) < LEAST_BEND:
        return share
    return math.expm1(bend * share) / math.expm1(bend)


def between(point: LinePoint, following: LinePoint, share: float, in_octaves: bool) -> float:
    """The value a share of the way from one point to the next."""
    if point.shape == "step":
        return point.value
    share = moved_share(share, point.bend)
    if in_octaves:
        return float(point.value * (following.value / point.value) ** share)
    return point.value + (following.value - point.value) * share


def value_on(points: Points, beat: float, in_octaves: bool) -> float:
    """Where a line is at a beat; level before its first point and after its last."""
    before = [p for p in points if p.beat <= beat]
    after = [p for p in points if p.beat > beat]
    if not before:
        return after[0].value
    if not after:
        return before[-1].value
    point, following = before[-1], after[0]
    share = (beat - point.beat) / (following.beat - point.beat)
    return between(point, following, share, in_octaves)


def cut_at(points: Points, beat: float, in_octaves: bool) -> Points:
    """The same line with a point there."""
    if not points or any(abs(p.beat - beat) <= _SLACK for p in points):
        return points
    before = [p for p in points if p.beat < beat]
    after = [p for p in points if p.beat > beat]
    value = value_on(points, beat, in_octaves)
    if not before or not after:
        return (*before, LinePoint(beat=beat, value=value), *after)
    point = before[-1]
    share = (beat - point.beat) / (after[0].beat - point.beat)
    before[-1] = point.changed(bend=point.bend * share)
    fresh = LinePoint(beat=beat, value=value, shape=point.shape, bend=point.bend * (1 - share))
    return (*before, fresh, *after)


def between_beats(points: Points, start: float, end: float, in_octaves: bool) -> Points:
    """What of a line lies between two beats, with a point on both."""
    cut = cut_at(cut_at(points, start, in_octaves), end, in_octaves)
    return tuple(p for p in cut if start - _SLACK <= p.beat <= end + _SLACK)


def without_between(points: Points, start: float, end: float, in_octaves: bool) -> Points:
    """The same line outside; between two beats it stays where it was at the first."""
    if not points:
        return points
    first, last = (value_on(points, beat, in_octaves) for beat in (start, end))
    held = [LinePoint(beat=start, value=first, shape="step")]
    return with_laid(points, tuple(held), start, end, in_octaves, goes_on=last)


def with_laid(
    points: Points,
    fresh: Points,
    start: float,
    end: float,
    in_octaves: bool,
    goes_on: float | None = None,
) -> Points:
    """A line in which other points take the place of what lay between two beats.

    fresh    rising, from the first of the beats on
    goes_on  from where it goes on after the last; where it was there by itself
    """
    rest = cut_at(cut_at(points, start, in_octaves), end, in_octaves)
    before = [p for p in rest if p.beat < start - _SLACK]
    after = [p for p in rest if p.beat > end + _SLACK]
    if before and start - before[-1].beat > _SLACK and before[-1].shape == "line":
        # Up to there it goes where it went.
        was = value_on(points, start, in_octaves)
        if abs(was - fresh[0].value) > _SLACK and start - LEAST_BEATS > before[-1].beat:
            before.append(LinePoint(beat=start - LEAST_BEATS, value=was, shape="step"))
    laid = [*fresh[:-1], fresh[-1].changed(shape="step")]
    if not after or end + LEAST_BEATS < after[0].beat:
        was = value_on(points, end, in_octaves) if goes_on is None else goes_on
        edge = next((p for p in rest if abs(p.beat - end) <= _SLACK), None)
        shape, bend = (edge.shape, edge.bend) if edge else ("line", 0.0)
        after.insert(0, LinePoint(beat=end + LEAST_BEATS, value=was, shape=shape, bend=bend))
    return (*before, *laid, *after)


def with_bars_put_in(points: Points, at: float, beats: float, in_octaves: bool) -> Points:
    """All that comes later moves by so many beats; meanwhile it stays where it was."""
    if not points or points[-1].beat <= at:
        return points
    cut = cut_at(points, at, in_octaves)
    before = [p for p in cut if p.beat < at - _SLACK]
    after = [p.changed(beat=p.beat + beats) for p in cut if p.beat >= at - _SLACK]
    held = LinePoint(beat=at, value=value_on(points, at, in_octaves))
    return (*before, held, *after) if before or at > 0 else tuple(after)


def with_bars_taken_out(points: Points, start: float, end: float, in_octaves: bool) -> Points:
    """What lies between goes; all that comes later moves up."""
    if not points or points[-1].beat <= start:
        return points
    cut = cut_at(cut_at(points, start, in_octaves), end, in_octaves)
    before = [p for p in cut if p.beat < start - _SLACK]
    after = [p.changed(beat=p.beat - end + start) for p in cut if p.beat >= end - _SLACK]
    # Up to where it was cut off it goes as it went, and goes on from there.
    last = next(p for p in cut if abs(p.beat - start) <= _SLACK)
    jumps = before and after and abs(last.value - after[0].value) > _SLACK
    if jumps and start - LEAST_BEATS > before[-1].beat:
        before.append(last.changed(beat=start - LEAST_BEATS, shape="step", bend=0.0))
    return (*before, *after)


def with_bars_repeated(points: Points, start: float, end: float, in_octaves: bool) -> Points:
    """What lies between comes twice; all that comes later moves."""
    if not points or points[-1].beat <= start:
        return points
    cut = cut_at(cut_at(points, start, in_octaves), end, in_octaves)
    by = end - start
    twice = [p for p in cut if start - _SLACK <= p.beat < end - _SLACK]
    before = [p for p in cut if p.beat < start - _SLACK]
    after = [p.changed(beat=p.beat + by) for p in cut if p.beat >= end - _SLACK]
    return (*before, *twice, *(p.changed(beat=p.beat + by) for p in twice), *after)


def thinned(
    points: Sequence[tuple[float, float]], tolerance: float, in_octaves: bool
) -> list[tuple[float, float]]:
    """As few of the points as lead to a line that is nowhere farther off than that.

    points  (beat, value), rising
    (Ramer 1972; Douglas and Peucker 1973: the farthest one stays, and so on between.)
    """
    values = [math.log2(v) if in_octaves else v for _, v in points]
    last = len(points) - 1
    # By so many at most, for it takes their square where each is another.
    edges = [*range(0, last, MOST_TOGETHER), last]
    kept, spans = set(edges), list(itertools.pairwise(edges))
    while spans:
        a, b = spans.pop()
        way = points[b][0] - points[a][0]
        farthest, most = 0, tolerance
        for i in range(a + 1, b):
            share = (points[i][0] - points[a][0]) / way
            off = abs(values[i] - values[a] - (values[b] - values[a]) * share)
            if off > most:
                farthest, most = i, off
        if farthest:
            kept.add(farthest)
            spans += [(a, farthest), (farthest, b)]
    return [points[i] for i in sorted(kept)]

"""What becomes of a loop's hits when a groove is laid over it?

Conventions
-----------
- The layer lies over a warp map (base knots, straightened): every hit's beat is what that map
  gives, so what changes below, or an amount, is always computed anew, never from a result.
- Each hit has a knot of its own; what lies between moves with its neighbours. The one and the end
  stay.
"""

import itertools
from dataclasses import dataclass, replace

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.groove import REACH, Groove
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import CLOSEST_SECONDS, WarpMap

TOGETHER_SECONDS = 0.045  # hits that follow so soon are a roll or a flam: they move as one
MOST_PULL = 4.0  # times the gap between two hits may become as long or short
Hit = tuple[float, float]  # second of the recording, strength 0…1


@dataclass(frozen=True)
class Moved:
    """One hit, before and after.

    second  of the recording
    before, after  beats
    target  where the groove has it, wholly; None where it belongs to no step
    held    it was to go farther, and a neighbour stood in its way
    """

    second: float
    before: float
    after: float
    target: float | None
    held: bool = False


@dataclass(frozen=True)
class GrooveLayer:
    """groove  by value
    hits    (second, strength) of the recording, rising
    timing  0…1: how much of the way to the groove
    reach   share of a step within which a hit belongs to it
    """

    groove: Groove
    hits: tuple[Hit, ...]
    timing: float = 1.0
    reach: float = REACH

    def __post_init__(self) -> None:
        if not 0.0 <= self.timing <= 1.0:
            raise GrooveError(f"a timing of {100 * self.timing:g} % is outside 0 to 100 %")
        if not 0.0 < self.reach <= 0.5:
            raise GrooveError(f"a reach of {100 * self.reach:g} % of a step is outside 0 to 50 %")

    def over(self, below: WarpMap) -> WarpMap:
        """The map with every hit where it goes. At no timing it is the map below itself."""
        if self.timing == 0.0:
            return below
        first, last = below.zero.second + CLOSEST_SECONDS, below.end.second - CLOSEST_SECONDS
        moved: list[Moved] = []
        for move in self.moves(below):
            # Of two that are nearer than knots may be, both move with the first.
            is_apart = not moved or move.second - moved[-1].second >= CLOSEST_SECONDS
            if first <= move.second <= last and is_apart:
                moved.append(move)
        knots = {m.second: m.after for m in moved}
        if not knots:
            return below
        # What was tied below goes along with the hits around it.
        points = sorted([(m.before, m.after) for m in moved])
        for knot in below.knots:
            if all(abs(knot.second - second) >= CLOSEST_SECONDS for second in knots):
                knots[knot.second] = _along(points, knot.beat, below.span)
        return WarpMap(tuple(Knot(second, knots[second]) for second in sorted(knots)))

    def moves(self, below: WarpMap) -> list[Moved]:
        """Every hit of the pass, in order."""
        zero, end = below.zero.second, below.end.second
        inside = [h for h in self.hits if zero - CLOSEST_SECONDS <= h[0] < end - CLOSEST_SECONDS]
        wanted = [m for group in _together(inside) for m in self._wanted(group, below)]
        return _kept_apart(wanted, below)

    def _wanted(self, group: list[Hit], below: WarpMap) -> list[Moved]:
        """A hit, or a roll whose strongest leads, where the groove has it."""
        lead = below.beat_of_second(max(group, key=lambda hit: hit[1])[0])
        target = self.groove.target_of(lead, self.reach)
        by = 0.0 if target is None else self.timing * (target - lead)
        found = []
        for second, _ in group:
            beat = below.beat_of_second(second)
            whole = None if target is None else beat + target - lead
            found.append(Moved(second, beat, beat + by, whole))
        return found


def _together(hits: list[Hit]) -> list[list[Hit]]:
    groups: list[list[Hit]] = []
    for hit in hits:
        if groups and hit[0] - groups[-1][-1][0] < TOGETHER_SECONDS:
            groups[-1].append(hit)
        else:
            groups.append([hit])
    return groups


def _kept_apart(moves: list[Moved], below: WarpMap) -> list[Moved]:
    """None passes its neighbour or pulls the gap between them too far: there it stops."""
    found: list[Moved] = []
    fixed = [(0.0, 0.0), (below.span, below.span)]
    for move in moves:
        if move.second <= below.zero.second + CLOSEST_SECONDS:
            found.append(replace(move, after=move.before, held=move.after != move.before))
            continue
        was, now = (found[-1].before, found[-1].after) if found else fixed[0]
        if found and found[-1].before <= 0.0:
            was, now = fixed[0]
        gap = move.before - was
        least, most = now + gap / MOST_PULL, now + gap * MOST_PULL
        after = min(max(move.after, least), most)
        found.append(replace(move, after=after, held=abs(after - move.after) > 1e-9))
    # Back from the end: what is too near to what follows gives way.
    was, now = fixed[1]
    for i in range(len(found) - 1, -1, -1):
        move = found[i]
        gap = was - move.before
        after = min(max(move.after, now - gap * MOST_PULL), now - gap / MOST_PULL)
        if move.second > below.zero.second + CLOSEST_SECONDS and after != move.after:
            found[i] = replace(move, after=after, held=True)
        was, now = found[i].before, found[i].after
    return found


def _along(points: list[tuple[float, float]], beat: float, span: float) -> float:
    """Where a beat goes that lies between hits; before the one and after the end it stays."""
    if not 0.0 < beat < span:
        return beat
    inner = [p for p in points if 0.0 < p[0] < span]
    rising = [(0.0, 0.0), *inner, (span, span)]
    for (a, to_a), (b, to_b) in itertools.pairwise(rising):
        if a <= beat <= b:
            return to_a + (beat - a) * (to_b - to_a) / (b - a)
    return beat

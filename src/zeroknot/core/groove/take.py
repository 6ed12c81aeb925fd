"""What is the groove of what was played? Its hits, gathered on the steps of a grid.

Conventions
-----------
- Hits are (beat, strength 0…1) from the downbeat on; a hit leans on the nearest step within reach.
- Where many hits fall on a step, the strong ones say more.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.groove import GRIDS, REACH, Groove, Step

Played = tuple[float, float]  # beat, strength 0…1

# A finer grid is nearer to anything: it has to explain the hits so much better for each doubling.
FINER_COSTS = 0.55
NEAREST_BEATS = 0.004  # hits are heard no more exactly than this: 2.5 ms at 96


@dataclass(frozen=True)
class Explained:
    """A grid that may be meant.

    error_beats  root mean square of how far hits are from its steps
    left_out     share of the hits' strength that belongs to no step
    """

    per_beat: int
    error_beats: float
    left_out: float

    @property
    def cost(self) -> float:
        """The lower, the likelier: log2 of its error, and what its fineness costs."""
        error = math.hypot(self.error_beats, NEAREST_BEATS) * (1.0 + 2.0 * self.left_out)
        return math.log2(error) + FINER_COSTS * math.log2(self.per_beat)


def grids_of(hits: Sequence[Played]) -> list[Explained]:
    """Which grids explain hits, the likeliest first."""
    if not hits:
        raise GrooveError("no hits were heard here that a groove could be taken from")
    return sorted((_explained(hits, n) for n in GRIDS), key=lambda e: e.cost)


def taken(hits: Iterable[Played], per_beat: int, beats: float, folded: float = 0.0) -> Groove:
    """The groove of hits over so many beats.

    beats   of the stretch that it is taken from
    folded  beats that it is folded to, which `beats` is a whole number of times; 0 keeps it whole
    Raises GrooveError where no hit lies on a step.
    """
    whole = folded or beats
    count = round(whole * per_beat)
    if count < 1 or abs(beats / whole - round(beats / whole)) > 1e-6:
        raise GrooveError(f"{beats:g} beats cannot be folded to {whole:g}")
    found: list[list[tuple[float, float]]] = [[] for _ in range(count)]
    for beat, strength in hits:
        place = beat * per_beat
        number = math.floor(place + 0.5)
        if -0.5 <= place < beats * per_beat - 0.5 + REACH and abs(place - number) <= REACH:
            found[number % count].append((place - number, max(strength, 0.01)))
    if not any(found):
        raise GrooveError("no hit lies near enough to a step of that grid")
    return Groove(per_beat, tuple(_step(offsets) for offsets in found))


def _step(offsets: list[tuple[float, float]]) -> Step:
    if not offsets:
        return Step(hits=0)
    weight = sum(w for _, w in offsets)
    mean = sum(o * w for o, w in offsets) / weight
    spread = math.sqrt(sum(w * (o - mean) ** 2 for o, w in offsets) / weight)
    return Step(mean, spread, len(offsets))


def _explained(hits: Sequence[Played], per_beat: int) -> Explained:
    """A swung pair is one step late on the odd ones: what repeats is no error."""
    total = sum(strength for _, strength in hits) or 1.0
    sides: tuple[list[tuple[float, float]], list[tuple[float, float]]] = ([], [])
    left = 0.0
    for beat, strength in hits:
        place = beat * per_beat
        number = math.floor(place + 0.5)
        if abs(place - number) > REACH:
            left += strength
        else:
            sides[number % 2].append((place - number, strength))
    error = sum(_step(side).spread ** 2 * sum(w for _, w in side) for side in sides)
    kept = max(total - left, 1e-9)
    return Explained(per_beat, math.sqrt(error / kept) / per_beat, left / total)

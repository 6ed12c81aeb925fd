"""What is the groove of what was played? Its hits, gathered on the steps of a grid.

Conventions
-----------
- A hit leans on the nearest step within reach; where many fall on one, the strong ones say more.
- Ghosts and the lesser parts of flams say nothing of a step that a full hit falls on.
"""

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.groove import GRIDS, MOST_ACCENT_DB, REACH, Groove, Played, Step, Steps
from zeroknot.core.groove.hit import (
    GHOST_DB,
    REGISTERS,
    Hit,
    Register,
    leader,
    mean_levels,
    rolls,
)
from zeroknot.core.warp.warp_map import WarpMap

# A finer grid is nearer to anything: it has to explain the hits so much better for each doubling.
FINER_COSTS = 0.55
NEAREST_BEATS = 0.004  # hits are heard no more exactly than this: 2.5 ms at 96
EARLIEST_BEATS = 0.25  # what lies so little before the downbeat may be early on it


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


def played_of(
    hits: Sequence[Hit], warp: WarpMap, first_beat: float, beats: float
) -> tuple[Played, ...]:
    """Hits of a stretch of a loop as a groove is taken from them.

    hits   rising
    warp   by which they lie
    first_beat, beats  of the stretch, from its downbeat on
    """
    inside = [
        hit for hit in hits
        if -EARLIEST_BEATS <= warp.beat_of_second(hit.second) - first_beat < beats
    ]  # fmt: skip
    means = mean_levels(inside)
    found = []
    for roll in rolls(inside):
        lead = leader(roll)
        for hit in roll:
            accent = hit.level_db - means[hit.register]
            leans = hit is not lead or accent < GHOST_DB
            beat = warp.beat_of_second(hit.second) - first_beat
            found.append(Played(beat, max(hit.strength, 0.01), hit.register, accent, leans))
    return tuple(found)


def merged(parts: Iterable[Iterable[Played]]) -> tuple[Played, ...]:
    """What several loops play, as one, in order."""
    return tuple(sorted(itertools.chain.from_iterable(parts)))


def grids_of(played: Sequence[Played]) -> list[Explained]:
    """Which grids explain hits, the likeliest first."""
    full = [hit for hit in played if not hit.leans] or list(played)
    if not full:
        raise GrooveError("no hits were heard here that a groove could be taken from")
    return sorted((_explained(full, n) for n in GRIDS), key=lambda e: e.cost)


def taken(
    played: Sequence[Played], per_beat: int, beats: float, folded: float = 0.0,
    registers: Sequence[Register] = REGISTERS, name: str = "", origin: str = "",
) -> Groove:  # fmt: skip
    """The groove of hits over so many beats.

    beats      of the stretch that it is taken from
    folded     beats that it is folded to, which `beats` is a whole number of times; 0 keeps it
    registers  that are taken; hits of the others are left
    Raises GrooveError where no hit lies on a step.
    """
    whole = folded or beats
    count = round(whole * per_beat)
    if count < 1 or abs(beats / whole - round(beats / whole)) > 1e-6:
        raise GrooveError(f"{beats:g} beats cannot be folded to {whole:g}")
    kept = tuple(hit for hit in played if hit.register in registers)
    last = beats * per_beat - 0.5

    def gathered(of: Iterable[Played]) -> Steps:
        found: list[list[tuple[float, Played]]] = [[] for _ in range(count)]
        for hit in of:
            place = hit.beat * per_beat
            number = math.floor(place + 0.5)
            if -0.5 <= place < last and abs(place - number) <= REACH:
                found[number % count].append((place - number, hit))
        return tuple(_step(hits) for hits in found)

    steps = gathered(kept)
    if not any(step.hits for step in steps):
        raise GrooveError("no hit lies near enough to a step of that grid")
    rows = {r: gathered(h for h in kept if h.register == r) for r in registers}
    told = {r: row for r, row in rows.items() if any(step.hits for step in row)}
    return Groove(name, per_beat, steps, origin=origin, played=kept).with_rows(told)


def _step(near: list[tuple[float, Played]]) -> Step:
    full = [(offset, hit) for offset, hit in near if not hit.leans] or near
    if not full:
        return Step(hits=0)
    weight = sum(hit.weight for _, hit in full)
    mean = sum(offset * hit.weight for offset, hit in full) / weight
    accent = sum(hit.accent_db * hit.weight for _, hit in full) / weight
    accent = min(max(accent, -MOST_ACCENT_DB), MOST_ACCENT_DB)
    spread = math.sqrt(sum(hit.weight * (offset - mean) ** 2 for offset, hit in full) / weight)
    return Step(mean, accent, spread, len(full))


def _explained(played: Sequence[Played], per_beat: int) -> Explained:
    """A swung pair is one step late on the odd ones: what repeats is no error."""
    total = sum(hit.weight for hit in played)
    sides: tuple[list[tuple[float, Played]], list[tuple[float, Played]]] = ([], [])
    left = 0.0
    for hit in played:
        place = hit.beat * per_beat
        number = math.floor(place + 0.5)
        if abs(place - number) > REACH:
            left += hit.weight
        else:
            sides[number % 2].append((place - number, hit))
    error = sum(_step(side).spread ** 2 * sum(h.weight for _, h in side) for side in sides)
    kept = max(total - left, 1e-9)
    return Explained(per_beat, math.sqrt(error / kept) / per_beat, left / total)

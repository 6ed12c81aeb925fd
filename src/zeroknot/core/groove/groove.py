"""What is a groove? For each step of a grid, how far off it is played.

Conventions
-----------
- A step is an even part of a quarter note; a groove repeats over and over from beat 0.
- An offset is a share of a step, later above 0: what it comes to in ms is the tempo's.
"""

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass

from zeroknot.core.errors import GrooveError

REACH = 0.4  # of a step: what lies farther from every step belongs to none
LOWEST_SWING, HIGHEST_SWING = 50.0, 75.0
# Even parts of a quarter note: eighths to thirty-seconds, triplets of each, fives and sevens.
GRIDS = {
    2: "8ths", 4: "16ths", 8: "32nds", 3: "8th triplets", 6: "16th triplets",
    12: "32nd triplets", 5: "quintuplets", 7: "septuplets",
}  # fmt: skip
MOST_STEPS = 16 * 12 * 12  # sixteen bars of twelve quarters in the finest grid


@dataclass(frozen=True)
class Step:
    """offset   share of a step, later above 0
    spread   of the hits it was taken from, share of a step
    hits     that it was taken from; a step of none says nothing
    """

    offset: float = 0.0
    spread: float = 0.0
    hits: int = 1

    def __post_init__(self) -> None:
        if not abs(self.offset) <= 1.0 or not 0.0 <= self.spread <= 1.0 or self.hits < 0:
            raise GrooveError("a step is played at most one step early or late")


@dataclass(frozen=True)
class Groove:
    """per_beat  steps a quarter note: one of GRIDS
    steps     from beat 0 on, over and over
    """

    per_beat: int
    steps: tuple[Step, ...]

    def __post_init__(self) -> None:
        if self.per_beat not in GRIDS:
            known = ", ".join(GRIDS.values())
            raise GrooveError(f"{self.per_beat} steps a beat are no grid here; choose from {known}")
        if not 0 < len(self.steps) <= MOST_STEPS:
            raise GrooveError(f"a groove has 1 to {MOST_STEPS} steps")
        places = [i + step.offset for i, step in enumerate((*self.steps, self.steps[0]))]
        if any(b <= a for a, b in itertools.pairwise(places)):
            raise GrooveError("each step of a groove comes after the one before")

    @property
    def beats(self) -> float:
        """Quarter notes until it begins again."""
        return len(self.steps) / self.per_beat

    def step_at(self, number: int) -> Step:
        """The step of that number, counted from beat 0 on without an end."""
        return self.steps[number % len(self.steps)]

    def target_of(self, beat: float, reach: float = REACH) -> float | None:
        """The beat at which what lies on a beat is to be; None where it belongs to no step.

        reach  share of a step within which it belongs to one
        """
        place = beat * self.per_beat
        number = math.floor(place + 0.5)
        step = self.step_at(number)
        if step.hits == 0 or abs(place - number) > reach:
            return None
        return (number + step.offset) / self.per_beat


def even(per_beat: int) -> Groove:
    """Every step where the grid has it: to apply it is to quantize."""
    return Groove(per_beat, (Step(),))


def swing(percent: float, per_beat: int) -> Groove:
    """Pairs of steps whose first takes so many percent of both.

    50 is even, 66.7 a triplet. Raises GrooveError outside 50 to 75.
    """
    if not LOWEST_SWING <= percent <= HIGHEST_SWING:
        raise GrooveError(f"a swing of {percent:g} % is outside 50 to 75 %")
    return Groove(per_beat, (Step(), Step(offset=percent / 50.0 - 1.0)))


def swing_ratio(groove: Groove) -> float:
    """How many times as long the first of each pair of steps is as the second, on the whole."""
    number = len(groove.steps) + len(groove.steps) % 2
    firsts = [_gap(groove, i) for i in range(0, number, 2)]
    seconds = [_gap(groove, i) for i in range(1, number, 2)]
    return sum(firsts) / sum(seconds)


def mixed(one: Groove, other: Groove, share: float) -> Groove:
    """Between two grooves of one grid: 0 is the one, 1 the other. Raises GrooveError for others."""
    if one.per_beat != other.per_beat:
        raise GrooveError("only grooves of one grid can be mixed")
    count = math.lcm(len(one.steps), len(other.steps))

    def between(a: Step, b: Step) -> Step:
        def of(value: Callable[[Step], float]) -> float:
            if not a.hits or not b.hits:  # where one says nothing the other does
                return value(b if not a.hits else a)
            return (1.0 - share) * value(a) + share * value(b)

        return Step(of(lambda s: s.offset), of(lambda s: s.spread), max(a.hits, b.hits))

    return Groove(
        one.per_beat, tuple(between(one.step_at(i), other.step_at(i)) for i in range(count))
    )


def _gap(groove: Groove, number: int) -> float:
    return 1.0 + groove.step_at(number + 1).offset - groove.step_at(number).offset

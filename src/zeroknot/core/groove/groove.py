"""What is a groove? For each step of a grid, how far off it is played, and how loud.

Conventions
-----------
- A step is an even part of a quarter note; a groove repeats over and over from beat 0.
- An offset is a share of a step, later above 0: what it comes to in ms is the tempo's.
- An accent is dB against the mean of the loop's hits of the same register.
- `steps` are all hits together; `low`, `middle` and `high` those of a register alone, empty where
  they were not told apart. Where a register has no hit on a step, the steps of all say it.
"""

import itertools
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.hit import REGISTERS, Register

REACH = 0.4  # of a step: what lies farther from every step belongs to none
MOST_ACCENT_DB = 12.0
LOWEST_SWING, HIGHEST_SWING = 50.0, 75.0
# Even parts of a quarter note: eighths to thirty-seconds, triplets of each, fives and sevens.
GRIDS = {
    2: "8ths", 4: "16ths", 8: "32nds", 3: "8th triplets", 6: "16th triplets",
    12: "32nd triplets", 5: "quintuplets", 7: "septuplets",
}  # fmt: skip
MOST_BEATS = 16 * 12
MOST_STEPS = MOST_BEATS * 12  # sixteen bars of twelve quarters in the finest grid
LONGEST_NAME = 300
MOST_PLAYED = 20_000


class Target(NamedTuple):
    """Where a groove has a hit.

    beat
    accent_db  against the mean of its register
    step       beat of the grid that it belongs to
    per_beat   steps a quarter note of that grid
    """

    beat: float
    accent_db: float
    step: float
    per_beat: int


class Strike(NamedTuple):
    """What a groove plays by itself: a beat, how loud, in which register."""

    beat: float
    accent_db: float
    register: Register


class Played(NamedTuple):
    """A hit that a groove was taken from.

    beat       of the groove, from its downbeat on
    weight     0…1
    accent_db  against the mean of its register
    leans      on another hit: a ghost, or a part of a flam
    doubt      standard error of the beat; 0 where it is known
    sureness   0…1, how sure it is that it is a hit
    """

    beat: float
    weight: float
    register: Register
    accent_db: float
    leans: bool = False
    doubt: float = 0.0
    sureness: float = 1.0


@dataclass(frozen=True)
class Step:
    """offset     share of a step, later above 0
    accent_db  against the mean of the register
    spread     of the hits it was taken from, share of a step
    hits       that it was taken from; a step of none says nothing
    """

    offset: float = 0.0
    accent_db: float = 0.0
    spread: float = 0.0
    hits: int = 1

    def __post_init__(self) -> None:
        if not abs(self.offset) <= 1.0 or not 0.0 <= self.spread <= 1.0 or self.hits < 0:
            raise GrooveError("a step is played at most one step early or late")
        if not abs(self.accent_db) <= MOST_ACCENT_DB:
            raise GrooveError(f"an accent is at most {MOST_ACCENT_DB:g} dB")


Steps = tuple[Step, ...]


@dataclass(frozen=True)
class Groove:
    """name      as a person calls it
    per_beat  steps a quarter note: one of GRIDS
    steps     from beat 0 on, over and over
    low, middle, high  the same number of steps each, or none
    origin    where it comes from, in words
    played    hits that it was taken from
    """

    name: str
    per_beat: int
    steps: Steps
    low: Steps = ()
    middle: Steps = ()
    high: Steps = ()
    origin: str = ""
    played: tuple[Played, ...] = ()

    def __post_init__(self) -> None:
        if self.per_beat not in GRIDS:
            known = ", ".join(GRIDS.values())
            raise GrooveError(f"{self.per_beat} steps a beat are no grid here; choose from {known}")
        if not 0 < len(self.steps) <= MOST_STEPS:
            raise GrooveError(f"a groove has 1 to {MOST_STEPS} steps")
        if len(self.name) > LONGEST_NAME or len(self.origin) > LONGEST_NAME:
            raise GrooveError(f"a name has at most {LONGEST_NAME} letters")
        if len(self.played) > MOST_PLAYED:
            raise GrooveError(f"a groove is taken from at most {MOST_PLAYED} hits")
        for steps in (self.steps, self.low, self.middle, self.high):
            if steps and len(steps) != len(self.steps):
                raise GrooveError("every register of a groove has the same steps")
            places = [i + step.offset for i, step in enumerate((*steps, *steps[:1]))]
            if any(b <= a for a, b in itertools.pairwise(places)):
                raise GrooveError("each step of a groove comes after the one before")

    @property
    def beats(self) -> float:
        """Quarter notes until it begins again."""
        return len(self.steps) / self.per_beat

    @property
    def registers(self) -> tuple[Register, ...]:
        """Those that were told apart."""
        return tuple(r for r in REGISTERS if self.of(r))

    def of(self, register: Register | None) -> Steps:
        """Steps of a register, of all together for None."""
        if register is None:
            return self.steps
        return {"low": self.low, "middle": self.middle, "high": self.high}[register]

    def with_rows(self, rows: Mapping[Register, Steps]) -> "Groove":
        """The same with the steps of registers that are given."""
        low, middle, high = (rows.get(r, self.of(r)) for r in REGISTERS)
        return replace(self, low=low, middle=middle, high=high)

    def step_at(self, number: int, register: Register | None = None) -> Step:
        """The step of that number, counted from beat 0 on without an end."""
        number %= len(self.steps)
        own = self.of(register)
        return own[number] if own and own[number].hits else self.steps[number]

    def target_of(
        self, beat: float, register: Register | None = None, reach: float = REACH
    ) -> Target | None:
        """Where what lies on a beat is to be; None where it belongs to no step.

        register  whose steps count; those of all together for None
        reach     share of a step within which it belongs to one
        """
        place = beat * self.per_beat
        number = math.floor(place + 0.5)
        step = self.step_at(number, register)
        if step.hits == 0 or abs(place - number) > reach:
            return None
        return Target(
            (number + step.offset) / self.per_beat, step.accent_db, number / self.per_beat,
            self.per_beat,
        )  # fmt: skip

    def strikes(self, first: float, last: float) -> Iterator[Strike]:
        """What it plays between two beats, as it is heard; all together are struck high."""
        rows: list[tuple[Register, Steps]] = [(r, self.of(r)) for r in self.registers]
        rows = rows or [("high", self.steps)]
        begin = math.floor(first * self.per_beat) - 1
        end = math.ceil(last * self.per_beat) + 1
        for number in range(begin, end + 1):
            for register, row in rows:
                step = row[number % len(row)]
                beat = (number + step.offset) / self.per_beat
                if step.hits and first <= beat < last:
                    yield Strike(beat, step.accent_db, register)


def even(per_beat: int) -> Groove:
    """Every step where the grid has it: to apply it is to quantize."""
    return Groove("Even", per_beat, (Step(),), origin=GRIDS.get(per_beat, ""))


def swing(percent: float, per_beat: int) -> Groove:
    """Pairs of steps whose first takes so many percent of both.

    50 is even, 66.7 a triplet. Raises GrooveError outside 50 to 75.
    """
    if not LOWEST_SWING <= percent <= HIGHEST_SWING:
        raise GrooveError(f"a swing of {percent:g} % is outside 50 to 75 %")
    steps = (Step(), Step(offset=percent / 50.0 - 1.0))
    return Groove(f"Swing {percent:g} %", per_beat, steps, origin=GRIDS.get(per_beat, ""))


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
    if not 0.0 <= share <= 1.0:
        raise GrooveError("two grooves are mixed by a share of 0 to 100 %")
    count = math.lcm(len(one.steps), len(other.steps))
    if count > MOST_STEPS:
        raise GrooveError("these two come together too seldom to be mixed")

    def along(register: Register | None) -> Steps:
        if register and not (one.of(register) or other.of(register)):
            return ()
        pairs = ((one.step_at(i, register), other.step_at(i, register)) for i in range(count))
        return tuple(_between(a, b, share) for a, b in pairs)

    name = f"{one.name} to {other.name}, {100 * share:.0f} %"[:LONGEST_NAME]
    made = Groove(name, one.per_beat, along(None), origin="mixed")
    return made.with_rows({register: along(register) for register in REGISTERS})


def _between(a: Step, b: Step, share: float) -> Step:
    if not a.hits or not b.hits:  # where one says nothing the other does
        return b if not a.hits else a

    def of(value: Callable[[Step], float]) -> float:
        return (1.0 - share) * value(a) + share * value(b)

    return Step(
        of(lambda s: s.offset), of(lambda s: s.accent_db), of(lambda s: s.spread),
        max(a.hits, b.hits),
    )  # fmt: skip


class Apart(NamedTuple):
    """How far two grooves are from one another, root mean square over their steps."""

    ms: float
    db: float


def apart(one: Groove, other: Groove, bpm: float) -> Apart | None:
    """How far apart two grooves lie at a tempo, where both say something; None where nowhere."""
    finer = max(one, other, key=lambda g: g.per_beat)
    coarser = other if finer is one else one
    count = round(math.lcm(round(one.beats * 420), round(other.beats * 420)) / 420 * finer.per_beat)
    times, levels = [], []
    for number in range(min(count, MOST_STEPS)):
        step = finer.step_at(number)
        target = coarser.target_of(number / finer.per_beat, reach=1e-6)
        if step.hits and target:
            beat = (number + step.offset) / finer.per_beat
            times.append((beat - target.beat) * 60_000.0 / bpm)
            levels.append(step.accent_db - target.accent_db)
    return Apart(_rms(times), _rms(levels)) if times else None


def with_step(
    groove: Groove, number: int, register: Register | None, offset: float, accent_db: float
) -> Groove:
    """The groove with one step drawn by hand; the hits it was taken from no longer tell it."""
    own = groove.of(register) or groove.steps
    if not 0 <= number < len(own):
        raise GrooveError(f"this groove has no step {number + 1}")
    step = replace(own[number], offset=offset, accent_db=accent_db, hits=max(1, own[number].hits))
    steps = (*own[:number], step, *own[number + 1 :])
    drawn = replace(groove, played=())
    return replace(drawn, steps=steps) if register is None else drawn.with_rows({register: steps})


def _rms(values: Sequence[float]) -> float:
    return math.sqrt(sum(v * v for v in values) / len(values))


def _gap(groove: Groove, number: int) -> float:
    return 1.0 + groove.step_at(number + 1).offset - groove.step_at(number).offset

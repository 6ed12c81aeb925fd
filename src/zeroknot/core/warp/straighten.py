"""Where would the beats of a performance lie if it had kept time?

Conventions
-----------
- A tie takes a moment of the recording from where it lies to where it belongs, in beats.
- The amount (0…1) says how much of the way every tie goes: it can be turned down later, because
  both ends of the way are kept.
- The zero knot and the end knot are never ties; what was tied by hand, or fastened, stays.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import KnotError
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import CLOSEST_BEATS, CLOSEST_SECONDS, WarpMap

CLOSEST_TIE_SECONDS = 0.02
MOST_PULL = 2.0  # a stretch between ties may change by so much; more is a beat that was misheard

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Tie:
    """second     of the recording
    from_beat  where it lies by the base knots
    to_beat    where it belongs
    """

    second: float
    from_beat: float
    to_beat: float

    def beat(self, amount: float) -> float:
        """Its beat where the layer holds by an amount of 0 to 1."""
        return self.from_beat + amount * (self.to_beat - self.from_beat)


@dataclass(frozen=True)
class Straighten:
    """A layer over the base knots.

    ties    rising in seconds and in both beats
    every   pulses from tie to tie
    amount  0…1
    """

    ties: tuple[Tie, ...]
    every: int
    amount: float = 1.0

    def __post_init__(self) -> None:
        if not 0.0 <= self.amount <= 1.0:
            raise KnotError(f"an amount of {100 * self.amount:g} % is outside 0 to 100 %")
        if self.every < 1:
            raise KnotError(f"beats are tied every so many, not every {self.every}")

    @property
    def knots(self) -> tuple[Knot, ...]:
        """Its ties as knots, at its amount."""
        return tuple(Knot(t.second, t.beat(self.amount)) for t in self.ties)

    def rescaled(self, before: WarpMap, after: WarpMap) -> "Straighten":
        """The same ties after the base was read or laid anew: each keeps its share.

        One that would leave the pass is none of it.
        """
        zero, end = after.zero.second, after.end.second
        origin = before.beat_of_second(zero)
        scale = after.span / (before.beat_of_second(end) - origin)
        ties = (
            Tie(t.second, (t.from_beat - origin) * scale, (t.to_beat - origin) * scale)
            for t in self.ties
            if zero + CLOSEST_SECONDS < t.second < end - CLOSEST_SECONDS
        )
        least, most = CLOSEST_BEATS, after.span - CLOSEST_BEATS
        inside = (t for t in ties if all(least < b < most for b in (t.from_beat, t.to_beat)))
        return replace(self, ties=tuple(inside))

    def without(self, seconds: Iterable[float]) -> "Straighten":
        """The layer without its ties at these seconds of the recording."""
        gone = set(seconds)
        return replace(self, ties=tuple(t for t in self.ties if t.second not in gone))


def with_layer(base: WarpMap, layer: Straighten | None) -> WarpMap:
    """Base knots and ties together. Raises KnotError where they would cross."""
    if layer is None or not layer.ties:
        return base
    return WarpMap(tuple(sorted((*base.knots, *layer.knots))))


@dataclass(frozen=True, eq=False)
class Counted:
    """Heard pulses with their numbers from the zero knot on.

    seconds    float64 [n], rising, none left out
    numbers    float64 [n], rising by 1: whole where the one is on a pulse, else halves
    per_pulse  quarter notes a pulse on the grid
    """

    seconds: Floats
    numbers: Floats
    per_pulse: float

    def number_at(self, second: float) -> float:
        """Between pulses a part of one; outside them the tempo goes on."""
        heard, numbers = self.seconds, self.numbers
        if second < heard[0]:
            return float(numbers[0] + (second - heard[0]) / (heard[1] - heard[0]))
        if second > heard[-1]:
            return float(numbers[-1] + (second - heard[-1]) / (heard[-1] - heard[-2]))
        return float(np.interp(second, heard, numbers))

    def second_at(self, number: float) -> float:
        """The inverse of the above."""
        heard, numbers = self.seconds, self.numbers
        if number < numbers[0]:
            return float(heard[0] + (number - numbers[0]) * (heard[1] - heard[0]))
        if number > numbers[-1]:
            return float(heard[-1] + (number - numbers[-1]) * (heard[-1] - heard[-2]))
        return float(np.interp(number, numbers, heard))


def counted(zero_s: float, end_s: float, heard: Floats, per_pulse: float) -> Counted:
    """Number the pulses that were heard in a pass.

    heard      float64 [n], seconds, rising: one a pulse, none left out
    per_pulse  quarter notes a pulse on the grid
    Raises KnotError where fewer than three lie in the pass.
    """
    if np.count_nonzero((heard > zero_s - 0.05) & (heard < end_s + 0.05)) < 3:
        raise KnotError("no beats were heard here that could be tied; say what the loop is first")
    rough = Counted(heard, np.arange(heard.size, dtype=np.float64), per_pulse)
    at_zero = round(rough.number_at(zero_s) * 2) / 2
    return Counted(heard, rough.numbers - at_zero, per_pulse)


def tied(
    base: WarpMap,
    beats: Counted,
    every: int,
    fastened: tuple[tuple[float, float], ...] = (),
    start_s: float | None = None,
    end_s: float | None = None,
) -> Straighten:
    """Tie every so many pulses to where they belong.

    fastened  stretches in seconds in which nothing moves
    start_s, end_s  over which stretch; the whole pass where none is given
    Raises KnotError where nothing is there to tie.
    """
    begin = base.zero.second if start_s is None else start_s
    finish = base.end.second if end_s is None else end_s
    fixed = [k for k in base.knots if k.beat > -CLOSEST_BEATS]
    ties: list[Tie] = []
    for second, number in zip(beats.seconds.tolist(), beats.numbers.tolist(), strict=True):
        if int(np.ceil(number)) % every or not begin - 1e-6 <= second <= finish + 1e-6:
            continue
        if any(a - CLOSEST_SECONDS < second < b + CLOSEST_SECONDS for a, b in fastened):
            continue
        tie = Tie(second, base.beat_of_second(second), number * beats.per_pulse)
        if _fits(tie, ties, fixed):
            ties.append(tie)
    if not ties:
        raise KnotError("there is no beat here to tie: choose a longer stretch, or tie more often")
    return Straighten(tuple(ties), every)


def _fits(tie: Tie, ties: list[Tie], fixed: list[Knot]) -> bool:
    """Does it lie between its neighbours, before and after, without pulling too hard?"""
    behind = [(k.second, k.beat, k.beat) for k in fixed if k.second < tie.second]
    behind += [(t.second, t.from_beat, t.to_beat) for t in ties[-1:]]
    ahead = next(((k.second, k.beat) for k in fixed if k.second >= tie.second), None)
    if not behind or ahead is None:
        return False
    second, was, becomes = max(behind)
    gaps = tie.from_beat - was, tie.to_beat - becomes
    room = ahead[1] - tie.from_beat, ahead[1] - tie.to_beat
    if min(tie.second - second, ahead[0] - tie.second) < CLOSEST_TIE_SECONDS:
        return False
    if min(*gaps, *room) <= CLOSEST_BEATS:
        return False
    return 1 / MOST_PULL < gaps[1] / gaps[0] < MOST_PULL


@dataclass(frozen=True, eq=False)
class TempoOverTime:
    """The tempo of a performance, over the four pulses around each.

    seconds  float64 [n], of the recording
    before   float64 [n], pulses a minute as it was played
    after    float64 [n], pulses a minute as the knots lay it
    """

    seconds: Floats
    before: Floats
    after: Floats


def tempo_over_time(warp: WarpMap, heard: Floats, project_bpm: float) -> TempoOverTime | None:
    """How steady a performance is, before and after; None where there are too few pulses.

    heard  float64 [n], seconds of its pulses
    """
    if heard.size < 3:
        return None
    laid = np.asarray([warp.beat_of_second(float(s)) for s in heard])
    reach = min(2, (heard.size - 1) // 2)
    low = np.clip(np.arange(heard.size) - reach, 0, heard.size - 1)
    high = np.clip(np.arange(heard.size) + reach, 0, heard.size - 1)
    before = 60.0 * (high - low) / (heard[high] - heard[low])
    after = project_bpm * (high - low) / (laid[high] - laid[low])
    return TempoOverTime(heard, before, after)

"""Which bar and pulse is a beat in?

Conventions
-----------
- A beat is a quarter note; bars count from 1; bar 0 and below lie before beat 0.
- The pulse is what is counted and clicked: the dotted quarter in 6/8, 9/8 and 12/8, else the
  denominator's note (5/8 and 7/8: eighths). Common practice, no source.
- A position reads bar.pulse.sixteenth, each from 1.
"""

import math
import re
from bisect import bisect_right
from dataclasses import dataclass
from functools import cached_property

from zeroknot.core.errors import TimeError

DENOMINATORS = (2, 4, 8, 16)
MOST_PULSES = 32
PLACE = re.compile(r"\s*(\d{1,6})(?:\.(\d{1,3}))?(?:\.(\d{1,3}))?\s*")
_SLACK = 1e-9  # beats: a position this close below a line is on it


@dataclass(frozen=True)
class Metre:
    """A time signature: numerator 1…32 over 2, 4, 8 or 16."""

    numerator: int = 4
    denominator: int = 4

    def __post_init__(self) -> None:
        if not 1 <= self.numerator <= MOST_PULSES or self.denominator not in DENOMINATORS:
            raise TimeError(
                f"{self.numerator}/{self.denominator} is not a metre known here; "
                f"wanted 1 to {MOST_PULSES} over 2, 4, 8 or 16"
            )

    @property
    def beats_per_bar(self) -> float:
        """Quarter notes a bar."""
        return self.numerator * 4.0 / self.denominator

    @property
    def is_compound(self) -> bool:
        """Are its pulses dotted, as in 6/8?"""
        return self.denominator == 8 and self.numerator in (6, 9, 12)

    @property
    def pulses_per_bar(self) -> int:
        """What a foot taps in a bar: 4 in 4/4, 2 in 6/8."""
        return self.numerator // 3 if self.is_compound else self.numerator

    @property
    def beats_per_pulse(self) -> float:
        """Quarter notes a pulse: the one place where pulses and beats are converted."""
        return self.beats_per_bar / self.pulses_per_bar

    def __str__(self) -> str:
        return f"{self.numerator}/{self.denominator}"

    @classmethod
    def parse(cls, text: str) -> "Metre":
        """The metre written "6/8". Raises TimeError where it is not two whole numbers."""
        parts = text.strip().split("/")
        if len(parts) != 2 or not all(p.strip().isdigit() for p in parts):
            raise TimeError(f"{text!r} is not a metre; write it like 4/4 or 6/8")
        return cls(int(parts[0]), int(parts[1]))


@dataclass(frozen=True)
class MetreChange:
    """The metre from a bar on (bars count from 1)."""

    bar: int
    metre: Metre


@dataclass(frozen=True)
class Position:
    """Where a beat lies: bar from 1, pulse and sixteenth from 1."""

    bar: int
    pulse: int
    sixteenth: int

    def __str__(self) -> str:
        return f"{self.bar}.{self.pulse}.{self.sixteenth}"


@dataclass(frozen=True)
class MetreMap:
    """A project's metres; the first change stands on bar 1, bars strictly rising."""

    changes: tuple[MetreChange, ...] = (MetreChange(1, Metre()),)

    def __post_init__(self) -> None:
        if not self.changes or self.changes[0].bar != 1:
            raise TimeError("the first metre stands on bar 1")
        for a, b in zip(self.changes, self.changes[1:], strict=False):
            if b.bar <= a.bar:
                raise TimeError(f"two metres on bar {b.bar}; remove one")

    @classmethod
    def steady(cls, metre: Metre) -> "MetreMap":
        """One metre throughout."""
        return cls((MetreChange(1, metre),))

    @cached_property
    def _starts(self) -> tuple[float, ...]:
        starts = [0.0]
        for a, b in zip(self.changes, self.changes[1:], strict=False):
            starts.append(starts[-1] + (b.bar - a.bar) * a.metre.beats_per_bar)
        return tuple(starts)

    def metre_at(self, bar: int) -> Metre:
        """The metre of a bar; before bar 1 that of bar 1."""
        i = max(0, bisect_right([c.bar for c in self.changes], bar) - 1)
        return self.changes[i].metre

    def beat_of_bar(self, bar: int) -> float:
        """The beat a bar begins on: 0 for bar 1, negative before."""
        i = max(0, bisect_right([c.bar for c in self.changes], bar) - 1)
        change = self.changes[i]
        return self._starts[i] + (bar - change.bar) * change.metre.beats_per_bar

    def bar_of_beat(self, beat: float) -> int:
        """The bar a beat lies in; a bar line belongs to the bar it begins."""
        i = max(0, bisect_right(self._starts, beat + _SLACK) - 1)
        change = self.changes[i]
        inside = (beat - self._starts[i]) / change.metre.beats_per_bar
        return change.bar + math.floor(inside + _SLACK)

    def position(self, beat: float) -> Position:
        """bar.pulse.sixteenth of a beat."""
        bar = self.bar_of_beat(beat)
        metre = self.metre_at(bar)
        inside = max(0.0, beat - self.beat_of_bar(bar))
        pulse = min(metre.pulses_per_bar - 1, math.floor(inside / metre.beats_per_pulse + _SLACK))
        rest = max(0.0, inside - pulse * metre.beats_per_pulse)
        return Position(bar, pulse + 1, math.floor(rest * 4.0 + _SLACK) + 1)

    def bar_line_from(self, beat: float) -> float:
        """The first bar line on or after a beat."""
        bar = self.bar_of_beat(beat)
        start = self.beat_of_bar(bar)
        return start if start >= beat - _SLACK else self.beat_of_bar(bar + 1)

    def beat_of_place(self, text: str) -> float:
        """The beat of a place that is written bar, bar.pulse or bar.pulse.sixteenth.

        Raises TimeError where there is no such place.
        """
        match = PLACE.fullmatch(text)
        if not match:
            raise TimeError(f"“{text}” is no place here; write a bar, or bar.beat like 5.3")
        bar, pulse, sixteenth = (int(part or 1) for part in match.groups())
        metre = self.metre_at(bar)
        inside = (pulse - 1) * metre.beats_per_pulse + (sixteenth - 1) / 4.0
        if min(bar, pulse, sixteenth) < 1 or inside >= metre.beats_per_bar:
            held = metre.pulses_per_bar
            raise TimeError(f"there is no {text.strip()}: bar {bar} has the beats 1 to {held}")
        return self.beat_of_bar(bar) + inside

"""At which second does a beat fall, and on which beat does a second fall?

Conventions
-----------
- A beat is a quarter note; beat 0 is bar 1. Second 0 is beat 0. Beats may be negative (bar 0).
- A point sets the tempo from its beat on. A "ramp" moves to the next point's tempo, a "step" holds.
- Before the first point its tempo holds; after the last one, too.

Method: over a ramp of L beats from v0 to v1 BPM, with u = (beat − start) / L in 0…1,
BPM(u) = A + B·e^(k·u), k the bend. Its integral and the inverse are closed forms. They are
written with E(y) = (e^y − 1) / y and F(z) = ln(1 + z) / z, so that the limits (k → 0 linear,
A → 0 geometric, v0 = v1 constant) need no cases of their own.
"""

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from zeroknot.core.errors import TimeError
from zeroknot.core.units import frame

SLOWEST_BPM = 20.0
FASTEST_BPM = 400.0
SHARPEST_BEND = 8.0


@dataclass(frozen=True)
class TempoPoint:
    """The tempo from a beat on.

    beat   quarter notes from bar 1
    bpm    quarter notes a minute, 20…400
    shape  "step" holds the tempo to the next point, "ramp" moves to the next point's tempo
    bend   −8…8: how a ramp is bent; 0 is linear in beats, positive moves late
    """

    beat: float
    bpm: float
    shape: Literal["step", "ramp"] = "step"
    bend: float = 0.0

    def __post_init__(self) -> None:
        if not math.isfinite(self.beat):
            raise TimeError(f"a tempo point at beat {self.beat} cannot be placed")
        if not SLOWEST_BPM <= self.bpm <= FASTEST_BPM:
            raise TimeError(
                f"{self.bpm:g} BPM is outside {SLOWEST_BPM:g} to {FASTEST_BPM:g}; "
                "choose a tempo in between, and halve or double the loop's span instead"
            )
        if self.shape not in ("step", "ramp"):
            raise TimeError(f"a tempo point is a step or a ramp, not {self.shape!r}")
        if not abs(self.bend) <= SHARPEST_BEND:
            raise TimeError(f"a bend of {self.bend:g} is outside ±{SHARPEST_BEND:g}")


@dataclass(frozen=True)
class TempoMap:
    """A project's tempo over its beats.

    points  at least one, beats strictly rising
    """

    points: tuple[TempoPoint, ...]

    def __post_init__(self) -> None:
        if not self.points:
            raise TimeError("a tempo map needs at least one tempo")
        for a, b in zip(self.points, self.points[1:], strict=False):
            if b.beat <= a.beat:
                raise TimeError(f"two tempos on beat {b.beat:g}; move or remove one")

    @classmethod
    def steady(cls, bpm: float) -> "TempoMap":
        """One tempo throughout."""
        return cls((TempoPoint(0.0, bpm),))

    @cached_property
    def _segments(self) -> tuple["_Segment", ...]:
        first = self.points[0]
        segments = []
        for a, b in zip(self.points, self.points[1:], strict=False):
            ramp = a.shape == "ramp"
            segments.append(
                _Segment(a.beat, b.beat - a.beat, a.bpm, b.bpm if ramp else a.bpm, a.bend * ramp)
            )
        last = self.points[-1]
        segments.append(_Segment(last.beat, math.inf, last.bpm, last.bpm, 0.0))
        # Before the first point: one endless segment backwards, taken from its own start.
        return (_Segment(first.beat, math.inf, first.bpm, first.bpm, 0.0), *segments)

    @cached_property
    def _starts(self) -> tuple[float, ...]:
        """Seconds of every segment's first beat, counted so that beat 0 is second 0."""
        starts = [0.0, 0.0]
        for segment in self._segments[1:-1]:
            starts.append(starts[-1] + segment.seconds_in(segment.beats))
        origin = self._raw_second(0.0, tuple(starts))
        return tuple(s - origin for s in starts)

    @cached_property
    def _beats(self) -> tuple[float, ...]:
        return tuple(p.beat for p in self.points)

    def _raw_second(self, beat: float, starts: Sequence[float]) -> float:
        i = bisect_right(self._beats, beat)
        return starts[i] + self._segments[i].seconds_in(beat - self._segments[i].beat)

    def second_of_beat(self, beat: float) -> float:
        """Seconds from beat 0; the inverse of `beat_of_second` to 1e-9."""
        return self._raw_second(beat, self._starts)

    def beat_of_second(self, second: float) -> float:
        """Quarter notes from second 0."""
        i = bisect_right(self._starts, second, lo=1) - 1
        segment = self._segments[i]
        return segment.beat + segment.beats_in(second - self._starts[i])

    def bpm_at(self, beat: float) -> float:
        """Quarter notes a minute at a beat (at a step: the new tempo)."""
        i = bisect_right(self._beats, beat)
        return self._segments[i].bpm_after(beat - self._segments[i].beat)

    def frame_of_beat(self, beat: float, rate: int) -> int:
        """Whole frames from beat 0. Never accumulated: always counted from the project's zero."""
        return frame(self.second_of_beat(beat) * rate)

    def breaks_between(self, start_beat: float, end_beat: float) -> tuple[float, ...]:
        """Beats of the points strictly inside a range: where the tempo law changes."""
        return tuple(b for b in self._beats if start_beat < b < end_beat)

    def is_steady_between(self, start_beat: float, end_beat: float) -> bool:
        """Does one tempo hold over the whole range?"""
        if len(self.points) == 1:
            return True
        inside = [start_beat, *self.breaks_between(start_beat, end_beat)]
        segments = [self._segments[bisect_right(self._beats, b)] for b in inside]
        return all(s.start_bpm == s.end_bpm == segments[0].start_bpm for s in segments)


@dataclass(frozen=True)
class _Segment:
    """`beats` quarter notes from `beat` on, from start_bpm to end_bpm with a bend."""

    beat: float
    beats: float
    start_bpm: float
    end_bpm: float
    bend: float

    def bpm_after(self, beats: float) -> float:
        if self.start_bpm == self.end_bpm:
            return self.start_bpm
        k, u = self.bend, beats / self.beats
        rise = u * _e(k * u) / _e(k)
        return self.start_bpm + (self.end_bpm - self.start_bpm) * rise

    def seconds_in(self, beats: float) -> float:
        if self.start_bpm == self.end_bpm:
            return beats * 60.0 / self.start_bpm
        k, u = self.bend, beats / self.beats
        z = math.expm1(-k * u) + (self.end_bpm / self.start_bpm - 1.0) * u * _e(-k * u) / _e(k)
        return 60.0 * self.beats / self.start_bpm * u * _e(-k * u) * _f(z)

    def beats_in(self, seconds: float) -> float:
        if self.start_bpm == self.end_bpm:
            return seconds * self.start_bpm / 60.0
        k = self.bend
        integral = seconds / (60.0 * self.beats)
        c = k * self.start_bpm - (self.end_bpm - self.start_bpm) / _e(k)
        w = self.start_bpm * integral * _e(-c * integral)
        return self.beats * w * _f(-k * w)


def _e(y: float) -> float:
    """(e^y − 1) / y, 1 at 0."""
    return math.expm1(y) / y if y else 1.0


def _f(z: float) -> float:
    """ln(1 + z) / z, 1 at 0."""
    return math.log1p(z) / z if z else 1.0

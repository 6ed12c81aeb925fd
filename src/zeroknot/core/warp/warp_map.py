"""On which beat does a moment of the recording fall?

Conventions
-----------
- Knots rise strictly in seconds and in beats. The zero knot has beat 0, the end knot beat = span.
- Between knots the map is linear; outside them the outer segment goes on.
- Editing returns a new map.
"""

from bisect import bisect_right
from dataclasses import dataclass
from functools import cached_property

from zeroknot.core.errors import KnotError
from zeroknot.core.warp.knot import Knot

CLOSEST_SECONDS = 0.001
CLOSEST_BEATS = 1e-6  # how near knots may lie is a matter of ratio, refused where it is rendered


@dataclass(frozen=True)
class WarpMap:
    """Base knots of a strand, zero knot and end knot among them."""

    knots: tuple[Knot, ...]

    def __post_init__(self) -> None:
        if len(self.knots) < 2:
            raise KnotError("a strand needs a zero knot and an end knot")
        for i, (a, b) in enumerate(zip(self.knots, self.knots[1:], strict=False), start=2):
            if b.second - a.second < CLOSEST_SECONDS or b.beat - a.beat < CLOSEST_BEATS:
                raise KnotError(
                    f"knot {i} at {b.second:.3f} s / beat {b.beat:g} does not come after "
                    f"knot {i - 1} at {a.second:.3f} s / beat {a.beat:g}; move or remove one"
                )
        if not any(k.beat == 0.0 for k in self.knots):
            raise KnotError("no knot stands on beat 0; the zero knot always exists")
        if self.span <= 0:
            raise KnotError("the end knot does not come after the zero knot")

    @classmethod
    def between(cls, zero_second: float, end_second: float, span: float) -> "WarpMap":
        """Only a zero knot and an end knot.

        span  quarter notes of one pass
        """
        return cls((Knot(zero_second, 0.0), Knot(end_second, span)))

    @cached_property
    def _seconds(self) -> tuple[float, ...]:
        return tuple(k.second for k in self.knots)

    @cached_property
    def _beats(self) -> tuple[float, ...]:
        return tuple(k.beat for k in self.knots)

    @cached_property
    def zero(self) -> Knot:
        """The knot on beat 0: the one."""
        return next(k for k in self.knots if k.beat == 0.0)

    @property
    def end(self) -> Knot:
        """The knot on the last beat."""
        return self.knots[-1]

    @property
    def span(self) -> float:
        """Quarter notes of one pass."""
        return self.knots[-1].beat

    @property
    def body_seconds(self) -> float:
        """How long one pass lasts in the recording."""
        return self.end.second - self.zero.second

    def beat_of_second(self, second: float) -> float:
        """The strand's beat at a second of the recording."""
        return _along(self._seconds, self._beats, second)

    def second_of_beat(self, beat: float) -> float:
        """The second of the recording at a beat of the strand; inverse of the above."""
        return _along(self._beats, self._seconds, beat)

    def with_span(self, span: float) -> "WarpMap":
        """The same moments laid on another number of beats, all in proportion."""
        scale = span / self.span
        return WarpMap(tuple(Knot(k.second, k.beat * scale) for k in self.knots))

    def read_as(self, zero_second: float, end_second: float, span: float) -> "WarpMap":
        """Another zero knot, end knot and span; what lies between keeps its proportions.

        Interior knots keep their moments; those that would lie outside the pass are let go.
        """
        if zero_second >= end_second - CLOSEST_SECONDS:
            raise KnotError(
                f"the zero knot at {zero_second:.3f} s must come before the end knot "
                f"at {end_second:.3f} s"
            )
        origin = self.beat_of_second(zero_second)
        scale = span / (self.beat_of_second(end_second) - origin)
        inner = [
            Knot(k.second, (k.beat - origin) * scale)
            for k in self.knots
            if zero_second + CLOSEST_SECONDS <= k.second <= end_second - CLOSEST_SECONDS
            and k not in (self.zero, self.end)
        ]
        return WarpMap((Knot(zero_second, 0.0), *inner, Knot(end_second, span)))


def _along(xs: tuple[float, ...], ys: tuple[float, ...], x: float) -> float:
    i = min(max(bisect_right(xs, x) - 1, 0), len(xs) - 2)
    # From the nearer knot, so that knots themselves are hit exactly.
    slope = (ys[i + 1] - ys[i]) / (xs[i + 1] - xs[i])
    if abs(x - xs[i + 1]) < abs(x - xs[i]):
        return ys[i + 1] + (x - xs[i + 1]) * slope
    return ys[i] + (x - xs[i]) * slope

"""Which moment of the recording is heard at an output frame?

Conventions
-----------
- Points (source second, output frame) rise strictly in both; frame 0 is the first downbeat.
- Between points linear; outside them the outer segment goes on.
"""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import StretchError

MOST_RATIO = 8.0

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class TimeMap:
    """seconds  float64 [points], of the source
    frames   float64 [points], of the output
    """

    seconds: Floats
    frames: Floats

    def __post_init__(self) -> None:
        if self.seconds.shape != self.frames.shape or self.seconds.size < 2:
            raise StretchError("a time map needs two points or more")
        if not (np.all(np.diff(self.seconds) > 0) and np.all(np.diff(self.frames) > 0)):
            raise StretchError("the points of a time map must rise in both directions")

    @classmethod
    def of_points(cls, points: tuple[tuple[float, int], ...]) -> "TimeMap":
        """points  (source second, output frame), rising"""
        table = np.asarray(points, dtype=np.float64)
        return cls(np.ascontiguousarray(table[:, 0]), np.ascontiguousarray(table[:, 1]))

    def duration_ratios(self, rate: int) -> Floats:
        """Output duration / source duration of every segment. float64 [points − 1]"""
        return np.asarray(np.diff(self.frames) / (np.diff(self.seconds) * rate))

    def source_of(self, frames: Floats) -> Floats:
        """Source seconds at output frames. float64 [frames] each"""
        return _along(self.frames, self.seconds, frames)

    def output_of(self, seconds: Floats) -> Floats:
        """Output frames (not rounded) of source seconds. float64 [seconds] each"""
        return _along(self.seconds, self.frames, seconds)

    def is_copy(self, rate: int, tolerance_frames: float = 1.0) -> bool:
        """Is every segment within a frame of its source length?"""
        off = np.diff(self.frames) - np.diff(self.seconds) * rate
        return bool(np.all(np.abs(off) <= tolerance_frames))


def refuse_beyond_limits(points: Sequence[tuple[float, int]], rate: int) -> None:
    """Raises StretchError where a segment is longer or shorter than 8 times.

    points  (source second, output frame), rising
    """
    ratios = []
    for (second, at), (next_second, next_at) in itertools.pairwise(points):
        frames = (next_second - second) * rate
        ratio = (next_at - at) / frames
        # A whole number of frames may be half a frame off.
        ratios.append(ratio + (0.51 * (ratio < 1.0) - 0.51 * (ratio > 1.0)) / frames)
    worst = max(ratios, key=lambda ratio: abs(math.log(ratio)))
    if not 1 / MOST_RATIO <= worst <= MOST_RATIO:
        raise StretchError(f"a stretch to {worst:.3g} times the length is outside 1/8 to 8")


def _along(xs: Floats, ys: Floats, x: Floats) -> Floats:
    i = np.clip(np.searchsorted(xs, x, side="right") - 1, 0, xs.size - 2)
    slope = (ys[i + 1] - ys[i]) / (xs[i + 1] - xs[i])
    return np.asarray(ys[i] + (x - xs[i]) * slope)

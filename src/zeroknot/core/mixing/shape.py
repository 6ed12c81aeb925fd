"""How loud is something at each of its frames? A line of corners, straight from one to the next.

Conventions
-----------
- A corner is (frame, linear gain); frames count from where the event begins, and rise: no two
  corners are on one. Before the first and after the last the line is level. () is 1 throughout.
- A curve is written as corners, so that who plays it and who mixes it down know only straight
  lines: the sums of both are the same.
"""

import itertools
import math
from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.units import gain_of_db

Corners = tuple[tuple[int, float], ...]
Curve = Literal["gain", "power"]
PIECES = 32  # of a curve; an equal-power one is nowhere more than 0.003 dB off between its corners
STEEPEST_PIECE_DB = 0.5  # of a line that is straight in dB
MOST_PIECES = 64


def rise(first: int, frames: int, curve: Curve) -> Corners:
    """From silence to full over so many frames: corners from frame `first` on.

    "gain" goes straight: with what falls as it rises the sum stays 1. "power" goes along a sine:
    the sum of the squares does.
    """
    if frames <= 0:
        return ()
    if curve == "gain":
        return (first, 0.0), (first + frames, 1.0)
    pieces = min(PIECES, frames)
    places = dict.fromkeys(first + frames * i // pieces for i in range(pieces + 1))
    corners = [(x, math.sin(math.pi / 2 * (x - first) / frames)) for x in places]
    return (*corners[:-1], (first + frames, 1.0))


def fall(end: int, frames: int, curve: Curve) -> Corners:
    """The same from full to silence, over at frame `end`: corners."""
    return tuple((end - x, gain) for x, gain in reversed(rise(0, frames, curve)))


def in_db(points: Sequence[tuple[int, float]]) -> Corners:
    """A line that goes straight in dB from (frame, dB) to (frame, dB): corners."""
    corners: dict[int, float] = {}
    for (a, low), (b, high) in itertools.pairwise(points):
        steps = math.ceil(abs(high - low) / STEEPEST_PIECE_DB)
        pieces = min(MOST_PIECES, max(1, steps), max(1, b - a))
        for i in range(pieces):
            share = i / pieces
            corners[a + round((b - a) * share)] = gain_of_db(low + (high - low) * share)
    if points:
        corners[points[-1][0]] = gain_of_db(points[-1][1])
    return tuple(sorted(corners.items()))


def along(corners: Corners, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """The line at each of some frames: float64 [places]."""
    if not corners:
        return np.ones(len(places))
    frames, gains = zip(*corners, strict=True)
    return np.asarray(np.interp(places, frames, gains))


def value_on(corners: Corners, frame: float) -> float:
    """Where a line is at a frame."""
    return float(along(corners, np.asarray([frame], np.float64))[0])


def cut(corners: Corners, first: int, frames: int) -> Corners:
    """The same line from frame `first` on, for so many frames: corners that count from there."""
    if not corners:
        return ()
    inside = [(x - first, gain) for x, gain in corners if first < x < first + frames]
    edges = value_on(corners, first), value_on(corners, first + frames)
    found = ((0, edges[0]), *inside, (frames, edges[1]))
    return () if all(gain == 1.0 for _, gain in found) else found


def product(lines: Sequence[Corners], frames: int) -> Corners:
    """One line for several that hold at once, over so many frames: corners.

    Where more than one moves the product bends: it is laid in pieces there.
    """
    moving = [cut(line, 0, frames) for line in lines]
    moving = [line for line in moving if line]
    if len(moving) < 2:
        return moving[0] if moving else ()
    corners = sorted({x for line in moving for x, _ in line})
    places = corners[:1]
    for a, b in itertools.pairwise(corners):
        moves = sum(value_on(line, a) != value_on(line, b) for line in moving)
        pieces = min(PIECES, b - a) if moves > 1 else 1
        places += [a + (b - a) * i // pieces for i in range(1, pieces + 1)]
    at = np.asarray(places, np.float64)
    gains = np.prod([along(line, at) for line in moving], axis=0)
    return tuple(zip(places, gains.tolist(), strict=True))

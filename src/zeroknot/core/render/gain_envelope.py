"""How loud is each frame of a pass whose hits have accents of their own?

Conventions
-----------
- A gain holds from its hit until the next; the way between is straight in dB and is over before
  the attack begins, so that neither clicks nor takes the edge off it.
- The body is a circle: before its first hit the last one rings. The lead begins unchanged, the tail
  goes on as the body ends.
"""

import itertools

import numpy as np
from numpy.typing import NDArray

RAMP_SECONDS = 0.005
BEFORE_ATTACK_SECONDS = 0.002

Gains = tuple[tuple[int, float], ...]  # output frame of a hit, dB from it on; rising
Floats = NDArray[np.float64]


def envelope(gains: Gains, body: int, rate: int, first: int, count: int) -> Floats:
    """Linear gain of output frames from `first` on: float64 [count].

    body  frames of the body, which begins at frame 0
    """
    ramp = round(RAMP_SECONDS * rate)
    inside = _apart([(f, db) for f, db in gains if 0 <= f < body], ramp)
    while len(inside) > 1 and inside[0][0] + body - inside[-1][0] <= ramp:
        inside.pop()
    circle = [(f + turn * body, db) for turn in (-1, 0, 1) for f, db in inside]
    outset = circle[0][1] if circle else 0.0
    places = np.arange(first, first + count)
    level = _along(places, circle, rate, outset)
    begins, ends = _along(np.asarray([0, body - 1]), circle, rate, outset).tolist()
    lead = _apart([(f, db) for f, db in gains if f < -ramp], ramp)
    before = _along(places, [*lead, (0, begins)], rate, 0.0)
    level = np.where(places < 0, before, np.where(places >= body, ends, level))
    return np.asarray(10.0 ** (level / 20.0))


def _apart(points: list[tuple[int, float]], ramp: int) -> list[tuple[int, float]]:
    """Those that leave room for the way from one to the next."""
    found: list[tuple[int, float]] = []
    for point in points:
        if not found or point[0] - found[-1][0] > ramp:
            found.append(point)
    return found


def _along(
    places: NDArray[np.int64], points: list[tuple[int, float]], rate: int, outset: float
) -> Floats:
    """dB at each place: every point is reached a moment before its frame.

    outset  before the first of them
    """
    if not points:
        return np.full(places.size, outset)
    ramp, early = round(RAMP_SECONDS * rate), round(BEFORE_ATTACK_SECONDS * rate)
    xs = [x for frame, _ in points for x in (frame - early - ramp, frame - early)]
    levels = [outset, *(db for _, db in points)]
    ys = [y for before, after in itertools.pairwise(levels) for y in (before, after)]
    return np.interp(places, xs, ys)

"""Would it click where a recording is cut, were there no fades?

Conventions
-----------
- What clicks is what jumps: the step from silence to the first sample, and the change of slope
  there. Both in dB against how loud it is round the cut, so that 0 dB is as plain as the sound.
"""

import math

from zeroknot.core.audio import Audio
from zeroknot.core.units import db_of_gain, frame

AROUND_SECONDS = 0.010
QUIETEST_DB = -120.0

Edge = tuple[float, float]  # dB of the step, dB of the slope


def edges(sound: Audio, cuts: tuple[float, ...]) -> tuple[Edge, ...]:
    """Of each cut: the step and the slope that begin there."""
    return tuple(_edge(sound, second) for second in cuts)


def _edge(sound: Audio, second: float) -> Edge:
    at, reach = frame(second * sound.rate), frame(AROUND_SECONDS * sound.rate)
    around = sound.samples[:, max(0, at - reach) : max(0, at + reach)]
    part = sound.samples[:, max(0, at) : max(0, at + 2)]
    if part.shape[1] < 2 or not around.size:
        return QUIETEST_DB, QUIETEST_DB
    usual = math.sqrt(float((around**2).mean()))
    if usual <= 1e-6:
        return QUIETEST_DB, QUIETEST_DB
    step = float(abs(part[:, 0]).max()) / usual
    # The slope that is heard as plainly as the sound: from −1 to 1 within a millisecond.
    slope = float(abs(part[:, 1] - part[:, 0]).max()) / usual * (0.0005 * sound.rate)
    return _db(step), _db(slope)


def _db(ratio: float) -> float:
    return max(QUIETEST_DB, db_of_gain(ratio)) if ratio > 0 else QUIETEST_DB

"""Where does a sound end before the next one begins?

A note that is let go dies away at a speed of its own, whatever the tempo: there the recording runs
at its own speed, as it does after an attack. What counts is a fall that is much steeper than what
went before, and after which nothing comes until the next attack.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.stretch.source_view import SourceView

Floats = NDArray[np.float64]

HOP_SECONDS = 0.005
STEPS = 12  # of a hop, over which a level falls
FALL_DB = 10.0
STEEPER = 3.0  # times what it fell over as many steps before
LOUD_DB = 25.0  # under the loudest between the attacks, at most, where it begins to fall
LEFT_SECONDS = 0.12  # to the next attack, or there is nothing to be gained
SHORTEST = 2 * STEPS  # hops between two attacks
NOTHING = 1e-10


def sound_end(view: SourceView, rate: int, start: float, stop: float) -> float | None:
    """The source frame from which what was struck at `start` falls silent before `stop`.

    start, stop  source frames of two attacks; returns None where it sounds on
    """
    hop = int(HOP_SECONDS * rate)
    count = int((stop - start) // hop)
    if count < SHORTEST:
        return None
    sound = view.read(int(start) - hop, (count + 2) * hop)
    power = np.square(sound).reshape(sound.shape[0], -1, hop).sum(axis=(0, 2)) / hop
    level = 10.0 * np.log10(ndimage.uniform_filter1d(power, 3)[1:-1] + NOTHING)
    at = np.arange(STEPS, count - STEPS)
    before, here, after = (level[at + k] for k in (-STEPS, 0, STEPS))
    fall = here - after
    # The loudest that still comes, the next attack's own rise left out.
    coming = np.maximum.accumulate(level[:-3][::-1])[::-1]
    comes = np.append(coming, np.full(3, -np.inf))[at + STEPS]
    ends = (fall >= FALL_DB) & (here >= level.max() - LOUD_DB) & (comes <= here - FALL_DB)
    ends &= before - here <= fall / STEEPER
    if not ends.any():
        return None
    first = int(at[np.argmax(ends)])
    falling = level[first : first + STEPS + 1]
    found = start + (first + int(np.flatnonzero(falling >= falling[0] - 2.0)[-1])) * hop
    return found if stop - found >= LEFT_SECONDS * rate else None

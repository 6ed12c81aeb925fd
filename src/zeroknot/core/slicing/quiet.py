"""Where does a recording cross zero next to a moment?"""

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.units import frame

REACH_SECONDS = 0.010


def nearest_zero(sound: Audio, second: float, reach: float = REACH_SECONDS) -> float:
    """The second nearest to one at which the sum of its channels changes its sign.

    reach  seconds to both sides in which it is looked for; where there is none, its quietest frame
    """
    at, far = frame(second * sound.rate), frame(reach * sound.rate)
    first = max(0, at - far)
    part = sound.samples[:, first : max(first, at + far + 1)].sum(axis=0)
    if part.size < 2:
        return second
    signs = np.signbit(part)
    crossings = np.flatnonzero(signs[1:] != signs[:-1])
    if crossings.size:
        # Of the two frames beside it the one nearer to zero.
        nearer = np.abs(part[crossings + 1]) < np.abs(part[crossings])
        places = first + crossings + nearer
        return float(places[np.argmin(np.abs(places - at))] / sound.rate)
    return float((first + int(np.argmin(np.abs(part)))) / sound.rate)

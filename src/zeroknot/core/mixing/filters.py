"""What lets a filter through whose cutoff moves?

Standing still it is the filter of Web Audio's BiquadFilterNode (W3C Recommendation, 2021, "Filters
characteristics", after Bristow-Johnson's cookbook): resonance of low and high pass is Q in dB, of
band pass Q itself. It is run as a state variable filter by the trapezoidal rule (Zavalishin, The
Art of VA Filter Design, 2012), which has the same response and stays stable however it is moved.
"""

from typing import Literal

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples

Kind = Literal["low", "high", "band"]
KINDS: tuple[Kind, ...] = ("low", "high", "band")
Floats = NDArray[np.float64]
HIGHEST_SHARE = 0.49  # of the rate that a cutoff may be


def filtered(sound: Samples, kind: Kind, hertz: Floats, resonance_db: float, rate: int) -> Samples:
    """A sound through a filter, from rest: float32 [channels, n].

    sound  float32 [channels, n]
    hertz  float64 [n]: the cutoff at each frame
    """
    gains = np.tan(np.pi * np.clip(hertz, 1.0, HIGHEST_SHARE * rate) / rate)
    damping = 10.0 ** (-resonance_db / 20.0)
    out = np.empty_like(sound)
    _run(np.ascontiguousarray(sound), gains, damping, KINDS.index(kind), out)
    return out


@numba.njit(cache=True, nogil=True)
def _run(sound, gains, damping, kind, out):  # type: ignore[no-untyped-def]
    for channel in range(sound.shape[0]):
        s1 = s2 = 0.0
        for i in range(sound.shape[1]):
            g = gains[i]
            high = (sound[channel, i] - (damping + g) * s1 - s2) / (1.0 + g * (damping + g))
            band = g * high + s1
            low = g * band + s2
            s1, s2 = g * high + band, g * band + low
            if kind == 0:
                out[channel, i] = low
            elif kind == 1:
                out[channel, i] = high
            else:
                out[channel, i] = damping * band

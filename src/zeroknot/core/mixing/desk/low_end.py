"""Where do two tracks fight for the low end?

Of each bar, a track's power in the third-octaves up to 150 Hz; of two tracks, what masks: in each
third-octave the lower of the two, summed, against all that the louder one has there, in dB. At 0 dB
they are the same; tones in different third-octaves do not meet at all.

Bands: base-ten third-octaves of IEC 61260-1 (2014), middles at 10^(n/10) Hz; levels against a sine
at full scale on both sides.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.desk.fights import SILENT_DB

Floats = NDArray[np.float64]
MIDDLES_HZ = tuple(10 ** (n / 10) for n in range(13, 22))  # 20 … 126 Hz
EDGE = 10 ** (1 / 20)  # from a middle to the edge of its band


def band_powers(sound: Samples | Floats, rate: int) -> Floats:
    """Mean square in each band: float64 [bands], 1 for a sine at full scale on both sides.

    sound  float [1 or 2, n]: a bar
    """
    count = sound.shape[1]
    if not count:
        return np.zeros(len(MIDDLES_HZ))
    power = np.square(np.abs(np.fft.rfft(np.asarray(sound, np.float64), axis=1))).mean(axis=0)
    hertz = np.fft.rfftfreq(count, 1 / rate)
    at = np.searchsorted(hertz, [m / EDGE for m in MIDDLES_HZ] + [MIDDLES_HZ[-1] * EDGE])
    summed = np.concatenate([[0.0], np.cumsum(power)])
    # A sine of amplitude 1 has (n/2)² in one bin.
    return np.asarray((summed[at[1:]] - summed[at[:-1]]) * 4.0 / count**2)


def overlap_db(one: Floats, other: Floats) -> float:
    """dB of what masks, against all that the louder one has; SILENT_DB where nothing does.

    one, other  powers by band: float64 [bands]
    """
    most = max(float(one.sum()), float(other.sum()))
    shared = float(np.minimum(one, other).sum())
    return level_db(shared / most) if most > 0 else SILENT_DB


def level_db(power: float) -> float:
    """dB of a power, SILENT_DB at least."""
    return max(SILENT_DB, 10 * float(np.log10(power))) if power > 0 else SILENT_DB

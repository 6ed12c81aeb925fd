"""By how much is a sound turned down where it, or another, is loud?

Feed-forward, in dB: a gain computer with a soft knee, then a smooth branching peak detector
(Giannoulis, Massberg and Reiss, Digital dynamic range compressor design, J. Audio Eng. Soc. 60(6),
2012, equations 4 and 16). Both sides go by the louder one, so that the picture stays where it is.
"""

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.mixing.desk.strip import STEP

Floats = NDArray[np.float64]
KNEE_DB = 6.0
LEAST = 1e-6  # amplitude that is told from silence
STILL_DB = 1e-7  # of turning down that is none
DB_OF_NEPER = 20.0 / np.log(10.0)
ROWS = ("threshold_db", "ratio", "attack_ms", "release_ms", "makeup_db")


def compress(
    sound: Floats, key: Floats, settings: Floats, rate: int, held: Floats, into: int
) -> None:
    """In place.

    sound     float64 [2, n]
    key       float64 [2, n]: what it goes by; may be the sound itself
    settings  float64 [steps or 1, 5]: as ROWS
    held      float64 [1]: dB by which it is turned down; left as it is in the end
    into      frames that the first step has gone already
    """
    told = np.ascontiguousarray(settings, np.float64).copy()
    for column in (2, 3):  # to what is left of a difference after a frame
        told[:, column] = np.exp(-1000.0 / (told[:, column] * rate))
    level = np.maximum(np.abs(key[0]), np.abs(key[1]))
    gain = np.log(np.maximum(level, LEAST, out=level), out=level)
    _turned(gain, told, held, into)
    sound *= np.exp(gain, out=gain)


@numba.njit(cache=True, nogil=True)
def _turned(gain, settings, held, into):  # type: ignore[no-untyped-def]
    """In place, of logarithms of levels those of gains."""
    still = settings.shape[0] == 1
    down = held[0]
    for i in range(gain.size):
        threshold, ratio, attack, release, makeup = settings[0 if still else (into + i) // STEP]
        over = DB_OF_NEPER * gain[i] - threshold
        wanted = 0.0
        if over >= KNEE_DB / 2.0:
            wanted = over * (1.0 - 1.0 / ratio)
        elif over > -KNEE_DB / 2.0:
            inside = over + KNEE_DB / 2.0
            wanted = inside * inside / (2.0 * KNEE_DB) * (1.0 - 1.0 / ratio)
        elif down < STILL_DB:
            down = 0.0
        share = attack if wanted > down else release
        down = share * down + (1.0 - share) * wanted
        gain[i] = (makeup - down) / DB_OF_NEPER
    held[0] = down


def curve(level_db: Floats, threshold_db: float, ratio: float) -> Floats:
    """dB that come out for levels that go in and stay: float64 [n] both."""
    over = np.asarray(level_db) - threshold_db
    knee = np.clip(over + KNEE_DB / 2, 0.0, KNEE_DB) ** 2 / (2 * KNEE_DB)
    down = np.where(over >= KNEE_DB / 2, over, knee) * (1.0 - 1.0 / ratio)
    return np.asarray(level_db - down)

"""Where exactly does what was attacked begin? Just there it is cut, so that no edge is lost.

An attack is heard where its energy rises; it begins a little earlier, under what still rings. What
rings is predictable, what begins is not: a linear prediction from what is before an attack is off
from its very first samples on.

Source of the idea: Glover, Lazzarini & Timoney, Real-time detection of musical onsets with linear
prediction and sinusoidal modeling (EURASIP Journal on Advances in Signal Processing, 2011).
"""

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_toeplitz

from zeroknot.core.audio import Audio
from zeroknot.core.units import frame

ORDER = 48
LEARNT_SECONDS = 0.060  # before an attack, from which it is told what rings
BACK_SECONDS, AHEAD_SECONDS = 0.015, 0.008  # of an attack, in which its begin is looked for
SMOOTH_SECONDS = 0.0005
QUIET_SECONDS = (
    0.001  # without surprise, before which what was surprising belongs to something else
)
SURPRISE, SPREAD, SHARE = 2.0, 1.3, 0.01  # times what is usual, its range, of the largest
BEFORE_SECONDS = 0.0035  # of the first surprise: so much of what leads into it belongs to it

Floats = NDArray[np.float64]


def begins(sound: Audio, attacks: Floats) -> Floats:
    """Where to cut for each attack: float64 [attacks], seconds."""
    mono = sound.samples.mean(axis=0, dtype=np.float64)
    return np.asarray([_begin(mono, sound.rate, float(a)) for a in attacks], np.float64)


def _begin(mono: Floats, rate: int, attack: float) -> float:
    at, learnt = frame(attack * rate), frame(LEARNT_SECONDS * rate)
    back, ahead = frame(BACK_SECONDS * rate), frame(AHEAD_SECONDS * rate)
    before = np.zeros(max(0, learnt - at))  # what was not recorded was silent
    part = np.concatenate([before, mono[max(0, at - learnt) : at + ahead + 1]])
    error = _unpredicted(part, learnt - back)
    size = max(1, frame(SMOOTH_SECONDS * rate))
    total = np.concatenate([np.zeros(1), np.cumsum(error**2)])
    level = np.sqrt(np.maximum(total[size:] - total[:-size], 0.0) / size)
    usual = level[: max(1, learnt - back - size)]
    looked = level[learnt - back :]
    if not looked.size or not looked.max():
        return attack - BEFORE_SECONDS
    least = max(
        SURPRISE * float(np.median(usual)), SPREAD * float(np.percentile(usual, 95)),
        SHARE * float(looked.max()),
    )  # fmt: skip
    first = _first_before(looked > least, int(looked.argmax()), frame(QUIET_SECONDS * rate))
    return (at - back + first + size) / rate - BEFORE_SECONDS


def _unpredicted(part: Floats, learnt: int) -> Floats:
    """What a prediction from the first `learnt` samples leaves of it: float64 [n]."""
    known = part[:learnt] * np.hanning(learnt)
    if np.abs(known).max(initial=0.0) < 1e-5:
        return part
    size = 2 ** int(np.ceil(np.log2(2 * learnt)))
    power = np.abs(np.fft.rfft(known, size)) ** 2
    alike = np.fft.irfft(power)[: ORDER + 1]
    alike[0] = alike[0] * (1 + 1e-7) + 1e-12
    weights = solve_toeplitz(alike[:-1], alike[1:])
    return part - np.convolve(part, np.concatenate([np.zeros(1), weights]))[: part.size]


def _first_before(surprising: NDArray[np.bool_], peak: int, quiet: int) -> int:
    """Back from the largest surprise: the first that belongs to it."""
    first, since = peak, 0
    for i in range(peak - 1, -1, -1):
        since = 0 if surprising[i] else since + 1
        if surprising[i]:
            first = i
        elif since > quiet:
            break
    return first

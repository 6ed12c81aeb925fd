"""What lies between two samples?

A windowed sinc (Kaiser) read from a fine table, its cutoff lowered where the reading runs faster
than the recording, so that nothing folds back (Smith, "Digital Audio Resampling", 1984, from
memory).
"""

from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import special

from zeroknot.core.audio import Samples
from zeroknot.core.warp.time_map import Floats

ZERO_CROSSINGS = 40
STEPS_PER_CROSSING = 512
KAISER_BETA = 11.0
PASSBAND = 0.94  # of the Nyquist frequency of the slower side
MOST_SPEED = 16.0
PHASES = 512


@lru_cache(maxsize=1)
def _table() -> NDArray[np.float64]:
    x = np.arange(ZERO_CROSSINGS * STEPS_PER_CROSSING + 2) / STEPS_PER_CROSSING
    window = special.i0(
        KAISER_BETA * np.sqrt(np.maximum(0.0, 1.0 - (x / ZERO_CROSSINGS) ** 2))
    ) / special.i0(KAISER_BETA)
    return np.asarray(np.sinc(x) * window)


@lru_cache(maxsize=16)
def _phases(cutoff: float) -> NDArray[np.float32]:
    """The filter of one cutoff at every fraction of a sample: float32 [PHASES + 1, taps]."""
    half = int(np.ceil(ZERO_CROSSINGS / cutoff)) + 1
    fractions = np.arange(PHASES + 1)[:, None] / PHASES
    x = np.abs(np.arange(-half + 1, half + 1)[None, :] - fractions) * cutoff
    steps = np.arange(_table().size) / STEPS_PER_CROSSING
    weights = np.interp(x, steps, _table(), right=0.0) * cutoff
    return np.ascontiguousarray(weights, dtype=np.float32)


def read_at(samples: Samples, positions: Floats, speeds: Floats) -> Samples:
    """Samples between samples.

    samples    float32 [channels, frames]; silence is read outside
    positions  float64 [n] frames
    speeds     float64 [n] source frames per output frame there; above 1 the band is narrowed
    returns    float32 [channels, n]
    """
    if positions.size and np.ptp(speeds) < 1e-9:
        cutoff = PASSBAND / float(np.clip(speeds[0], 1.0, MOST_SPEED))
        out = np.zeros((samples.shape[0], positions.size), np.float32)
        _read_evenly_kernel(np.ascontiguousarray(samples), positions, _phases(cutoff), out)
        return out
    cutoffs = PASSBAND / np.clip(speeds, 1.0, MOST_SPEED)
    out = np.zeros((samples.shape[0], positions.size), np.float32)
    _read_kernel(
        np.ascontiguousarray(samples), positions, cutoffs, _table(), ZERO_CROSSINGS,
        STEPS_PER_CROSSING, out,
    )  # fmt: skip
    return out


@numba.njit(cache=True, nogil=True)
def _read_kernel(samples, positions, cutoffs, table, crossings, steps, out):  # type: ignore[no-untyped-def]
    channels, frames = samples.shape
    for i in range(positions.size):
        position, cutoff = positions[i], cutoffs[i]
        reach = crossings / cutoff
        first = max(0, int(np.ceil(position - reach)))
        last = min(frames - 1, int(np.floor(position + reach)))
        left, right = 0.0, 0.0
        for j in range(first, last + 1):
            x = abs(position - j) * cutoff * steps
            k = int(x)
            weight = (table[k] + (x - k) * (table[k + 1] - table[k])) * cutoff
            left += weight * samples[0, j]
            if channels == 2:
                right += weight * samples[1, j]
        out[0, i] = left
        if channels == 2:
            out[1, i] = right


# In which order a sum is taken is left to the processor: a quarter of the time, and the last bit of
# a sample.
@numba.njit(cache=True, nogil=True, fastmath={"reassoc", "nsz"})
def _read_evenly_kernel(samples, positions, phases, out):  # type: ignore[no-untyped-def]
    """As above, for one cutoff: two neighbouring rows of weights, straight lines between them."""
    channels, frames = samples.shape
    steps, taps = phases.shape[0] - 1, phases.shape[1]
    half = taps // 2
    for i in range(positions.size):
        base = int(np.floor(positions[i]))
        place = (positions[i] - base) * steps
        k = int(place)
        share = np.float32(place - k)
        first = base - half + 1
        low = min(max(0, -first), taps)
        count = max(0, min(taps, frames - first) - low)
        row, following = phases[k][low:], phases[min(k + 1, steps)][low:]
        # Slices, that no index is looked at twice, and both channels in one go.
        one, other = samples[0, first + low :], samples[channels - 1, first + low :]
        left, right = np.float32(0.0), np.float32(0.0)
        for t in range(count):
            weight = row[t] + share * (following[t] - row[t])
            left += weight * one[t]
            right += weight * other[t]
        out[0, i] = left
        out[channels - 1, i] = right

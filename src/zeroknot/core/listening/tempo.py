"""After how many seconds does a sound's rhythm come again?

Method: autocorrelation of the rises (the spectral rise of `picture`), its maxima placed between
samples by a parabola.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.picture import Picture

MOST_PERIODS = 6
SHORTEST_SECONDS, LONGEST_SECONDS = 0.18, 1.4

Floats = NDArray[np.float64]


def periods(picture: Picture) -> tuple[float, ...]:
    """Seconds after which the rises come again, likeliest first."""
    values = picture.total - picture.total.mean()
    size = 2 ** int(np.ceil(np.log2(2 * values.size)))
    again = np.fft.irfft(np.abs(np.fft.rfft(values, size)) ** 2)[: values.size]
    # Longer lags see less of the sound; make up for it, but not wholly.
    again = again / np.maximum(1, np.arange(values.size, 0, -1)) ** 0.7
    hop = picture.hop_seconds
    low, high = round(SHORTEST_SECONDS / hop), min(values.size - 2, round(LONGEST_SECONDS / hop))
    if high - low < 3:
        return ()
    part = again[low : high + 1]
    peaks = np.flatnonzero((part[1:-1] > part[:-2]) & (part[1:-1] >= part[2:])) + 1
    best = peaks[np.argsort(-part[peaks], kind="stable")][:MOST_PERIODS]
    return tuple(top_of(again, low + int(i)) * hop for i in best)


def top_of(values: Floats, i: int) -> float:
    """The place of a maximum between samples: a parabola through three.

    values  float64 [samples]; i: the index of the maximum among them
    """
    if not 0 < i < values.size - 1:
        return float(i)
    a, b, c = (float(v) for v in values[i - 1 : i + 2])
    bend = a - 2 * b + c
    return i + (0.5 * (a - c) / bend if bend < 0 else 0.0)

"""What does the network that tells tones from hits look at? The same sound, long and short.

Conventions
-----------
- Frames of WINDOW_SECONDS (a power of two), centred on every quarter of a window; bins as of that
  window, BINS of them from 0 Hz on (11 kHz).
- Seven pictures [frames, bins]: the long window; five short ones (an eighth as long) that lie half
  of theirs apart around its centre; how high the bin lies.
- Levels are natural logarithms of power over the recording's loudest, 5 of them a unit, 1 the
  loudest: level has no say.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from zeroknot.core.audio import Samples

WINDOW_SECONDS = 0.093
OVERLAP = 4  # windows over each sample
BINS = 1024
SHORTER = 8  # times
BESIDE = (-2, -1, 0, 1, 2)  # short windows, in halves of them
PICTURES = 2 + len(BESIDE)
FAINTEST = -14.0  # natural logarithm of power, over the loudest
A_UNIT = 5.0
LOUDEST_SHARE = 0.995  # of all bins lie below what is called the loudest

Spectra = NDArray[np.complex64]


@dataclass(frozen=True)
class Frames:
    """The window of a rate and how it moves.

    size  frames of the recording, a power of two
    """

    size: int

    @classmethod
    def at(cls, rate: int) -> "Frames":
        """The long window of a rate, Hz."""
        return cls(2 ** round(np.log2(WINDOW_SECONDS * rate)))

    @property
    def hop(self) -> int:
        """Frames from one window to the next."""
        return self.size // OVERLAP

    @property
    def short(self) -> "Frames":
        """The window an eighth as long."""
        return Frames(self.size // SHORTER)

    @property
    def taper(self) -> Samples:
        """Its periodic Hann window: float32 [size]."""
        return np.hanning(self.size + 1)[:-1].astype(np.float32)

    def spectra(self, samples: Samples, first: int, count: int, hop: int | None = None) -> Spectra:
        """Spectra of the windows first … first + count: complex64 [channels, count, size/2 + 1].

        samples  float32 [channels, frames]; silence before and behind
        """
        hop = hop or self.hop
        start = first * hop - self.size // 2
        stop = (first + count - 1) * hop + self.size // 2
        inside = samples[:, max(0, start) : max(0, stop)]
        before = max(0, min(-start, stop - start))
        padded = np.pad(inside, ((0, 0), (before, max(0, stop - start - before - inside.shape[1]))))
        windows = np.lib.stride_tricks.sliding_window_view(padded, self.size, axis=1)[:, ::hop]
        return np.asarray(fft.rfft(windows * self.taper, axis=2))


def power(spectra: Spectra) -> Samples:
    """Of all channels together: float32 [frames, bins]."""
    return np.asarray((spectra.real**2 + spectra.imag**2).sum(axis=0, dtype=np.float32))


def loudest(powers: Samples) -> float:
    """Natural logarithm of the power that levels are counted from: float32 [frames, bins] told."""
    some = powers[:, :BINS].reshape(-1)[::7]
    return float(np.log(np.quantile(some, LOUDEST_SHARE) + 1e-12))


def pictures(samples: Samples, frames: Frames, spectra: Spectra, first: int, top: float) -> Samples:
    """What the network sees of some windows: float32 [PICTURES, windows, BINS].

    spectra  of the windows from `first` on
    top      `loudest` of the recording
    """
    count = spectra.shape[1]
    seen = np.empty((PICTURES, count, BINS), np.float32)
    seen[0] = _levels(power(spectra), top)
    hop = frames.short.size // 2
    ratio = frames.hop // hop
    reach = BESIDE[-1]
    shorts = frames.short.spectra(
        samples, first * ratio - reach, (count - 1) * ratio + 2 * reach + 1, hop
    )
    level = _levels(power(shorts), top - 2.0 * np.log(SHORTER), BINS // SHORTER)
    for i, beside in enumerate(BESIDE):
        at = beside + reach + ratio * np.arange(count)
        seen[1 + i] = np.repeat(level[at], SHORTER, axis=1)
    seen[-1] = np.log2((np.arange(BINS) + 0.5) / BINS) / A_UNIT + 1.0
    return seen


def _levels(powers: Samples, top: float, bins: int = BINS) -> Samples:
    """Levels in units; bins beyond what the rate has are as faint as can be."""
    level = np.full((powers.shape[0], bins), FAINTEST, np.float32)
    there = powers[:, :bins]
    level[:, : there.shape[1]] = np.maximum(np.log(there + 1e-14) - top, FAINTEST)
    return level / np.float32(A_UNIT) + np.float32(1.0)

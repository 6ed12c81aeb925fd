"""What does a sound look like from far away?

Peaks: the lowest and highest sample of every bin, over all channels, at several bin sizes.
Ring: the energy of one pass in equal sectors, the downbeat first.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio

PEAK_BINS = (64, 512, 4096)  # frames a bin, finest first
TILE_BINS = 4096  # bins handed out at once, so that only what is looked at travels
RING_SECTORS = 64


def peaks(sound: Audio, frames_per_bin: int) -> NDArray[np.float32]:
    """Lowest and highest value of each bin over all channels.

    returns  float32 [ceil(frames / frames_per_bin), 2]
    """
    bins = -(-sound.frames // frames_per_bin)
    starts = np.arange(bins) * frames_per_bin
    low = np.minimum.reduceat(sound.samples, starts, axis=1).min(axis=0)
    high = np.maximum.reduceat(sound.samples, starts, axis=1).max(axis=0)
    return np.stack([low, high], axis=1).astype(np.float32)


def ring(
    peaks_: NDArray[np.float32], bins_per_second: float, start_second: float, end_second: float
) -> NDArray[np.float32]:
    """Loudness of the stretch from start to end in equal sectors, 0…1, the loudest at 1.

    peaks_   float32 [bins, 2], as `peaks` gives them
    returns  float32 [RING_SECTORS]; zeros for silence
    """
    size = np.abs(peaks_).max(axis=1)
    edges = np.linspace(start_second, end_second, RING_SECTORS + 1) * bins_per_second
    at = np.clip(np.floor(edges).astype(int), 0, size.size)
    sectors = np.zeros(RING_SECTORS, np.float32)
    for i in range(RING_SECTORS):
        part = size[at[i] : max(at[i] + 1, at[i + 1])]
        sectors[i] = np.sqrt(np.mean(np.square(part))) if part.size else 0.0
    loudest = sectors.max()
    return sectors / loudest if loudest > 0 else sectors

"""What does a sound look like from far away?

Peaks: the lowest and highest sample of every bin, over all channels, at several bin sizes.
Ring: the energy of one pass in equal sectors, the downbeat first.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio

PEAK_BINS = (64, 512, 4096)  # frames a bin, finest first
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


def ring(sound: Audio, start_second: float, end_second: float) -> NDArray[np.float32]:
    """Energy of the stretch from start to end in equal sectors, 0…1 (square root, peak at 1).

    returns  float32 [RING_SECTORS]; zeros for silence or an empty stretch
    """
    edges = np.linspace(start_second, end_second, RING_SECTORS + 1) * sound.rate
    at = np.clip(np.round(edges).astype(int), 0, sound.frames)
    energy = np.zeros(RING_SECTORS)
    for i in range(RING_SECTORS):
        part = sound.samples[:, at[i] : at[i + 1]]
        if part.size:
            energy[i] = float(np.mean(np.square(part, dtype=np.float64)))
    loudest = energy.max()
    return (
        np.sqrt(energy / loudest).astype(np.float32) if loudest > 0 else energy.astype(np.float32)
    )

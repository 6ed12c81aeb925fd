"""How is a sound cut into frames for listening?

Conventions
-----------
- Frames are centred: frame n looks at the moment n · hop.
- Long takes are read in chunks, so that memory stays bounded whatever their length.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from zeroknot.core.audio import Samples

CHUNK_FRAMES = 4096


@dataclass(frozen=True)
class Framing:
    """window and hop in samples."""

    window: int
    hop: int

    @classmethod
    def for_rate(cls, rate: int, window_seconds: float, hop_seconds: float) -> "Framing":
        """The power of two nearest to a window of these seconds, and whole frames a hop."""
        window = 2 ** round(np.log2(window_seconds * rate))
        return cls(window, max(1, round(hop_seconds * rate)))


def magnitudes(mono: Samples, framing: Framing) -> Iterator[NDArray[np.float32]]:
    """Magnitude spectra in chunks: float32 [up to CHUNK_FRAMES, window / 2 + 1] each."""
    window, hop = framing.window, framing.hop
    taper = np.hanning(window + 1)[:-1].astype(np.float32)
    count = 1 + (mono.size - 1) // hop
    for first in range(0, count, CHUNK_FRAMES):
        n = min(CHUNK_FRAMES, count - first)
        low = first * hop - window // 2
        high = low + (n - 1) * hop + window
        part = mono[max(0, low) : min(mono.size, high)]
        part = np.pad(part, (max(0, -low), max(0, high - mono.size)))
        frames = np.lib.stride_tricks.sliding_window_view(part, window)[::hop][:n]
        yield np.abs(fft.rfft(frames * taper, axis=1)).astype(np.float32)

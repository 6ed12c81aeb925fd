"""Which pieces of a loop sound alike? By what they are struck with, how they ring, and how long.

Conventions
-----------
- Spectra are mel bands in dB under the piece's own loudest, so that a soft hit is like a loud one.
- A distance says only which of two is nearer.
"""

import itertools

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from zeroknot.core.audio import Audio
from zeroknot.core.units import frame

WINDOW_SECONDS, HOP_SECONDS = 0.023, 0.006
BANDS = 24
LOWEST_HZ, HIGHEST_HZ = 50.0, 16_000.0
FLOOR_DB = -50.0
STRUCK_SECONDS, RINGS_SECONDS = 0.045, 0.180  # what is heard of a hit first, and then
DECAY_MOMENTS = (0.03, 0.08, 0.15, 0.25)
DECAY_WEIGHT, LENGTH_WEIGHT = 1.0, 6.0

Floats = NDArray[np.float64]


def distances(sound: Audio, edges: tuple[float, ...]) -> Floats:
    """How unlike each two pieces sound: float64 [pieces, pieces], 0 on the diagonal.

    edges  seconds: where each piece begins, and where the last ends
    """
    told = np.stack([traits(sound, a, b) for a, b in itertools.pairwise(edges)])
    apart = told[:, None, :] - told[None, :, :]
    return np.asarray(np.sqrt((apart**2).mean(axis=2)))


def traits(sound: Audio, start: float, end: float) -> Floats:
    """What a piece sounds like: float64 [2 · bands + moments + 1], in dB or as heavy as dB."""
    rate = sound.rate
    size = frame(WINDOW_SECONDS * rate)
    hop = max(1, frame(HOP_SECONDS * rate))
    first, last = max(0, frame(start * rate)), min(sound.frames, frame(end * rate))
    mono = sound.samples[:, first:last].mean(axis=0, dtype=np.float64)
    padded = np.concatenate([np.zeros(size // 2), mono, np.zeros(size)])
    count = max(1, 1 + (mono.size - 1) // hop)
    at = np.arange(count)[:, None] * hop + np.arange(size)[None]
    power = np.abs(fft.rfft(padded[at] * np.hanning(size), axis=1)) ** 2
    bands = power @ _bands(size, rate).T + 1e-12
    moments = np.arange(count) * hop / rate
    struck = bands[moments < STRUCK_SECONDS].mean(axis=0)
    rings = bands[(moments >= STRUCK_SECONDS) & (moments < RINGS_SECONDS)]
    rung = rings.mean(axis=0) if len(rings) else np.full(BANDS, 1e-12)
    levels = 10 * np.log10(bands.sum(axis=1))
    loudest = levels.max()
    decay = [levels[min(count - 1, round(m / HOP_SECONDS))] - loudest for m in DECAY_MOMENTS]
    return np.concatenate(
        [
            np.maximum(10 * np.log10(struck) - loudest, FLOOR_DB),
            np.maximum(10 * np.log10(rung) - loudest, FLOOR_DB),
            DECAY_WEIGHT * np.maximum(np.asarray(decay), FLOOR_DB),
            [LENGTH_WEIGHT * np.log2(max(end - start, 0.005))],
        ]
    )


def _bands(size: int, rate: int) -> Floats:
    """Triangles on the mel scale (O'Shaughnessy 1987): float64 [bands, bins]."""
    hertz = np.arange(size // 2 + 1) * rate / size
    highest = min(HIGHEST_HZ, 0.45 * rate)
    mels = np.linspace(_mel(LOWEST_HZ), _mel(highest), BANDS + 2)
    edges = 700.0 * (10 ** (mels / 2595.0) - 1)
    rising = (hertz - edges[:-2, None]) / (edges[1:-1] - edges[:-2])[:, None]
    falling = (edges[2:, None] - hertz) / (edges[2:] - edges[1:-1])[:, None]
    return np.maximum(0.0, np.minimum(rising, falling))


def _mel(hertz: float) -> float:
    return float(2595.0 * np.log10(1 + hertz / 700.0))

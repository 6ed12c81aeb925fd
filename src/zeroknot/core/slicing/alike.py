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
FLOOR_DB = -35.0  # under the loudest moment: what lies deeper says little of a hit
BEFORE_SECONDS = 0.030  # of a piece: what still rings there is no part of it
LEAST_SHARE = 1e-3  # of what is there, that is left when what rings on is taken away
STRUCK_SECONDS, RINGS_SECONDS = 0.035, 0.180  # what is heard of a hit first, and then
DECAY_MOMENTS = (0.03, 0.08, 0.15, 0.25)
LENGTH_WEIGHT = 6.0
SILENT = 1e-12

Floats = NDArray[np.float64]


def distances(sound: Audio, edges: tuple[float, ...]) -> Floats:
    """How unlike each two pieces sound: float64 [pieces, pieces], 0 on the diagonal.

    edges  seconds: where each piece begins, and where the last ends
    """
    told = np.stack([traits(sound, a, b) for a, b in itertools.pairwise(edges)])
    apart = told[:, None, :] - told[None, :, :]
    return np.asarray(np.sqrt((apart**2).mean(axis=2)))


def traits(sound: Audio, start: float, end: float) -> Floats:
    """What a piece sounds like: float64 [2 · bands + moments + 1], in dB or as heavy as dB.

    What rang on from before is taken away: a hit is known by what it adds.
    """
    rate = sound.rate
    size, hop = frame(WINDOW_SECONDS * rate), max(1, frame(HOP_SECONDS * rate))
    before = frame(BEFORE_SECONDS * rate)
    first, last = frame(start * rate), frame(end * rate)
    from_ = first - before - size
    part = sound.samples[:, max(0, from_) : max(0, last)].mean(axis=0, dtype=np.float64)
    part = np.concatenate([np.zeros(max(0, -from_)), part, np.zeros(size)])
    count = max(1, 1 + (last - first - 1) // hop)
    moments = np.arange(count) * hop / rate
    own = _spectra(part, before + size + np.arange(count) * hop, size, rate)
    rang = _spectra(part, np.asarray([0, before // 2]), size, rate).mean(axis=0)
    own = np.maximum(own - rang, LEAST_SHARE * own + SILENT)
    levels = 10 * np.log10(own.sum(axis=1))
    loudest = levels.max()
    rings = own[(moments >= STRUCK_SECONDS) & (moments < RINGS_SECONDS)]
    rung = rings.mean(axis=0) if len(rings) else np.full(BANDS, SILENT)
    decay = [levels[min(count - 1, round(m / HOP_SECONDS))] for m in DECAY_MOMENTS]
    shape = [
        10 * np.log10(own[moments < STRUCK_SECONDS].mean(axis=0)), 10 * np.log10(rung), decay
    ]  # fmt: skip
    told = np.maximum(np.concatenate(shape) - loudest, FLOOR_DB)
    return np.append(told, LENGTH_WEIGHT * np.log2(max(end - start, 0.005)))


def _spectra(part: Floats, starts: NDArray[np.int_], size: int, rate: int) -> Floats:
    """Power in mel bands from each start on: float64 [starts, bands]."""
    at = np.minimum(starts[:, None] + np.arange(size), part.size - 1)
    power = np.abs(fft.rfft(part[at] * np.hanning(size), axis=1)) ** 2
    return np.asarray(power @ _bands(size, rate).T)


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

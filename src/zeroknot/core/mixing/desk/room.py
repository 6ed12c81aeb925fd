"""How does a room answer? By an impulse made here, of three sizes, that sounds are convolved with.

First reflections come from the walls of a box, by its mirror images (Allen and Berkley, Image
method for efficiently simulating small-room acoustics, J. Acoust. Soc. Am. 65(4), 1979); then noise
dies away in bands, the high ones sooner, over the time that Sabine's formula gives for the box. The
sides differ in their noise and in where they stand: what was in the middle becomes wide.
"""

import itertools
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft, signal

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.desk.room_sizes import BANDS_HZ, ROOMS, Box, frames_of

Floats = NDArray[np.float64]
SOUND_METRES = 343.0  # a second
EARS_METRES = 0.3
REFLECTIONS = 3  # as many walls one may have met
LEVEL = 0.35  # of a sent sound's energy that comes back, as an amplitude
SEED = 11


@lru_cache(maxsize=4)
def impulse(size: str, rate: int) -> Samples:
    """float32 [2, frames]: the sides of a room, of one energy whatever its size."""
    frames, box = frames_of(size, rate), ROOMS[size]
    rng = np.random.default_rng(SEED)
    seconds = np.arange(frames) / rate
    out = np.zeros((2, frames))
    mean_free = box.free_metres / SOUND_METRES
    # The noise comes in while reflections grow dense.
    rise = 1.0 - np.exp(-seconds / mean_free)
    edges = np.sqrt(np.asarray(BANDS_HZ[:-1]) * np.asarray(BANDS_HZ[1:]))
    for side in range(2):
        noise = rng.standard_normal(frames)
        for band, decay in zip(_bands(noise, edges, rate), box.seconds, strict=True):
            out[side] += band * 10.0 ** (-3.0 * seconds / decay)
    out *= rise
    out /= np.sqrt(np.square(out).sum(axis=1, keepdims=True))
    for side in range(2):
        first = _reflections(box, side, frames, rate)
        out[side] += first / max(1e-9, np.sqrt(np.square(first).sum())) * 0.5
    # Its end is no edge, and nothing low is left to rumble.
    out *= np.minimum(1.0, (frames - 1 - np.arange(frames)) / (0.05 * frames))
    out = signal.sosfilt(signal.butter(2, 60.0, "high", fs=rate, output="sos"), out, axis=1)
    out /= np.sqrt(np.square(out).sum(axis=1, keepdims=True))
    return np.ascontiguousarray(LEVEL * out, np.float32)


def _bands(noise: Floats, edges: Floats, rate: int) -> list[Floats]:
    """What adds up to the noise again, by rising bands with soft edges."""
    spectrum = fft.rfft(noise)
    hertz = np.maximum(fft.rfftfreq(noise.size, 1 / rate), 1.0)
    below = [1.0 / (1.0 + (hertz / edge) ** 4) for edge in edges]
    steps = [np.zeros_like(hertz), *below, np.ones_like(hertz)]
    return [
        fft.irfft(spectrum * (high - low), noise.size) for low, high in itertools.pairwise(steps)
    ]


def _reflections(box: Box, side: int, frames: int, rate: int) -> Floats:
    """Of a sound in the box, at one ear, without the sound itself: float64 [frames]."""
    sides = np.asarray(box.sides)
    source, ear = sides * (0.31, 0.62, 0.44), sides * (0.63, 0.38, 0.42)
    ear = ear + np.asarray([0.0, (side - 0.5) * EARS_METRES, 0.0])
    direct = float(np.linalg.norm(source - ear))
    kept = np.sqrt(1.0 - box.absorbed[1])
    out = np.zeros(frames)
    span = range(-REFLECTIONS, REFLECTIONS + 1)
    for cell in np.ndindex(2 * REFLECTIONS + 1, 2 * REFLECTIONS + 1, 2 * REFLECTIONS + 1):
        n = np.asarray([span[i] for i in cell])
        met = int(np.abs(n).sum())
        if not 0 < met <= REFLECTIONS:
            continue
        image = np.where(n % 2 == 0, n * sides + source, (n + 1) * sides - source)
        far = float(np.linalg.norm(image - ear))
        at = (far - direct) / SOUND_METRES * rate
        whole = int(at)
        if whole + 1 < frames:
            gain = kept**met * direct / far
            out[whole] += gain * (1 - (at - whole))
            out[whole + 1] += gain * (at - whole)
    return out


class Convolved:
    """A sound through an impulse, piece by piece; what rings on is kept for the next."""

    def __init__(self, impulse: Samples):
        self._impulse = impulse.astype(np.float32)
        self._spectra: dict[int, NDArray[np.complex64]] = {}
        self._rings = np.zeros((impulse.shape[0], impulse.shape[1] - 1))

    def run(self, sound: Floats) -> Floats:
        """float64 [2, n] both; worked out in single precision, which is 130 dB down."""
        count, taps = sound.shape[1], self._impulse.shape[1]
        size = fft.next_fast_len(count + taps - 1, real=True)
        if size not in self._spectra:
            self._spectra = {size: fft.rfft(self._impulse, size, axis=1)}
        spectrum = fft.rfft(sound.astype(np.float32), size, axis=1) * self._spectra[size]
        whole = fft.irfft(spectrum, size, axis=1).astype(np.float64)
        whole = whole[:, : count + taps - 1]
        whole[:, : taps - 1] += self._rings
        out, self._rings = whole[:, :count], whole[:, count:].copy()
        return np.asarray(out)

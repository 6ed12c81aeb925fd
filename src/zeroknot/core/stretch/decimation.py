"""How is a low band looked at with fewer samples, and made whole again?

A Kaiser-windowed sinc keeps everything up to a frequency and leaves nothing that would fold onto
it. Its length is odd and its delay is taken off, so nothing moves. Length and window by Kaiser's
formulas (Oppenheim & Schafer, "Discrete-Time Signal Processing", chapter 7, from memory).
"""

from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples

ROOM = 3.0  # times the highest frequency kept: the rate that is left after decimation, at least
RIPPLE_DB = 110.0

Taps = NDArray[np.float32]


def most_step(rate: int, highest_hz: float) -> int:
    """The largest power of two by which a band up to `highest_hz` may be decimated."""
    step = 1
    while rate / (2 * step) >= ROOM * highest_hz:
        step *= 2
    return step


@lru_cache(maxsize=32)
def low_pass(rate: int, highest_hz: float, step: int) -> Taps:
    """float32 [odd]: keeps 0…highest_hz, stops what would fold onto it at every `step`th sample."""
    gap = rate / step - 2.0 * highest_hz
    count = int(np.ceil((RIPPLE_DB - 7.95) / (2.285 * 2.0 * np.pi * gap / rate) + 1)) | 1
    cutoff = (2.0 * highest_hz + gap) / rate  # halfway, in cycles of two samples
    taps = np.sinc(cutoff * (np.arange(count) - count // 2))
    taps *= np.kaiser(count, 0.1102 * (RIPPLE_DB - 8.7))
    return np.ascontiguousarray(taps / taps.sum(), np.float32)


def smoothed(sound: Samples, taps: Taps) -> Samples:
    """Filtered, without what lies too near either end: float32 [channels, n − taps + 1]."""
    out = np.zeros((sound.shape[0], sound.shape[1] - taps.size + 1), np.float32)
    _filter_kernel(np.ascontiguousarray(sound), np.ascontiguousarray(taps[::-1]), out)
    return out


def filled(sound: Samples, taps: Taps, step: int) -> Samples:
    """Every `step`th sample of a band becomes all of them: float32 [channels, n · step].

    Silence is taken to stand before and after.
    """
    if step == 1:
        return sound
    channels, count = sound.shape
    half = taps.size // 2
    out = np.empty((channels, count, step), np.float32)
    for phase in range(step):
        # Samples at i · step + phase see those whose distance to them is a tap of this phase.
        first = (half + phase) % step
        own = taps[first::step] * np.float32(step)
        before = own.size - 1 - (half + phase) // step
        after = own.size - 1 - before
        padded = np.zeros((channels, before + count + after), np.float32)
        padded[:, before : before + count] = sound
        out[:, :, phase] = smoothed(padded, own)[:, :count]
    return out.reshape(channels, count * step)


@numba.njit(cache=True, nogil=True)
def _filter_kernel(sound, taps, out):  # type: ignore[no-untyped-def]
    """out[i] = Σ taps[t] · sound[i + t], in stretches that stay near at hand."""
    count = out.shape[1]
    for c in range(out.shape[0]):
        for begin in range(0, count, 2048):
            end = min(begin + 2048, count)
            part, moved = out[c, begin:end], sound[c, begin:]
            fours = taps.size - taps.size % 4
            for t in range(0, fours, 4):
                a, b, d, e = taps[t], taps[t + 1], taps[t + 2], taps[t + 3]
                one, two, three, four = moved[t:], moved[t + 1 :], moved[t + 2 :], moved[t + 3 :]
                for i in range(end - begin):
                    part[i] += (a * one[i] + b * two[i]) + (d * three[i] + e * four[i])
            for t in range(fours, taps.size):
                weight, one = taps[t], moved[t:]
                for i in range(end - begin):
                    part[i] += weight * one[i]

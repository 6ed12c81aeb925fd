"""Which notes sound, without their overtones?

Conventions
-----------
- A spectral peak is a note as far as lower notes of the same moment do not explain it: each lower
  one is expected to have overtones, at whole multiples of its frequency, that grow weaker.
- Weights are square roots of magnitudes, as in `chroma`.

Method: from the lowest peak of a frame up, what lower notes' overtones may come to is taken off
each (after Klapuri 2006, "Multiple fundamental frequency estimation by summing harmonic
amplitudes", turned round: what is explained is taken off, nothing is summed).
"""

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.chroma import Peaks

Floats = NDArray[np.float64]
Table = NDArray[np.float32]

OVERTONES = 12  # the highest multiple that is looked for
SHARE, FALL = 0.95, 0.93  # an overtone's weight beside its note's, and how much less each next one
NEAR = 0.4  # semitones within which a peak is an overtone
STEPS = 12.0 * np.log2(np.arange(OVERTONES + 1).clip(1))  # semitones above the first
SOUNDS = 0.25  # of the frame's strongest note: what is less is not counted as one
HEARD = 0.05  # of the loudest frame's


def note_weights(peaks: Peaks) -> Floats:
    """How much of each peak is a note of its own: float64 [peaks]."""
    out = np.sqrt(peaks.weights)
    if peaks.notes.size:
        _own_kernel(peaks.frames, peaks.notes, out)
    return out


def voices_at_once(peaks: Peaks, weights: Floats) -> NDArray[np.int64]:
    """How many notes sound in each frame that is heard: int64 [frames heard].

    weights  float64 [peaks], as of `note_weights`
    """
    if not peaks.notes.size:
        return np.zeros(0, np.int64)
    most = np.zeros(peaks.count)
    np.maximum.at(most, peaks.frames, weights)
    sounds = (weights > SOUNDS * most[peaks.frames]).astype(np.int64)
    count = np.zeros(peaks.count, np.int64)
    np.add.at(count, peaks.frames, sounds)
    return np.asarray(count[most > HEARD * most.max()])


def highest_and_lowest(peaks: Peaks, weights: Floats) -> tuple[Floats, Floats]:
    """The highest and lowest note of each frame, NaN where none is: float64 [frames] each."""
    most = np.zeros(peaks.count)
    np.maximum.at(most, peaks.frames, weights)
    sounds = (weights > SOUNDS * most[peaks.frames]) & (weights > HEARD * most.max())
    high, low = np.full(peaks.count, -np.inf), np.full(peaks.count, np.inf)
    np.maximum.at(high, peaks.frames[sounds], peaks.notes[sounds])
    np.minimum.at(low, peaks.frames[sounds], peaks.notes[sounds])
    is_there = np.isfinite(high)
    return np.where(is_there, high, np.nan), np.where(is_there, low, np.nan)


@numba.njit(cache=True, nogil=True)
def _own_kernel(frames, notes, weights):  # type: ignore[no-untyped-def]
    """Take overtones off, in place; peaks come frame by frame, from low to high."""
    first = 0
    for i in range(notes.size):
        if frames[i] != frames[first]:
            first = i
        explained = 0.0
        for j in range(first, i):
            apart = notes[i] - notes[j]
            times = int(np.rint(2.0 ** (apart / 12.0)))
            if 2 <= times <= OVERTONES and abs(apart - STEPS[times]) < NEAR:
                explained += (weights[j] * SHARE * FALL ** (times - 2)) ** 2
        weights[i] = max(0.0, weights[i] - np.sqrt(explained))

"""Which notes are held, in a sound of several voices?

Conventions
-----------
- A note is a MIDI note number from LOWEST on; its weight is the harmonic sum that it won with.
- Weights of peaks are square roots of magnitudes, as in `chroma`.
- A note that is itself an overtone of one below it may be lost: the fifth over the bass, an octave.

Method: of each frame the fundamental whose overtones add up to most is taken, most of what belongs
to it is taken away, and the next is sought in what is left (after Klapuri 2006, "Multiple
fundamental frequency estimation by summing harmonic amplitudes"). What does not last is no note:
drums have pitches, too, but let go of them at once.
"""

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.chroma import Peaks

Table = NDArray[np.float32]

LOWEST, NOTES = 28, 68  # the low E of a bass, 41 Hz, and how many semitones up from there
VOICES = 4  # at most at once
OVERTONES, FALL = 10, 0.85  # how many count, and how much less each next one
NEAR = 0.35  # semitones within which a peak is an overtone
LEFT = 0.2  # of a peak that a voice has taken
SHARE = 0.35  # of the frame's first voice, that each next one has to win with
HEARD = 0.1  # of the loudest frame's first voice
SHORTEST_FRAMES = 3  # about 0.14 s


def held_notes(peaks: Peaks, cents: float) -> Table:
    """float32 [frames, NOTES]: the weight of each note that is held, else 0.

    cents  the tuning, from A = 440 Hz
    """
    won = np.zeros((peaks.count, NOTES), np.float32)
    _won_kernel(peaks.frames, peaks.notes - cents / 100.0, np.sqrt(peaks.weights), won)
    most = won.max(axis=1)
    won[most <= HEARD * most.max(initial=0.0)] = 0.0
    _lasting_kernel(won)
    return won


def held_profiles(held: Table, edge_share: float) -> Table:
    """float32 [4, 12], by pitch class: all that is held, the lowest, the beginning, the end.

    Sums of weights (of the lowest: of frames), not yet made normal; 0 in silence.

    held        as of `held_notes`
    edge_share  of the time from the first note to the last that counts as beginning or end
    """
    sums = np.zeros((4, 12), np.float32)
    sounds = np.flatnonzero(held.any(axis=1))
    if not sounds.size:
        return sums
    held = held[sounds[0] : sounds[-1] + 1]
    edge = max(1, round(edge_share * held.shape[0]))
    classes = (LOWEST + np.arange(NOTES)) % 12
    lowest = (held > 0).argmax(axis=1)[held.any(axis=1)]
    for row, weights in (
        (0, held.sum(axis=0)), (1, np.bincount(lowest, minlength=NOTES)),
        (2, held[:edge].sum(axis=0)), (3, held[-edge:].sum(axis=0)),
    ):  # fmt: skip
        np.add.at(sums[row], classes, weights)
    return sums


@numba.njit(cache=True, nogil=True)
def _won_kernel(frames, notes, weights, won):  # type: ignore[no-untyped-def]
    """The voices of each frame, written to `won`; weights are used up. Peaks come by frame."""
    steps = 12.0 * np.log2(np.arange(1, OVERTONES + 1))
    part = np.zeros((OVERTONES, NOTES))
    whose = np.zeros((OVERTONES, NOTES), np.int64)
    first = 0
    while first < notes.size:
        end = first
        while end < notes.size and frames[end] == frames[first]:
            end += 1
        most = 0.0
        for _ in range(VOICES):
            part[:] = 0.0
            for j in range(first, end):
                for h in range(OVERTONES):
                    at = notes[j] - steps[h] - LOWEST
                    note = int(np.rint(at))
                    if note < 0:
                        break
                    near = 0.5 if h == 0 else NEAR
                    if note < NOTES and abs(at - note) <= near and weights[j] > part[h, note]:
                        part[h, note] = weights[j]
                        whose[h, note] = j
            best, best_sum = -1, 0.0
            for note in range(NOTES):
                total, there = 0.0, 0
                for h in range(OVERTONES):
                    if part[h, note] > 0:
                        total += FALL**h * part[h, note]
                        there += 1
                # A fundamental that is not there is believed by two overtones.
                if (there > 1 or part[0, note] > 0) and total > best_sum:
                    best, best_sum = note, total
            if best < 0 or best_sum < SHARE * most:
                break
            most = max(most, best_sum)
            won[frames[first], best] = max(won[frames[first], best], best_sum)
            for h in range(OVERTONES):
                if part[h, best] > 0:
                    weights[whose[h, best]] *= LEFT
        first = end


@numba.njit(cache=True, nogil=True)
def _lasting_kernel(won):  # type: ignore[no-untyped-def]
    """Take off, in place, what is shorter than SHORTEST_FRAMES."""
    for note in range(won.shape[1]):
        since = 0
        for frame in range(won.shape[0] + 1):
            if frame < won.shape[0] and won[frame, note] > 0:
                continue
            if frame - since < SHORTEST_FRAMES:
                won[since:frame, note] = 0.0
            since = frame + 1

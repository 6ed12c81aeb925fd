"""How much does each pitch class sound in a loop?

Conventions
-----------
- A profile is twelve shares, C first, in all 1; all 0 where nothing has a pitch.
- A recording that is tuned off A = 440 Hz is counted as if it were not.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio
from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.harmony.profile import NO_TONES, Profile
from zeroknot.core.listening.chroma import Peaks, spectral_peaks, tuning_cents
from zeroknot.core.synth.voices import level_of

VERSION = 1  # of the measuring
HIGHEST_NOTE = 88  # E6: higher peaks are overtones, whose notes need not be in the key


def profile_of(sound: Audio) -> Profile:
    """Of a recording, by the peaks of its spectrum."""
    peaks = spectral_peaks(sound)
    return profile_of_peaks(peaks, tuning_cents(peaks) or 0.0)


def profile_of_peaks(peaks: Peaks, cents: float) -> Profile:
    """Of peaks that are tuned so many cents off."""
    classes, weights = pitch_classes_of(peaks, cents)
    return _shares(np.bincount(classes, weights, minlength=12).astype(np.float64))


def pitch_classes_of(peaks: Peaks, cents: float) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The class of each peak, int64 [peaks], and how much it counts, float64 [peaks]: the less, the
    farther it is from the note."""
    notes = peaks.notes - cents / 100.0
    nearest = np.floor(notes + 0.5)
    weights = np.where(
        notes <= HIGHEST_NOTE, peaks.weights * np.cos(np.pi * (notes - nearest)) ** 2, 0.0
    )
    return nearest.astype(np.int64) % 12, weights


def profile_of_notes(loop: MidiLoop) -> Profile:
    """Of notes: how long each sounds, times its level; drums have no pitch."""
    found = np.zeros(12)
    for note in loop.notes:
        found[note.pitch % 12] += (note.end - note.start) * level_of(note.velocity)
    return _shares(found)


def _shares(found: NDArray[np.float64]) -> Profile:
    total = float(found.sum())
    return tuple((found / total).tolist()) if total > 0 else NO_TONES

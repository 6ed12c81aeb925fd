"""How much does each pitch class sound in a loop?

Conventions
-----------
- A profile is twelve shares, C first, in all 1; all 0 where nothing has a pitch.
- A recording that is tuned off A = 440 Hz is counted as if it were not.
- Of a recording the notes count that are held, by their energy: a low note's overtones are peaks of
  its spectrum, but notes that nobody played (the fifth over D is A, the third F♯).
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio
from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.harmony.profile import NO_TONES, Profile
from zeroknot.core.listening.chroma import Peaks, spectral_peaks, tuning_cents
from zeroknot.core.listening.pitches import LOWEST, NOTES, held_notes
from zeroknot.core.synth.voices import level_of

VERSION = 2  # of the measuring


def profile_of(sound: Audio) -> Profile:
    """Of a recording."""
    peaks = spectral_peaks(sound)
    return profile_of_peaks(peaks, tuning_cents(peaks) or 0.0)


def profile_of_peaks(peaks: Peaks, cents: float) -> Profile:
    """Of peaks that are tuned so many cents off."""
    return _shares(tones_along(peaks, cents).sum(axis=0))


def tones_along(peaks: Peaks, cents: float) -> NDArray[np.float64]:
    """How much each pitch class sounds when: float64 [frames, 12], C first.

    cents  the tuning of the peaks, from A = 440 Hz
    """
    held = np.square(held_notes(peaks, cents), dtype=np.float64)
    found = np.zeros((peaks.count, 12))
    for note in range(NOTES):
        found[:, (LOWEST + note) % 12] += held[:, note]
    return found


def profile_of_notes(loop: MidiLoop) -> Profile:
    """Of notes: how long each sounds, times its level; drums have no pitch."""
    found = np.zeros(12)
    for note in loop.notes:
        found[note.pitch % 12] += (note.end - note.start) * level_of(note.velocity)
    return _shares(found)


def _shares(found: NDArray[np.float64]) -> Profile:
    total = float(found.sum())
    return tuple((found / total).tolist()) if total > 0 else NO_TONES

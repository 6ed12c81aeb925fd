"""What is heard in a MIDI loop? Its notes and events say it themselves.

Conventions
-----------
- Seconds are those of the file's own tempo events. A tempo event is a claim: many files carry an
  idle 120, so one that says just that counts for less.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.key import KeyReading, normal, read_key

Table = NDArray[np.float32]
EDGE_SHARE = 0.06


@dataclass(frozen=True)
class SoundedNote:
    """start, end in seconds; pitch a MIDI note number; velocity 1…127"""

    start: float
    end: float
    pitch: int
    velocity: int


def key_of_notes(notes: Sequence[SoundedNote]) -> KeyReading:
    """The key of notes (drums left out before)."""
    if len(notes) < 3:
        return KeyReading.none()
    return read_key(note_profiles(notes), "key-notes")


def note_profiles(notes: Sequence[SoundedNote]) -> Table:
    """float32 [4, 12]: how long each pitch class sounds in all, in the bass, at start and end."""
    end = max(n.end for n in notes)
    start = min(n.start for n in notes)
    edge = max(EDGE_SHARE * (end - start), 0.3)
    profiles = np.zeros((4, 12))
    order = sorted(notes, key=lambda n: (n.start, n.pitch))
    for i, note in enumerate(order):
        length = min(note.end - note.start, 2.0)
        profiles[0, note.pitch % 12] += length
        if note.start < start + edge:
            profiles[2, note.pitch % 12] += length
        if note.end > end - edge:
            profiles[3, note.pitch % 12] += length * (3.0 if note.end > end - 0.2 * edge else 1.0)
        # Bass: nothing lower begins or sounds at the same time.
        lower = any(
            other.pitch < note.pitch and other.end > note.start + 0.01
            for other in order[max(0, i - 8) : i + 4]
            if other is not note and other.start <= note.start + 0.01
        )
        if not lower:
            profiles[1, note.pitch % 12] += length
    return normal(profiles.astype(np.float32))

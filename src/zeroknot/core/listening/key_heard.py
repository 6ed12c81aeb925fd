"""In which key is a sound?

Method: how much each pitch class sounds, in all, in the bass, at the beginning and at the end, with
and without what lower notes' overtones explain, which notes are held (`pitches`), and which triads
come one after another; `key` judges them.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.key import MODES, KeyReading, normal, read_key
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.pitches import held_notes, held_profiles
from zeroknot.core.listening.salience import highest_and_lowest
from zeroknot.core.listening.sound_kind import UNPITCHED, SoundReading

Table = NDArray[np.float32]

EDGE_SHARE = 0.12  # of a loop that counts as its beginning or end
BASS_NOTE = 55.0  # MIDI note below which a peak is bass
CHORD_FRAMES = 8  # frames of the peaks, about a third of a second, that are one chord
TRIADS = {"major": (0, 4, 7), "minor": (0, 3, 7)}
LEAST_SHARE = 0.5  # of what sounds, that a triad has to hold


def key_heard(material: Material, sound: SoundReading) -> KeyReading:
    """The key of a sound; none for what has no pitch."""
    if sound.kind in UNPITCHED or material.peaks.notes.size < 8:
        return KeyReading.none()
    if material.cents is None:
        return KeyReading.none()
    return read_key(key_profiles(material), "key", material.cents)


def key_profiles(material: Material) -> Table:
    """float32 [12, 12], each summing to 1 (or 0).

    All that sounds, the bass, the beginning, the end; without overtones: all, the lowest notes; the
    roots of major triads and of minor ones; of the notes that are held: all, the lowest, the
    beginning, the end.
    """
    chroma = material.chroma
    edge = max(1, round(EDGE_SHARE * chroma.shape[0]))
    peaks = material.peaks
    notes = peaks.notes - (material.cents or 0.0) / 100.0
    nearest = np.floor(notes + 0.5)
    bass = np.zeros(12, np.float32)
    low = nearest < BASS_NOTE
    np.add.at(bass, nearest[low].astype(np.int64) % 12, np.sqrt(peaks.weights[low]))
    start = chroma[: 3 * edge] if chroma.shape[0] < 60 else chroma[:edge]
    own = material.note_weights
    clean = np.zeros((peaks.count, 12), np.float32)
    near = np.cos(np.pi * (notes - nearest)) ** 2
    np.add.at(clean, (peaks.frames, nearest.astype(np.int64) % 12), own * near)
    lowest = highest_and_lowest(peaks, own)[1] - (material.cents or 0.0) / 100.0
    lowest = lowest[np.isfinite(lowest)]
    roots = np.bincount(np.round(lowest).astype(np.int64) % 12, minlength=12)
    profiles = [
        chroma.sum(axis=0), bass, start.sum(axis=0), chroma[-edge:].sum(axis=0), clean.sum(axis=0),
        roots, *triads(clean),
        *held_profiles(held_notes(peaks, material.cents or 0.0), EDGE_SHARE),
    ]  # fmt: skip
    return normal(np.stack(profiles))


def triads(clean: Table) -> Table:
    """How much each triad sounds, as the best of its moment: float32 [2, 12] by mode and root.

    clean  float32 [frames, 12], pitch classes without overtones
    """
    parts = np.arange(0, clean.shape[0], CHORD_FRAMES)
    chords = np.add.reduceat(clean, parts, axis=0)
    level = chords.sum(axis=1)
    held = np.stack(
        [sum(np.roll(chords, -step, axis=1) for step in TRIADS[mode]) for mode in MODES], axis=1
    ).reshape(chords.shape[0], 24)
    best = held.argmax(axis=1)
    share = held[np.arange(best.size), best] / (level + 1e-9)
    found = np.zeros(24, np.float32)
    np.add.at(found, best, np.maximum(0.0, share - LEAST_SHARE) * level)
    return found.reshape(2, 12)

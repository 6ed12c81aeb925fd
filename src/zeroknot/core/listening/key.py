"""In which key is a loop, and how surely?

Conventions
-----------
- A key is written "D minor"; there are 24. "Cannot tell" is a reading without a key.
- Confidence is the probability that the key is right; runner_up is the next likeliest.

Method: how much each pitch class sounds, in all, in the bass, at the beginning and at the end, with
and without what lower notes' overtones explain, and which triads come one after another, seen from
each of the 24 tonics (after Krumhansl & Kessler 1982, but with weights that were learnt, by
benchmarks/accuracy, from loops and from pieces with a known key), judged by a small network.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.harmony.key import NAMES
from zeroknot.core.listening.network import network
from zeroknot.core.listening.salience import highest_and_lowest, note_weights
from zeroknot.core.listening.sound_kind import UNPITCHED, SoundReading

if TYPE_CHECKING:  # naming a key does not cost what listening takes to load
    from zeroknot.core.listening.material import Material

Table = NDArray[np.float32]
EDGE_SHARE = 0.12  # of a loop that counts as its beginning or end
BASS_NOTE = 55.0  # MIDI note below which a peak is bass
CHORD_FRAMES = 8  # frames of the peaks, about a third of a second, that are one chord
TRIADS = {"major": (0, 4, 7), "minor": (0, 3, 7)}
LEAST_SHARE = 0.5  # of what sounds, that a triad has to hold
MODES = ("major", "minor")


@dataclass(frozen=True)
class KeyReading:
    """key  None where there is none, or nobody can tell"""

    key: str | None
    confidence: float
    runner_up: str | None = None
    runner_up_confidence: float = 0.0
    cents: float | None = None

    @classmethod
    def none(cls, cents: float | None = None) -> KeyReading:
        """No key was heard.

        cents  the tuning, where one was
        """
        return cls(None, 0.0, None, 0.0, cents)


def key_heard(material: Material, sound: SoundReading) -> KeyReading:
    """The key of a sound; none for what has no pitch."""
    if sound.kind in UNPITCHED or material.peaks.notes.size < 8:
        return KeyReading.none()
    if material.cents is None:
        return KeyReading.none()
    return read_key(key_profiles(material), "key", material.cents)


def read_key(profiles: Table, weights: str, cents: float | None = None) -> KeyReading:
    """The likeliest of the 24 keys.

    profiles  float32 [profiles, 12]; pitch class 0 is C. Of sound those of `key_profiles`; of notes
              in all, in the bass, at the beginning, at the end
    weights   "key" for sound, "key-notes" for notes
    """
    scores = network(weights).scores(key_rows(profiles))
    share = np.exp(scores - scores.max())
    share /= share.sum()
    first, second = np.argsort(-share, kind="stable")[:2]
    return KeyReading(
        _name(int(first)), float(share[first]), _name(int(second)), float(share[second]), cents
    )


def _name(index: int) -> str:
    return f"{NAMES[index % 12]} {MODES[index // 12]}"


def key_profiles(material: Material) -> Table:
    """float32 [8, 12], each summing to 1 (or 0).

    All that sounds, the bass, the beginning, the end; without overtones: all, the lowest notes; the
    roots of major triads and of minor ones.
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
    own = note_weights(peaks)
    clean = np.zeros((peaks.count, 12), np.float32)
    near = np.cos(np.pi * (notes - nearest)) ** 2
    np.add.at(clean, (peaks.frames, nearest.astype(np.int64) % 12), own * near)
    lowest = highest_and_lowest(peaks, own)[1] - (material.cents or 0.0) / 100.0
    lowest = lowest[np.isfinite(lowest)]
    roots = np.bincount(np.round(lowest).astype(np.int64) % 12, minlength=12)
    profiles = [
        chroma.sum(axis=0), bass, start.sum(axis=0), chroma[-edge:].sum(axis=0), clean.sum(axis=0),
        roots, *triads(clean),
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


def normal(profiles: Table) -> Table:
    """Each of sum 1: float32 [profiles, numbers]"""
    return np.asarray(profiles / (profiles.sum(axis=1, keepdims=True) + 1e-9), np.float32)


def key_rows(profiles: Table) -> Table:
    """The profiles as seen from each key; major keys first, by pitch class.

    returns  float32 [24, 2 · numbers + 1]: for a major key first, for a minor one after them
    """
    size = profiles.size
    rows = np.zeros((24, 2 * size + 1), np.float32)
    for tonic in range(12):
        seen = np.roll(profiles, -tonic, axis=1).ravel() * 12
        rows[tonic, :size] = seen
        rows[12 + tonic, size : 2 * size] = seen
        rows[12 + tonic, 2 * size] = 1.0
    return rows

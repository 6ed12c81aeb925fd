"""In which key is a loop, and how surely?

Conventions
-----------
- A key is written "D minor"; there are 24. "Cannot tell" is a reading without a key.
- Confidence is the probability that the key is right; runner_up is the next likeliest.

Method: how much each pitch class sounds, in all, in the bass, at the beginning and at the end, seen
from each of the 24 tonics (after Krumhansl & Kessler 1982, but with weights that were learnt, by
benchmarks/accuracy, from loops and from pieces with a known key), judged by a small network.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.harmony.key import NAMES
from zeroknot.core.listening.network import network
from zeroknot.core.listening.sound_kind import UNPITCHED, SoundReading

if TYPE_CHECKING:  # naming a key does not cost what listening takes to load
    from zeroknot.core.listening.material import Material

Table = NDArray[np.float32]
EDGE_SHARE = 0.12  # of a loop that counts as its beginning or end
BASS_NOTE = 55.0  # MIDI note below which a peak is bass
LEAST_PEAKINESS = 0.12
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

    profiles  float32 [4, 12]: in all, in the bass, at the beginning, at the end; pitch class 0 is C
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
    """float32 [4, 12] as `read_key` takes them, each summing to 1 (or 0)."""
    chroma = material.chroma
    edge = max(1, round(EDGE_SHARE * chroma.shape[0]))
    peaks = material.peaks
    notes = peaks.notes - (material.cents or 0.0) / 100.0
    nearest = np.floor(notes + 0.5)
    bass = np.zeros(12, np.float32)
    low = nearest < BASS_NOTE
    np.add.at(bass, nearest[low].astype(np.int64) % 12, np.sqrt(peaks.weights[low]))
    start = chroma[: 3 * edge] if chroma.shape[0] < 60 else chroma[:edge]
    profiles = np.stack([chroma.sum(axis=0), bass, start.sum(axis=0), chroma[-edge:].sum(axis=0)])
    return normal(profiles)


def normal(profiles: Table) -> Table:
    """Each of sum 1: float32 [profiles, numbers]"""
    return np.asarray(profiles / (profiles.sum(axis=1, keepdims=True) + 1e-9), np.float32)


def key_rows(profiles: Table) -> Table:
    """The profiles as seen from each key: float32 [24, 97]; major keys first, by pitch class."""
    rows = np.zeros((24, 97), np.float32)
    for tonic in range(12):
        seen = np.roll(profiles, -tonic, axis=1).ravel() * 12
        rows[tonic, :48] = seen
        rows[12 + tonic, 48:96] = seen
        rows[12 + tonic, 96] = 1.0
    return rows

"""In which key is it, by how much each pitch class sounds, and how surely?

Conventions
-----------
- A key is written "D minor"; there are 24. "Cannot tell" is a reading without a key.
- Confidence is the probability that the key is right; runner_up is the next likeliest.

Method: profiles of the twelve pitch classes, seen from each of the 24 tonics (after Krumhansl &
Kessler 1982, but with weights that were learnt, by benchmarks/accuracy, from loops and from pieces
with a known key), judged by a small network.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.harmony.key import NAMES
from zeroknot.core.listening.network import network

Table = NDArray[np.float32]
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


def read_key(profiles: Table, weights: str, cents: float | None = None) -> KeyReading:
    """The likeliest of the 24 keys.

    profiles  float32 [profiles, 12]; pitch class 0 is C. Of sound those of
              `key_heard.key_profiles`; of notes in all, in the bass, at the beginning, at the end
    weights   "key" for sound, "key-notes" for notes
    cents     the tuning, that is handed on
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

"""How roughly do two loops sound together?

Source: Plomp & Levelt, "Tonal consonance and critical bandwidth", JASA 38, 1965, as parameterised
by Sethares, "Local consonance and the relationship between timbre and scale", JASA 94, 1993: two
partials a distance d apart are as rough as a₁·a₂·(e^(−3.5·s·d) − e^(−5.75·s·d)) with
s = 0.24 / (0.021·f + 19), f the lower frequency in Hz.

Conventions
-----------
- The clash of two sounds is the roughness of every partial of the one against every one of the
  other, over the squared sum of all amplitudes, mean over moments.
- Partials are (MIDI note number with its fraction, amplitude), as many a moment; amplitude 0 for
  none. Amplitudes of recordings count by how loud they are.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.harmony.key import NAMES
from zeroknot.core.units import A4_HZ

if TYPE_CHECKING:  # what sounds is measured by workers
    from zeroknot.core.listening.chroma import Peaks

PARTIALS = 12  # a moment
VERSION = 2  # of the partials that are kept
HEARD = 0.007  # clash from which on two loops are said to clash: 1 in 20 bars of one key reach it
LOUDNESS = 0.6  # power of the amplitude that loudness goes by (Stevens 1955, from memory)

Table = NDArray[np.float32]
Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Partials:
    """What sounds at each moment of a loop.

    notes, amplitudes  float32 [moments, PARTIALS]
    hop_seconds        from moment to moment
    """

    notes: Table
    amplitudes: Table
    hop_seconds: float

    def at(self, seconds: Floats) -> tuple[Table, Table]:
        """Notes and amplitudes at these seconds of the recording: float32 [seconds, PARTIALS] each.

        Outside it nothing sounds.
        """
        which = np.floor(seconds / self.hop_seconds + 0.5).astype(int)
        inside = (which >= 0) & (which < self.notes.shape[0])
        which = np.clip(which, 0, max(0, self.notes.shape[0] - 1))
        if not self.notes.size:
            empty = np.zeros((seconds.size, PARTIALS), np.float32)
            return empty, empty
        return self.notes[which], self.amplitudes[which] * inside[:, None]


def partials_of(peaks: Peaks) -> Partials:
    """The strongest peaks of each moment."""
    notes = np.zeros((peaks.count, PARTIALS), np.float32)
    amplitudes = np.zeros((peaks.count, PARTIALS), np.float32)
    order = np.lexsort((-peaks.weights, peaks.frames))
    frames = peaks.frames[order]
    first = np.searchsorted(frames, np.arange(peaks.count))
    rank = np.arange(frames.size) - first[frames]
    kept = rank < PARTIALS
    notes[frames[kept], rank[kept]] = peaks.notes[order][kept]
    amplitudes[frames[kept], rank[kept]] = peaks.weights[order][kept] ** LOUDNESS
    return Partials(notes, amplitudes, peaks.hop_seconds)


class Clash(NamedTuple):
    """value  0…1
    worst  pitch classes of the two notes that are roughest together; None where nothing sounds
    """

    value: float
    worst: tuple[int, int] | None


def clash(one: tuple[Table, Table], other: tuple[Table, Table]) -> Clash:
    """How roughly two sounds go together over some moments.

    one, other  notes and amplitudes, float32 [moments, partials]
    """
    (a_notes, a), (b_notes, b) = one, other
    total = (a.sum(axis=1) + b.sum(axis=1)).astype(np.float64) ** 2
    if not total.any():
        return Clash(0.0, None)
    rough = roughness(hertz_of(a_notes)[:, :, None], hertz_of(b_notes)[:, None, :])
    rough *= a[:, :, None].astype(np.float64) * b[:, None, :]
    rough /= np.maximum(total, 1e-30)[:, None, None]
    value = float(rough.sum(axis=(1, 2)).mean())
    pairs = np.zeros((12, 12))
    names = (np.floor(n + 0.5).astype(int) % 12 for n in (a_notes, b_notes))
    x, y = next(names), next(names)
    np.add.at(pairs, (x[:, :, None] + 0 * y[:, None, :], y[:, None, :] + 0 * x[:, :, None]), rough)
    if value <= 0.0:
        return Clash(0.0, None)
    worst = np.unravel_index(int(pairs.argmax()), pairs.shape)
    return Clash(value, (int(worst[0]), int(worst[1])))


def roughness(one_hz: Floats, other_hz: Floats) -> Floats:
    """Of pairs of partials of amplitude 1 at these Hz: float64 [as given], 0…1"""
    low = np.minimum(one_hz, other_hz)
    apart = np.abs(one_hz - other_hz) * 0.24 / (0.021 * low + 19.0)
    return np.asarray(np.exp(-3.5 * apart) - np.exp(-5.75 * apart))


def hertz_of(notes: Table) -> Floats:
    """Hz of MIDI note numbers with their fractions: float64 [as given]"""
    return np.asarray(A4_HZ * 2.0 ** ((notes.astype(np.float64) - 69.0) / 12.0))


def pair_text(worst: tuple[int, int]) -> str:
    """ "E against F" """
    return f"{NAMES[worst[0]]} against {NAMES[worst[1]]}"

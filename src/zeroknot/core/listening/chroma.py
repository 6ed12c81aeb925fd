"""Which pitch classes sound, and how far is the sound from A = 440 Hz?

Conventions
-----------
- Pitch class 0 is C. Cents are from equal temperament on A4 = 440 Hz (ISO 16), −50…+50.
- Only spectral peaks count: noise has few that stand out, and drums therefore little chroma.

Method: peaks of a long-window spectrum, their frequency by a parabola through the log magnitudes;
the tuning is the circular mean of the peaks' distance from the nearest semitone; each peak then
goes to its pitch class, weighted by how near it is to that.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio
from zeroknot.core.listening.framing import Framing, magnitudes
from zeroknot.core.units import A4_HZ

WINDOW_SECONDS = 0.186
HOP_SECONDS = 0.0465
LOWEST_HZ, HIGHEST_HZ = 50.0, 2_100.0
PEAKS_A_FRAME = 24

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Peaks:
    """Spectral peaks of all frames, one after another.

    frames   int [n], of hop_seconds each
    notes    float64 [n], MIDI note numbers with their fractions, at A = 440 Hz
    weights  float64 [n], magnitudes
    count    frames in all
    """

    frames: NDArray[np.int64]
    notes: Floats
    weights: Floats
    count: int
    hop_seconds: float
    energy: Floats  # float64 [count]: of all bins between the lowest and highest

    @property
    def peakiness(self) -> float:
        """Share of the energy that stands in peaks, 0…1: high for tones, low for noise."""
        total = float(self.energy.sum())
        return float(np.square(self.weights).sum() * 2.5) / total if total > 0 else 0.0

    def between(self, start: float, end: float) -> "Peaks":
        """Those of the frames from one second to another, counted from the first of them."""
        first, last = (round(second / self.hop_seconds) for second in (start, end))
        last = max(first + 1, min(last, self.count))
        kept = (self.frames >= first) & (self.frames < last)
        return Peaks(
            self.frames[kept] - first, self.notes[kept], self.weights[kept], last - first,
            self.hop_seconds, self.energy[first:last],
        )  # fmt: skip


def spectral_peaks(sound: Audio) -> Peaks:
    """Peaks between LOWEST_HZ and HIGHEST_HZ, the strongest of each frame."""
    framing = Framing.for_rate(sound.rate, WINDOW_SECONDS, HOP_SECONDS)
    hertz_a_bin = sound.rate / framing.window
    low = max(2, int(LOWEST_HZ / hertz_a_bin))
    high = min(framing.window // 2 - 2, int(HIGHEST_HZ / hertz_a_bin))
    frames, notes, weights, energies = [], [], [], []
    first = 0
    for chunk in zip(*(magnitudes(c, framing) for c in sound.samples), strict=True):
        power = chunk[0] if len(chunk) == 1 else np.sqrt(0.5 * (chunk[0] ** 2 + chunk[1] ** 2))
        part = power[:, low - 1 : high + 2].astype(np.float64) + 1e-12
        middle, left, right = part[:, 1:-1], part[:, :-2], part[:, 2:]
        energies.append(np.square(middle).sum(axis=1))
        loudest = middle.max(axis=1, keepdims=True)
        is_peak = (middle > left) & (middle >= right) & (middle > 0.01 * loudest)
        at, bins = np.nonzero(is_peak)
        a, b, c = (np.log(x[at, bins]) for x in (left, middle, right))
        bend = a - 2 * b + c
        shift = np.where(np.abs(bend) > 1e-9, 0.5 * (a - c) / np.where(bend == 0, 1, bend), 0.0)
        hertz = (low + bins + np.clip(shift, -0.5, 0.5)) * hertz_a_bin
        frames.append(at + first)
        notes.append(69.0 + 12.0 * np.log2(hertz / A4_HZ))
        weights.append(middle[at, bins])
        first += power.shape[0]
    return Peaks(
        np.concatenate(frames), np.concatenate(notes), np.concatenate(weights), first,
        framing.hop / sound.rate, np.concatenate(energies),
    )  # fmt: skip


def tuning_cents(peaks: Peaks) -> float | None:
    """Cents from A = 440 Hz, −50…+50; None where no pitch stands out."""
    if peaks.notes.size == 0:
        return None
    # Higher partials are resolved best; low ones blur over several semitones.
    weight = np.sqrt(peaks.weights) * np.clip((peaks.notes - 45.0) / 12.0, 0.0, 1.0)
    turn = np.exp(2j * np.pi * peaks.notes) * weight
    total = weight.sum()
    if total <= 0:
        return None
    mean = turn.sum() / total
    return float(np.angle(mean) / (2 * np.pi) * 100.0)


def chroma(peaks: Peaks, cents: float) -> NDArray[np.float32]:
    """float32 [frames, 12]: square roots of peak magnitudes on their pitch classes."""
    notes = peaks.notes - cents / 100.0
    nearest = np.floor(notes + 0.5)
    weight = np.sqrt(peaks.weights) * np.cos(np.pi * (notes - nearest)) ** 2
    table = np.zeros((peaks.count, 12), np.float32)
    np.add.at(table, (peaks.frames, nearest.astype(np.int64) % 12), weight)
    return table

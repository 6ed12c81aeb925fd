"""Does a loop go with others that play? By its likeness and theirs, each reason in 0…1.

Conventions
-----------
- Key: how much of its tones is inside the song's. Harmony: how alike its notes and those of the
  others are, half bar by half bar. Clash: how much of its notes lies a semitone off theirs there.
- Groove: how much it begins where they do, and as late in the beat. Low end: how much of its low
  register begins where theirs does, which gets in the way. Room: how much of it lies in octaves in
  which they have little.
- Ease: how little its tempo and its key must be changed.
- Where there is nothing to go by (no tones, nobody else) a reason is silent and has no say.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.harmony.fit import SHIFTS
from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.likeness import (
    HALVES,
    REGISTERS,
    SLICES,
    TONES,
    Floats,
    Likeness,
)

WEIGHTS = {
    "key": 0.3, "harmony": 0.6, "clash": 0.2, "groove": 0.2, "low": 0.1, "room": 0.2, "ease": 0.3,
}  # fmt: skip
SAID = {  # (from which, in words), (under which, in words)
    "key": ((0.9, "in key"), (0.7, "outside the key")),
    "harmony": ((0.75, "the same chords"), (0.35, "other chords")),
    "clash": ((0.9, "clashes with nothing"), (0.55, "clashes")),
    "groove": ((0.75, "hits with the rest"), (0.4, "hits beside the rest")),
    "low": ((0.75, "leaves the low end free"), (0.4, "crowds the low end")),
    "room": ((0.6, "fills what is free"), (0.25, "crowds what is there")),
    "ease": ((0.95, "as it is"), (0.4, "far from its own tempo and key")),
}
FARTHEST_OCTAVES, FARTHEST_SHIFT = 0.5, 8.0  # at which nothing is left of the ease


@dataclass(frozen=True)
class Fit:
    """reasons  by name, 0 bad … 1 good; those that are silent are not there"""

    reasons: dict[str, float]

    @property
    def score(self) -> float:
        """0…1; a half where nothing can be told."""
        weight = sum(WEIGHTS[name] for name in self.reasons)
        if not weight:
            return 0.5
        return sum(WEIGHTS[name] * value for name, value in self.reasons.items()) / weight

    @property
    def said(self) -> str:
        """What is good about it, then what is not, in words."""
        told = [SAID[n][0][1] for n, value in self.reasons.items() if value >= SAID[n][0][0]]
        told += [SAID[n][1][1] for n, value in self.reasons.items() if value < SAID[n][1][0]]
        return ", ".join(told)


def fit_of(one: Likeness, others: Sequence[Likeness], key: Key | None) -> Fit:
    """How one goes with all others that play, as it is."""
    return Fit({**_in_time(one, others), **_in_tune(one, others, key)[0]})


def best_fit(
    one: Likeness, others: Sequence[Likeness], key: Key | None, ratio: float | None = None
) -> tuple[Fit, int]:
    """How one goes with all others that play, and the shift in semitones by which it does best.

    ratio  of the song's tempo to its own; None where nobody knows it
    """
    in_time = _in_time(one, others)
    found = []
    for shift, in_tune in _in_tune(one, others, key).items():
        eased = {} if ratio is None else {"ease": ease(ratio, shift)}
        found.append((Fit({**in_time, **in_tune, **eased}), shift))
    if len(found) == 1 or not one.tone.any():
        return found[0]
    return max(found, key=lambda f: (round(f[0].score, 6), -abs(f[1])))


def rough_scores(
    packed: NDArray[np.float32], others: Sequence[Likeness], key: Key | None
) -> NDArray[np.float32]:
    """Scores to choose from many by: groove, room, and the best of all shifts in tune.

    packed  float32 [loops, SIZE], as `Likeness.packed`
    """
    told = np.zeros(len(packed), np.float32)
    if others:
        whole = np.sum([o.packed for o in others], axis=0)
        for name, weight in (("rhythm", 0.5), ("feel", 0.5), ("bands", -1.0)):
            part = SLICES[name]
            size = max(float(np.linalg.norm(whole[part])), 1e-12)
            weight *= WEIGHTS["room" if name == "bands" else "groove"]
            told += weight * (packed[:, part] @ (whole[part] / size))
    in_tune = np.zeros((len(packed), len(SHIFTS)), np.float32)
    back = (np.arange(TONES) + np.asarray(SHIFTS)[:, None]) % TONES  # what a tone is shifted to
    if key is not None:
        inside = np.asarray(key.weights, np.float32)[back] / np.sqrt(TONES / 2)
        in_tune += WEIGHTS["key"] * (packed[:, SLICES["tone"]] @ inside.T)
    if others:
        theirs = _rows(np.sum([o.harmony for o in others], axis=0))
        shifted = theirs[:, back].transpose(1, 0, 2).reshape(len(SHIFTS), -1) / np.sqrt(HALVES)
        in_tune += WEIGHTS["harmony"] * (packed[:, SLICES["harmony"]] @ shifted.T)
    return np.asarray(told + in_tune.max(axis=1))


def ease(ratio: float, shift: int) -> float:
    """0…1: 1 where nothing is changed. Half and double time are no change."""
    octaves = abs(np.log2(ratio)) % 1.0
    stretched = min(octaves, 1.0 - octaves) / FARTHEST_OCTAVES
    return float(max(0.0, 1.0 - stretched) * max(0.0, 1.0 - abs(shift) / FARTHEST_SHIFT))


def _in_time(one: Likeness, others: Sequence[Likeness]) -> dict[str, float]:
    reasons: dict[str, float] = {}
    if one.rhythm.any() and any(o.rhythm.any() for o in others):
        mine, rest = _steps(one), np.sum([_steps(o) for o in others], axis=0)
        feel = _alike(one.feel, np.sum([o.feel for o in others], axis=0))
        reasons["groove"] = 0.5 * (_alike(mine.sum(axis=0), rest.sum(axis=0)) + feel)
        if mine[0].any() and rest[0].any():
            reasons["low"] = 1.0 - _alike(mine[0], rest[0])
    if one.bands.any() and others:
        reasons["room"] = 1.0 - _alike(one.bands, np.sum([o.bands for o in others], axis=0))
    return reasons


def _in_tune(
    one: Likeness, others: Sequence[Likeness], key: Key | None
) -> dict[int, dict[str, float]]:
    """By shift in semitones, as it is first; that alone where it has no tones."""
    shifts = sorted(SHIFTS, key=lambda n: (abs(n), n))
    if not one.tone.any():
        return {0: {}}
    found: dict[int, dict[str, float]] = {n: {} for n in shifts}
    turned = (np.arange(TONES) - np.asarray(shifts)[:, None]) % TONES
    if key is not None:
        inside = (one.tone / one.tone.sum())[turned] @ np.asarray(key.weights)
        for n, value in zip(shifts, inside, strict=True):
            found[n]["key"] = float(value)
    theirs = _rows(np.sum([o.harmony for o in others], axis=0)) if others else None
    mine = _rows(one.harmony)
    if theirs is None or not (mine.any(axis=1) & theirs.any(axis=1)).any():
        return found
    both = mine.any(axis=1) & theirs.any(axis=1)
    tables = mine[both][:, turned].transpose(1, 0, 2)  # shifts, half bars, tones
    beside = np.roll(theirs, 1, axis=1) + np.roll(theirs, -1, axis=1)
    alike = np.einsum("sht,ht->sh", tables, theirs[both]).mean(axis=1)
    rough = np.einsum("sht,ht->sh", tables, beside[both]).mean(axis=1)
    for n, same, off in zip(shifts, alike, rough, strict=True):
        found[n] |= {"harmony": float(same), "clash": float(max(0.0, 1.0 - off))}
    return found


def _rows(harmony: Floats) -> Floats:
    """Each half bar that sounds has length 1: float64 [HALVES, TONES]."""
    rows = harmony.reshape(HALVES, TONES)
    return np.asarray(rows / np.maximum(np.linalg.norm(rows, axis=1, keepdims=True), 1e-12))


def _steps(one: Likeness) -> Floats:
    return one.rhythm.reshape(REGISTERS, -1)


def _alike(a: Floats, b: Floats) -> float:
    size = float(np.linalg.norm(a) * np.linalg.norm(b))
    return float(a @ b) / size if size else 0.0

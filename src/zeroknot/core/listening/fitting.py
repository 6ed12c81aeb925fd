"""Does a loop go with others that play? By its likeness and theirs, each reason in 0…1.

Conventions
-----------
- Key: how much of its tones is inside the song's; clash: how much of them lies a semitone off
  those of the others; groove: how much it begins where they do; low end: how much of its low
  register begins where theirs does, which gets in the way.
- Where there is nothing to go by (no tones, nobody else) a reason is silent and has no say.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zeroknot.core.harmony.fit import SHIFTS
from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.likeness import BARS, STEPS, Floats, Likeness

WEIGHTS = {"key": 0.35, "clash": 0.25, "groove": 0.2, "low": 0.2}
GOOD, BAD = 0.75, 0.4  # from which, and under which, a reason is told
SAID = {
    "key": ("in key", "outside the key"),
    "clash": ("clashes with nothing", "clashes"),
    "groove": ("hits with the rest", "hits beside the rest"),
    "low": ("leaves the low end free", "crowds the low end"),
}


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
        """The best and the worst of them in words."""
        told = [SAID[name][0] for name, value in self.reasons.items() if value >= GOOD]
        told += [SAID[name][1] for name, value in self.reasons.items() if value < BAD]
        return ", ".join(told)


def fit_of(one: Likeness, others: Sequence[Likeness], key: Key | None) -> Fit:
    """How one goes with all others that play."""
    reasons: dict[str, float] = {}
    tones = one.tone / one.tone.sum() if one.tone.any() else None
    if tones is not None and key is not None:
        reasons["key"] = float(tones @ np.asarray(key.weights))
    theirs = _sum([o.tone for o in others])
    if tones is not None and theirs is not None:
        beside = np.roll(theirs, 1) + np.roll(theirs, -1)
        reasons["clash"] = float(np.clip(1.0 - 3.0 * (tones @ beside), 0.0, 1.0))
    if one.rhythm.any() and any(o.rhythm.any() for o in others):
        mine = _steps(one)
        rest = np.sum([_steps(o) for o in others], axis=0)
        reasons["groove"] = _alike(mine.sum(axis=0), rest.sum(axis=0))
        if mine[0].any() and rest[0].any():
            reasons["low"] = 1.0 - _alike(mine[0], rest[0])
    return Fit(reasons)


def in_key(one: Likeness, key: Key | None) -> tuple[Likeness, int]:
    """It shifted to where most of its tones are inside a key, and by how many semitones."""
    if key is None or not one.tone.any():
        return one, 0
    weights = np.asarray(key.weights)
    inside = {n: float(np.roll(one.tone, n) @ weights) for n in SHIFTS}
    best = max(SHIFTS, key=lambda n: (round(inside[n], 3), -abs(n)))
    return Likeness(one.sound, one.rhythm, np.roll(one.tone, best)), best


def _steps(one: Likeness) -> Floats:
    return one.rhythm.reshape(3, BARS * STEPS)


def _alike(a: Floats, b: Floats) -> float:
    size = float(np.linalg.norm(a) * np.linalg.norm(b))
    return float(a @ b) / size if size else 0.0


def _sum(parts: list[Floats]) -> Floats | None:
    total = np.sum(parts, axis=0) if parts else np.zeros(1)
    return total / total.sum() if total.any() else None

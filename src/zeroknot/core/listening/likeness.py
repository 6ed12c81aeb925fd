"""What is a loop like, in numbers that can be compared? Its sound, its rhythm, its tones.

Conventions
-----------
- Each vector has length 1, so that a product of two is how alike they are, −1…1 (0…1 where nothing
  in it is negative); all 0 where there is nothing of it.
- The rhythm is what begins on each sixteenth of two bars, in three registers, whatever the tempo
  and the level; the feel, where in a beat things begin, finer than that: swing is told by it.
- The harmony is the tones of each half bar of four; shorter loops are repeated.
- The sound is a projection of what its spectrum does, whatever the level: by which families of
  instruments are told apart best (`benchmarks/likeness_learn.py`).

How they are measured is `liken.py`, which takes more to load.
"""

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

VERSION = 4  # of the measuring
BARS, STEPS = 2, 16  # of the rhythm: two bars of sixteenths
HALVES, TONES = 8, 12  # of the harmony: half bars, pitch classes
REGISTERS, OCTAVES = 3, 8  # of the rhythm; of the bands
SIZES = {
    "sound": 24, "rhythm": REGISTERS * BARS * STEPS, "tone": TONES, "harmony": HALVES * TONES,
    "feel": 24, "bands": OCTAVES,
}  # fmt: skip
SIZE = sum(SIZES.values())
WEIGHTS = {"sound": 0.6, "rhythm": 0.25, "tone": 0.15}  # in how alike two are on the whole


def _slices() -> dict[str, slice]:
    ends = np.cumsum(list(SIZES.values())).tolist()
    return {name: slice(end - SIZES[name], end) for name, end in zip(SIZES, ends, strict=True)}


SLICES = _slices()  # of each in all of it one after another

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Likeness:
    """All float64, of `SIZES`.

    sound
    rhythm   registers × steps
    tone     pitch classes, C first
    harmony  half bars × pitch classes; each half bar that sounds weighs the same
    feel     where in a beat things begin, its start first
    bands    levels of octaves, the lowest first
    """

    sound: Floats
    rhythm: Floats
    tone: Floats
    harmony: Floats
    feel: Floats
    bands: Floats

    @property
    def packed(self) -> NDArray[np.float32]:
        """All of it one after another: float32 [SIZE]."""
        parts = [getattr(self, field.name) for field in fields(self)]
        return np.concatenate(parts).astype(np.float32)

    @classmethod
    def unpacked(cls, packed: NDArray[np.float32]) -> "Likeness":
        """From float32 [SIZE], as `packed` gives it."""
        told = packed.astype(np.float64)
        return cls(**{name: told[part] for name, part in SLICES.items()})

    @property
    def without_tones(self) -> "Likeness":
        """As of a sound whose tones are no notes, as those of drums are not."""
        silent = {name: np.zeros(SIZES[name]) for name in ("tone", "harmony")}
        return replace(self, **silent)

    def alike(self, other: "Likeness") -> float:
        """On the whole, −1…1."""
        pairs = ((w, getattr(self, name), getattr(other, name)) for name, w in WEIGHTS.items())
        return float(sum(weight * (a @ b) for weight, a, b in pairs))

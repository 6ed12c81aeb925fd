"""What is a loop like, in numbers that can be compared? Its sound, its rhythm, its tones.

Conventions
-----------
- Three vectors, each of length 1, so that a product of two is how alike they are, −1…1 (rhythm and
  tones 0…1); all 0 where there is nothing of it.
- The rhythm is what begins on each sixteenth of two bars, in three registers, whatever the tempo
  and the level.
- The sound is a projection of what its spectrum does, whatever the level: by which families of
  instruments are told apart best (`benchmarks/likeness_learn.py`).

How they are measured is `liken.py`, which takes more to load.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

VERSION = 1  # of the measuring
BARS, STEPS = 2, 16  # of the rhythm: two bars of sixteenths
SOUND, RHYTHM, TONE = 16, 3 * BARS * STEPS, 12
WEIGHTS = (0.6, 0.25, 0.15)  # of sound, rhythm and tones in how alike two are on the whole

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Likeness:
    """sound   float64 [SOUND]
    rhythm  float64 [RHYTHM]: registers × steps
    tone    float64 [TONE]: pitch classes, C first
    """

    sound: Floats
    rhythm: Floats
    tone: Floats

    @property
    def packed(self) -> NDArray[np.float32]:
        """All of it one after another: float32 [SOUND + RHYTHM + TONE]."""
        return np.concatenate([self.sound, self.rhythm, self.tone]).astype(np.float32)

    @classmethod
    def unpacked(cls, packed: NDArray[np.float32]) -> "Likeness":
        """From float32 [SOUND + RHYTHM + TONE], as `packed` gives it."""
        told = packed.astype(np.float64)
        return cls(told[:SOUND], told[SOUND : SOUND + RHYTHM], told[SOUND + RHYTHM :])

    def alike(self, other: "Likeness") -> float:
        """On the whole, −1…1."""
        pairs = zip(WEIGHTS, self._parts, other._parts, strict=True)
        return float(sum(weight * (a @ b) for weight, a, b in pairs))

    @property
    def _parts(self) -> tuple[Floats, Floats, Floats]:
        return self.sound, self.rhythm, self.tone

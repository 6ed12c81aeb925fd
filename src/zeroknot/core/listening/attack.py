"""What is an attack? When, how strong, how sure: values only, so that naming them costs nothing.

Found by `attacks.py`.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

SENSITIVITY = 0.65  # what holds where nobody asked for more or less

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Attacks:
    """seconds    float64 [n], rising
    strengths  float64 [n], 0…1
    sureness   float64 [n], 0…1
    """

    seconds: Floats
    strengths: Floats
    sureness: Floats

    @classmethod
    def none(cls) -> "Attacks":
        """No attack at all."""
        return cls(np.zeros(0), np.zeros(0), np.zeros(0))

    def at_sensitivity(self, sensitivity: float) -> "Attacks":
        """Those that hold at a sensitivity of 0…1; a higher one only ever adds."""
        return self.taken(self.sureness >= 1.0 - sensitivity)

    def strongest(self, most: int) -> tuple[Floats, Floats]:
        """Seconds and strengths of as many, in order: of a long take that is enough.

        returns  float64 [kept] each
        """
        if self.seconds.size <= most:
            return self.seconds, self.strengths
        kept = np.sort(np.argsort(-self.strengths, kind="stable")[:most])
        return self.seconds[kept], self.strengths[kept]

    def taken(self, which: NDArray[np.bool_]) -> "Attacks":
        """Those that `which` says: bool [attacks]"""
        return Attacks(self.seconds[which], self.strengths[which], self.sureness[which])

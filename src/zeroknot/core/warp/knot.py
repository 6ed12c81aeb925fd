"""What is a knot? A pin that ties a moment of the recording to a place on the strand's grid."""

import math
from dataclasses import dataclass

from zeroknot.core.errors import KnotError


@dataclass(frozen=True, order=True)
class Knot:
    """second  of the recording; may lie outside the file (silence there)
    beat    quarter notes from the first downbeat; negative in the lead
    """

    second: float
    beat: float

    def __post_init__(self) -> None:
        if not (math.isfinite(self.second) and math.isfinite(self.beat)):
            raise KnotError(f"a knot at {self.second} s / beat {self.beat} cannot be placed")

"""What might a loop be? Start, end, bars and metre of each possibility: values only.

Conventions
-----------
- A hypothesis counts pulses; `metre` is pulses a bar (6/8 has two).
- Kinds say where a start or an end came from; the judge weighs them.
"""

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

# Pulses a bar, and how many of them a minute may have.
METRES = {4: (55.0, 212.0), 3: (55.0, 212.0), 2: (44.0, 132.0), 5: (55.0, 212.0), 7: (118.0, 330.0)}
BARS = (1, 2, 4, 8, 16, 3, 5, 6, 7, 12, 24, 32, 64)
START_FILE, START_SOUND, START_ATTACK, START_BEFORE, START_BACK, START_MARK = range(6)
END_FILE, END_SOUND, END_BEAT, END_BEYOND, END_SEAM, END_MARK = range(6)


@dataclass(frozen=True, eq=False)
class Hypotheses:
    """One row a hypothesis: seconds, counts and kinds, all of the same length."""

    start: Floats
    end: Floats
    bars: Ints
    metre: Ints
    start_kind: Ints
    end_kind: Ints

    def __len__(self) -> int:
        return int(self.start.size)

    @property
    def pulses(self) -> Ints:
        """Pulses of a pass: int [hypotheses]"""
        return self.bars * self.metre

    @property
    def period(self) -> Floats:
        """Seconds a pulse. float64 [hypotheses]"""
        return (self.end - self.start) / self.pulses

    @property
    def tempo(self) -> Floats:
        """Pulses a minute. float64 [hypotheses]"""
        return 60.0 / self.period

    def taken(self, which: Ints | NDArray[np.bool_]) -> "Hypotheses":
        """Those that `which` says: int [taken] or bool [hypotheses]"""
        return Hypotheses(*(getattr(self, f.name)[which] for f in fields(self)))

    def joined(self, *others: "Hypotheses") -> "Hypotheses":
        """These, then the others."""
        return Hypotheses(
            *(np.concatenate([getattr(h, f.name) for h in (self, *others)]) for f in fields(self))
        )

    def without_doubles(self) -> "Hypotheses":
        """The first of those that agree within 1 ms in start and end."""
        keys = np.stack(
            [np.round(self.start / 0.001), np.round(self.end / 0.001), self.bars, self.metre], 1
        )
        return self.taken(np.sort(np.unique(keys, axis=0, return_index=True)[1]))

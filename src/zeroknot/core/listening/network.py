"""How does a small trained network judge a row of numbers?

One hidden layer beside a straight path: tanh(x · hidden + bias) · out + x · straight + offset,
where x is (row − mean) / spread. The weights were fitted by benchmarks/accuracy on loops made
there; they ship as arrays beside the code.
"""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

Table = NDArray[np.float32]
WEIGHTS = Path(__file__).parent / "weights"
FARTHEST = 6.0  # spreads from the mean: farther is no more telling


@dataclass(frozen=True, eq=False)
class Network:
    """mean, spread  float32 [features]
    hidden        float32 [features, units], bias float32 [units]
    out           float32 [units, answers], straight float32 [features, answers]
    offset        float32 [answers]
    """

    mean: Table
    spread: Table
    hidden: Table
    bias: Table
    out: Table
    straight: Table
    offset: Table

    def answers(self, rows: Table) -> NDArray[np.float64]:
        """float64 [rows, answers]: a score for each answer."""
        x = np.clip((rows - self.mean) / self.spread, -FARTHEST, FARTHEST)
        inner = np.tanh(x @ self.hidden + self.bias)
        return np.asarray(inner @ self.out + x @ self.straight + self.offset, dtype=np.float64)

    def scores(self, rows: Table) -> NDArray[np.float64]:
        """float64 [rows]: the only answer's score."""
        return self.answers(rows)[:, 0]


PARTS = ("mean", "spread", "hidden", "bias", "out", "straight", "offset")


@cache
def network(name: str) -> Network:
    """The shipped network of that name."""
    with np.load(WEIGHTS / f"{name}.npz") as kept:
        return Network(**{part: kept[part] for part in PARTS})

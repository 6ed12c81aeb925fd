"""How do boosted trees judge a row of numbers?

Many small trees of yes-or-no questions, each mending what those before it left; a row's score is
the sum of the leaves that it comes to (Friedman 2001, "Greedy function approximation: a gradient
boosting machine"). They were grown by benchmarks/accuracy on loops made there; they ship as arrays
beside the code.
"""

from dataclasses import dataclass
from functools import cache

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.network import WEIGHTS

Table = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Trees:
    """Nodes of all trees, one after another; of a fork the branch below it is the next node.

    roots     int32 [trees]: where each tree begins
    answer    int16 [trees]: to which answer's score it adds
    feature   int16 [nodes]: the number that a fork asks for, −1 for a leaf
    value     float32 [nodes]: up to which a fork goes below; of a leaf what it adds
    above     int32 [nodes]: the other branch of a fork
    """

    roots: NDArray[np.int32]
    answer: NDArray[np.int16]
    feature: NDArray[np.int16]
    value: Table
    above: NDArray[np.int32]

    def answers(self, rows: Table) -> NDArray[np.float64]:
        """float64 [rows, answers]: what the leaves come to.

        rows  float32 [rows, features]
        """
        out = np.zeros((rows.shape[0], int(self.answer.max()) + 1))
        rows = np.ascontiguousarray(rows, np.float32)
        _scores_kernel(rows, self.roots, self.answer, self.feature, self.value, self.above, out)
        return out

    def scores(self, rows: Table) -> NDArray[np.float64]:
        """float64 [rows]: the only answer's score."""
        return self.answers(rows)[:, 0]


@numba.njit(cache=True, nogil=True)
def _scores_kernel(  # type: ignore[no-untyped-def]
    rows, roots, answer, feature, value, above, out
):
    for tree in range(roots.size):  # outside: a tree is small enough to stay at hand for all rows
        for n in range(rows.shape[0]):
            node = roots[tree]
            while feature[node] >= 0:
                if rows[n, feature[node]] <= value[node]:
                    node += 1
                else:
                    node = above[node]
            out[n, answer[tree]] += value[node]


PARTS = ("roots", "answer", "feature", "value", "above")


@cache
def trees(name: str) -> Trees:
    """The shipped trees of that name."""
    with np.load(WEIGHTS / f"{name}.npz") as kept:
        return Trees(**{part: kept[part] for part in PARTS})

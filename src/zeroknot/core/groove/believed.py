"""How far off its step was a hit played, and how much of that is only how it was heard?

A hit of a recording is heard with a doubt: a soft one amid others to some ten milliseconds, and
some that are heard are an echo, or nothing. Taken at their word, they would pull a loop about that
is on the grid already. So each is believed by as much as the loop it is in makes likely.

Conventions
-----------
- Offs and doubts are shares of a step. A doubt is a standard error; of notes it is 0, and they are
  believed wholly.

Method: how late all is played on the whole, or every second step (a swing), and how loosely besides
is told by all hits of a loop at once, as what explains best how far they are off by more than they
are in doubt. Some are put elsewhere on purpose, and some that are heard belong to no step. What a
hit is off, as it is most likely, follows (empirical Bayes: Efron & Morris, "Data analysis using
Stein's estimator and its generalizations", JASA 70, 1975).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

# Standard deviations that a playing may have, shares of a step, each likelier than the next.
LOOSE = np.asarray(
    [0.0, 0.003, 0.007, 0.01, 0.014, 0.02, 0.027, 0.034, 0.045, 0.06, 0.08, 0.1, 0.14, 0.2, 0.3]
)
USUAL = 0.007
# Shares, beforehand: of hits, what is put elsewhere on purpose, and about how far; of all that is
# heard, what lies anywhere within so much of a step, and of what is heard for sure.
PURPOSE, ELSEWHERE = 0.02, 0.12
ANYWHERE, WIDTH, LEAST_STRAY = 0.15, 0.8, 0.002
LEAST_DOUBT, MOST_DOUBT = 1e-6, 1.0
LEAST_LATE = 3  # hits that tell how late they are on the whole
LATENESS_COSTS = 4.0  # natural logarithm: that each such number explains a loop has to show


@dataclass(frozen=True)
class Heard:
    """off   from its step
    doubt
    sureness  0…1, how sure it is that it is a hit
    is_second  it lies on the second of a pair of steps
    """

    off: float
    doubt: float
    sureness: float = 1.0
    is_second: bool = False

    @property
    def error(self) -> float:
        """The doubt as a variance, within what can be reckoned with; 0 for what is known."""
        return min(self.doubt, MOST_DOUBT) ** 2 if self.doubt > LEAST_DOUBT else 0.0


@dataclass(frozen=True)
class Looseness:
    """first, second  by how much steps are late on the whole, and every second one
    variance  of how a loop is played besides, squared shares of a step
    """

    first: float = 0.0
    second: float = 0.0
    variance: float = 0.0

    @classmethod
    def of(cls, hits: Sequence[Heard]) -> "Looseness":
        """By all hits of a loop; those without a doubt have no say, as they need none."""
        inexact = [hit for hit in hits if hit.error]
        if not inexact:
            return cls()
        offs, errors = (np.asarray([getattr(h, n) for h in inexact]) for n in ("off", "error"))
        second = np.asarray([hit.is_second for hit in inexact])
        all_late, firsts, seconds = (_middle(o) for o in (offs, offs[~second], offs[second]))
        price = LATENESS_COSTS + 0.5 * math.log(len(inexact))
        found: list[tuple[float, Looseness]] = []
        for first, other, numbers in (
            (0.0, 0.0, 0), (all_late, all_late, 1), (0.0, seconds, 1), (firsts, seconds, 2),
        ):  # fmt: skip
            late = np.where(second, other, first)
            likely, variance = _explained(offs - late, errors)
            found.append((likely - numbers * price, cls(first, other, variance)))
        return max(found, key=lambda pair: pair[0])[1]

    def believed(self, hit: Heard) -> float:
        """How far off its step a hit was played."""
        if not hit.error:
            return hit.off
        late = self._late(hit)
        shares, stray = self._shares(hit)
        part = sum(
            share * variance / (variance + hit.error)
            for share, variance in zip(shares, (self.variance, ELSEWHERE**2), strict=True)
        )
        return late + (hit.off - late) * part / (sum(shares) + stray)

    def belongs(self, hit: Heard) -> float:
        """How likely a hit is the one of its step, and no other that lies near it, 0…1."""
        if not hit.error:
            return 1.0
        shares, stray = self._shares(hit)
        return sum(shares) / (sum(shares) + stray)

    def _late(self, hit: Heard) -> float:
        return self.second if hit.is_second else self.first

    def _shares(self, hit: Heard) -> tuple[tuple[float, float], float]:
        """How likely what is heard is played loosely, or put elsewhere; and anything else."""
        stray = max(LEAST_STRAY, 1.0 - hit.sureness)
        off = hit.off - self._late(hit)
        loose, elsewhere = (
            share * (1.0 - stray) * math.exp(-0.5 * off**2 / wide) / math.sqrt(2 * math.pi * wide)
            for share, wide in (
                (1.0 - PURPOSE, self.variance + hit.error),
                (PURPOSE, ELSEWHERE**2 + hit.error),
            )
        )
        return (loose, elsewhere), stray / WIDTH


def _middle(offs: Floats) -> float:
    """What most are off; 0 where they are too few to tell."""
    return float(np.median(offs)) if offs.size >= LEAST_LATE else 0.0


def _explained(offs: Floats, errors: Floats) -> tuple[float, float]:
    """How well hits are explained by any looseness, as a natural logarithm; its variance.

    offs, errors  float64 [hits]
    """
    wide = LOOSE[:, None] ** 2 + errors
    played = (1.0 - PURPOSE) * _normal(offs, wide) + PURPOSE * _normal(offs, ELSEWHERE**2 + errors)
    density = (1.0 - ANYWHERE) * played + ANYWHERE / WIDTH
    likely = np.log(density).sum(axis=1) - np.log1p(LOOSE / USUAL)
    weights = np.exp(likely - likely.max())
    total = float(weights.sum())
    return float(likely.max()) + math.log(total), float((weights * LOOSE**2).sum()) / total


def _normal(offs: Floats, variances: Floats) -> Floats:
    return np.asarray(np.exp(-0.5 * offs**2 / variances) / np.sqrt(2.0 * np.pi * variances))

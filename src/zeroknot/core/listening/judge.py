"""How likely is each hypothesis?

A quick network keeps the likeliest of a thousand or two, boosted trees weigh those. Their scores
are logarithms of probabilities among the hypotheses of one sound.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.edges import better_edges
from zeroknot.core.listening.evidence import Table, evidence, first_evidence
from zeroknot.core.listening.hypothesis import Hypotheses
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.network import network
from zeroknot.core.listening.trees import trees

MOST_JUDGED = 200


def likeliest(first: Table, most: int) -> NDArray[np.int64]:
    """Rows that the quick network gives the most to, in their own order.

    first    float [hypotheses, features]
    returns  int64 [up to most]
    """
    scores = network("readings-first").scores(first)
    return np.sort(np.argsort(-scores, kind="stable")[:most])


def worth_judging(material: Material, hypotheses: Hypotheses) -> tuple[Hypotheses, Table]:
    """What the quick network leaves, with better edges beside it, and its first evidence."""
    best = likeliest(first_evidence(material, hypotheses), MOST_JUDGED)
    taken = better_edges(hypotheses.taken(best), material.attacks, material.thin)
    return taken, first_evidence(material, taken)


def judged(material: Material, hypotheses: Hypotheses) -> tuple[Hypotheses, NDArray[np.float64]]:
    """The hypotheses worth a full look, and their scores.

    returns  so many hypotheses, float64 [hypotheses]
    """
    taken, first = worth_judging(material, hypotheses)
    return taken, trees("readings").scores(evidence(material, taken, first))

"""How alike do the pieces of a recording sound, and would it click where it is cut?"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.slicing.alike import distances
from zeroknot.core.slicing.edges import Edge, edges
from zeroknot.studio.tasks.sources import MIDI_RATE, source_at


def likeness_of(folder: Path, sha: str, edges: tuple[float, ...]) -> NDArray[np.float64]:
    """float64 [pieces, pieces], how unlike each two sound."""
    return distances(source_at(folder, sha, MIDI_RATE), edges)


def edges_of_cuts(folder: Path, sha: str, cuts: tuple[float, ...]) -> tuple[Edge, ...]:
    """Step and slope in dB at each cut."""
    return edges(source_at(folder, sha, MIDI_RATE), cuts)

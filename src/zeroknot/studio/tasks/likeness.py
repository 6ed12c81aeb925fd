"""How alike do the pieces of a recording sound?"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.slicing.alike import distances
from zeroknot.studio.tasks.sources import MIDI_RATE, source_at


def likeness_of(folder: Path, sha: str, edges: tuple[float, ...]) -> NDArray[np.float64]:
    """float64 [pieces, pieces], how unlike each two sound."""
    return distances(source_at(folder, sha, MIDI_RATE), edges)

"""How does a loop sound when it is simply run faster or slower? Pitch follows speed."""

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.stretch.part import Part
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.stretch.sinc import MOST_SPEED, PASSBAND, ZERO_CROSSINGS, read_at


def render_piece(
    part: Part,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    settings: StretchSettings,
) -> tuple[int, Samples]:
    """One piece of a part; pieces meet without overlap.

    settings  have no say here: the shift is what the speed makes it
    returns   first output frame, float32 [channels, frames]
    """
    start = int(np.floor(from_anchor[1] + 0.5))
    end = int(np.floor(to_anchor[1] + 0.5))
    # One frame more on either side, for the speed at the edges.
    positions = part.source_frames_at(np.arange(start - 1, end + 1, dtype=np.float64))
    if part.view.is_circle:
        # The circle's length in whole frames is what the body is read from.
        exact = part.source_frames_at(np.asarray([part.start, part.end], dtype=np.float64))
        scale = (part.view.end - part.view.start) / (exact[1] - exact[0])
        positions = part.view.start + (positions - exact[0]) * scale
    speeds = np.gradient(positions)[1:-1]
    positions = positions[1:-1]
    margin = int(ZERO_CROSSINGS / PASSBAND * min(MOST_SPEED, max(1.0, speeds.max()))) + 2
    first = int(np.floor(positions[0])) - margin
    count = int(np.ceil(positions[-1])) + margin - first
    return start, read_at(part.view.read(first, count), positions - first, speeds)

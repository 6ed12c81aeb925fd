"""How alike do pieces of a recording sound, would it click where it is cut, and where not?"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio
from zeroknot.core.listening.liken import likeness_in
from zeroknot.core.render.any_plan import PassPlan
from zeroknot.core.slicing.alike import distances
from zeroknot.core.slicing.edges import Edge, edges
from zeroknot.core.slicing.quiet import nearest_zero
from zeroknot.studio.tasks.rendering import rendering_of
from zeroknot.studio.tasks.sources import MIDI_RATE, source_at


def likeness_of(folder: Path, sha: str, edges: tuple[float, ...]) -> NDArray[np.float64]:
    """float64 [pieces, pieces], how unlike each two sound."""
    return distances(source_at(folder, sha, MIDI_RATE), edges)


def edges_of_cuts(folder: Path, sha: str, cuts: tuple[float, ...]) -> tuple[Edge, ...]:
    """Step and slope in dB at each cut."""
    return edges(source_at(folder, sha, MIDI_RATE), cuts)


def zeros_at(folder: Path, sha: str, seconds: tuple[float, ...]) -> tuple[float, ...]:
    """The seconds next to some at which a recording crosses zero."""
    sound = source_at(folder, sha, MIDI_RATE)
    return tuple(nearest_zero(sound, second) for second in seconds)


def vector_of(
    folder: Path, sha: str, start: float, end: float, bars: int | None
) -> NDArray[np.float32]:
    """What a loop is like: `core.listening.likeness`, packed."""
    sound = source_at(folder, sha, MIDI_RATE)
    return likeness_in(sound, start, end, bars).packed


def vector_of_plan(folder: Path, plan: PassPlan, bars: int) -> NDArray[np.float32]:
    """The same of what a plan renders."""
    whole = rendering_of(folder, plan).frames(plan.lead_frames, plan.body_frames)
    sound = Audio(np.asarray(whole, np.float32), plan.rate)
    return likeness_in(sound, 0.0, sound.seconds, bars).packed

"""What may an intent ask for? The shelf, and what is measured of a loop."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import EditError
from zeroknot.core.groove.hit import Hit
from zeroknot.core.harmony.profile import NO_TONES, Profile
from zeroknot.core.loop import Loop
from zeroknot.core.notes.written import Score
from zeroknot.store.loops import LoopStore

Measure = Callable[[Loop], tuple[Hit, ...]]
Listen = Callable[[Loop], Profile]
Distances = NDArray[np.float64]
Begun = tuple[tuple[float, float], ...]  # where to cut for an attack, and how sure it is one
Begin = Callable[[Loop], Begun]
Compare = Callable[[Loop, tuple[float, ...]], Distances | None]
Read = Callable[[Loop], Score]
FindZeros = Callable[[Loop, tuple[float, ...]], tuple[float, ...]]


def nothing_measured(loop: Loop) -> tuple[Hit, ...]:
    """Where there are no workers to measure."""
    raise EditError(f"the hits of {loop.name} cannot be measured here")


def no_tones(loop: Loop) -> Profile:
    """Where there are no workers to listen."""
    return NO_TONES


def nothing_begun(loop: Loop) -> Begun:
    """Where there are no workers to listen: as the attacks were heard."""
    return tuple((second, sure) for second, _, sure in loop.hearing.attacks)


def nothing_compared(loop: Loop, edges: tuple[float, ...]) -> None:
    """Where there are no workers to compare."""
    return None


def as_they_are(loop: Loop, seconds: tuple[float, ...]) -> tuple[float, ...]:
    """Where there are no workers to look."""
    return seconds


def nothing_read(loop: Loop) -> Score:
    """Where there are no workers to read."""
    raise EditError(f"the notes of {loop.name} cannot be read here")


@dataclass(frozen=True)
class Known:
    """loops  on the shelf
    hits   every hit of a loop, in order
    tones  how much each pitch class sounds in it
    begun  where each attack of a loop begins, and how sure it is one
    alike  how unlike its pieces sound, which begin and end at some seconds
    score  of a MIDI loop: what its file has written
    zeros  the seconds next to some at which it crosses zero
    """

    loops: LoopStore
    hits: Measure = nothing_measured
    tones: Listen = no_tones
    begun: Begin = nothing_begun
    alike: Compare = nothing_compared
    zeros: FindZeros = as_they_are
    score: Read = nothing_read

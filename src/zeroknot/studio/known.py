"""What may an intent ask for? The shelf, and what is measured of a loop."""

from collections.abc import Callable
from dataclasses import dataclass

from zeroknot.core.errors import EditError
from zeroknot.core.groove.hit import Hit
from zeroknot.core.harmony.profile import NO_TONES, Profile
from zeroknot.core.loop import Loop
from zeroknot.store.loops import LoopStore

Measure = Callable[[Loop], tuple[Hit, ...]]
Listen = Callable[[Loop], Profile]


def nothing_measured(loop: Loop) -> tuple[Hit, ...]:
    """Where there are no workers to measure."""
    raise EditError(f"the hits of {loop.name} cannot be measured here")


def no_tones(loop: Loop) -> Profile:
    """Where there are no workers to listen."""
    return NO_TONES


@dataclass(frozen=True)
class Known:
    """loops  on the shelf
    hits   every hit of a loop, in order
    tones  how much each pitch class sounds in it
    """

    loops: LoopStore
    hits: Measure = nothing_measured
    tones: Listen = no_tones

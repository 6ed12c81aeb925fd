"""What may an intent ask for? The shelf, and what is measured of a loop's hits."""

from collections.abc import Callable
from dataclasses import dataclass

from zeroknot.core.errors import EditError
from zeroknot.core.groove.hit import Hit
from zeroknot.core.loop import Loop
from zeroknot.store.loops import LoopStore

Measure = Callable[[Loop], tuple[Hit, ...]]


def nothing_measured(loop: Loop) -> tuple[Hit, ...]:
    """Where there are no workers to measure."""
    raise EditError(f"the hits of {loop.name} cannot be measured here")


@dataclass(frozen=True)
class Known:
    """loops  on the shelf
    hits   every hit of a loop, in order
    """

    loops: LoopStore
    hits: Measure = nothing_measured

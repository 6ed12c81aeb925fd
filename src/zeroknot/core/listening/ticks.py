"""Where round a pass are a loop's hits? For rings that are drawn of it.

Conventions
-----------
- A tick is a place, 0…1 of a pass from its one on, and how strong it is, 0…1.
"""

from collections.abc import Sequence

from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.loop import Loop

MOST_TICKS = 64


def ticks_of(loop: Loop) -> list[tuple[float, float]]:
    """Those of a loop as it is read; as a whole where it is not."""
    reading = loop.reading
    start, end = (reading.downbeat_s, reading.end_s) if reading else (0.0, loop.seconds)
    return strongest(
        [
            ((second - start) / (end - start), strength)
            for second, strength, sure in loop.hearing.attacks
            if sure >= 1.0 - SENSITIVITY and start <= second < end
        ]
    )


def strongest(hits: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """As many as a ring can show, the strongest of them at 1."""
    inside = [(place, level) for place, level in hits if 0.0 <= place < 1.0]
    kept = sorted(inside, key=lambda h: -h[1])[:MOST_TICKS]
    most = max((level for _, level in kept), default=1.0) or 1.0
    return [(round(place, 4), round(min(1.0, level / most), 2)) for place, level in kept]

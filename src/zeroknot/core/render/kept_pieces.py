"""Which pieces need not be rendered again? Those of which nothing that has a say has changed.

A knot that is moved changes the pieces around it; all others of the pass are found here, whichever
plan they were rendered for.
"""

import hashlib
from contextlib import suppress

from cachetools import LRUCache

from zeroknot.core.audio import Samples
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.stretch.methods import method_named
from zeroknot.core.stretch.part import Part

Point = tuple[float, float]
Rendered = tuple[int, Samples]  # first output frame, float32 [channels, frames]

MOST_BYTES = 64 * 1024 * 1024
SEEN_SECONDS = 0.2  # a window of any method looks less far past what it makes


class KeptPieces:
    """Rendered pieces by everything that has a say in them, those used last."""

    def __init__(self, most_bytes: int = MOST_BYTES):
        self._pieces: LRUCache[bytes, Rendered] = LRUCache(
            most_bytes, getsizeof=lambda rendered: rendered[1].nbytes
        )

    def get(self, key: bytes) -> Rendered | None:
        """The piece of that address (`key_of`); None where it is not kept."""
        return self._pieces.get(key)

    def keep(self, key: bytes, rendered: Rendered) -> None:
        """Keep a piece, as long as there is room."""
        with suppress(ValueError):  # larger than all that is kept
            self._pieces[key] = rendered


def key_of(plan: RenderPlan, part: Part, start: Point, end: Point) -> bytes:
    """The address of one piece of a plan: the same for every plan in which it sounds the same.

    start, end  of the piece: (source frame, output frame)
    returns     20 bytes
    """
    reach = method_named(plan.method).reach_seconds + SEEN_SECONDS
    view = part.view
    said = (
        plan.source, plan.rate, plan.method, plan.version, plan.settings, plan.semitones,
        plan.crossfade_s, plan.parts, plan.apart_by,
        view.start, view.end, view.is_circle, part.start, part.end, part.lag, start, end,
        # What is frozen is read from one moment, wherever in the pass that lies.
        plan.knots if plan.settings.frozen_at is not None else None,
    )  # fmt: skip
    digest = hashlib.blake2b(repr(said).encode(), digest_size=20)
    digest.update(part.laid_between(start[1] - reach * plan.rate, end[1] + reach * plan.rate))
    return digest.digest()

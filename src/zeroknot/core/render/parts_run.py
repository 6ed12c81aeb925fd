"""How does a plan become sound that is of some parts of its recording, or treats them otherwise?"""

from collections.abc import Callable

from zeroknot.core.apart.parts import BOTH, Parts
from zeroknot.core.audio import Audio, Samples
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.kept_pieces import KeptPieces
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.run import Rendering


class Together(InBlocks):
    """Tones and hits, each laid in its own way by the same map, added up."""

    def __init__(self, tones: Rendering, hits: Rendering):
        self._tones, self._hits = tones, hits

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self._tones.size

    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: axis frames from `first` on."""
        return self._tones.frames(first, count) + self._hits.frames(first, count)


def rendering_of_pass(
    part: Callable[[Parts], Audio], attacks: Attacks, plan: RenderPlan, threads: int = 2,
    kept: KeptPieces | None = None,
) -> InBlocks:  # fmt: skip
    """A plan over a recording, over what of it rings, over what is struck, or over both apart.

    part  the recording ("whole"), its "tones" or its "hits", at the plan's rate
    attacks, threads, kept  as of a Rendering
    """
    if plan.parts != "apart":
        return Rendering(part(plan.parts), attacks, plan, threads, kept)
    tones, hits = (
        Rendering(part(name), attacks, plan.one_of_two(name), threads, kept) for name in BOTH
    )
    return Together(tones, hits)

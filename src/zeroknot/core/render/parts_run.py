"""How does a plan become sound that is of some parts of its recording, or treats them otherwise?"""

from collections.abc import Callable
from dataclasses import replace

from zeroknot.core.audio import Audio, Samples
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.kept_pieces import KeptPieces
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.run import Rendering


class Together(InBlocks):
    """Tones and hits, each laid by the same map, added up."""

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
    sound: Audio, tones: Callable[[], Audio], attacks: Attacks, plan: RenderPlan,
    threads: int = 2, kept: KeptPieces | None = None,
) -> InBlocks:  # fmt: skip
    """A plan over a recording, over what of it rings, over what is struck, or over both apart.

    sound    the recording at the plan's rate
    tones    what of it rings (`core.apart.apart.tones_of`), asked for where the plan wants it
    attacks, threads, kept  as of a Rendering
    """
    if plan.parts == "whole":
        return Rendering(sound, attacks, plan, threads, kept)
    ringing = tones()
    tones_plan = replace(plan, parts="tones")
    if plan.parts == "tones":
        return Rendering(ringing, attacks, tones_plan, threads, kept)
    struck = Audio(sound.samples - ringing.samples, sound.rate)
    hits = Rendering(struck, attacks, plan.of_parts("hits"), threads, kept)
    if plan.parts == "hits":
        return hits
    return Together(Rendering(ringing, attacks, tones_plan, threads, kept), hits)

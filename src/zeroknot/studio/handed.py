"""What does whoever writes a loop to a file have to know of it?"""

from dataclasses import dataclass

from zeroknot.core.formats.pack_page import PackLoop
from zeroknot.core.formats.riff import WavTags


@dataclass(frozen=True)
class Handed:
    """One loop on its way out.

    rate, voice  at which and by what notes are sounded
    body   its one and its end in seconds; None where nobody can tell
    stem   of its file's name
    cuts   seconds with labels, as cue points
    page   what the pack's page says of it
    recipe  as a text beside it; "" for none
    """

    sha: str
    rate: int
    voice: str | None
    body: tuple[float, float] | None
    tags: WavTags
    stem: str
    cuts: tuple[tuple[float, str], ...] = ()
    page: PackLoop | None = None
    recipe: str = ""

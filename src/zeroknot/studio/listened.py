"""What comes back from listening to a file."""

from dataclasses import dataclass, field

from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims


@dataclass(frozen=True)
class Listened:
    """What listening to one incoming file gave, or the sentence that refuses it."""

    refusal: str | None
    sha: str = ""
    file_kind: str = ""
    rate: int = 0
    channels: int = 0
    frames: int = 0
    claims: Claims | None = None
    hearing: Hearing = field(default_factory=lambda: Hearing(sounding=(0.0, 0.0)))
    warnings: tuple[str, ...] = ()

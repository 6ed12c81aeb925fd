"""What comes back from listening to a file."""

from dataclasses import dataclass

from zeroknot.core.listening.reading import Claims, Reading


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
    attacks: tuple[tuple[float, float], ...] = ()
    sounding: tuple[float, float] = (0.0, 0.0)
    readings: tuple[Reading, ...] = ()
    warnings: tuple[str, ...] = ()

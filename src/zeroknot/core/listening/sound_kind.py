"""What kinds of sound are there: drums, a bass, chords, a voice?

Conventions
-----------
- One of KINDS, with the probability that it is right. One hit is a single sound that dies away: it
  has no tempo.
"""

from __future__ import annotations

from dataclasses import dataclass

KINDS = ("drums", "percussion", "bass", "chords", "line", "voice", "pad", "mixed")
ONE_HIT = "one hit"
UNPITCHED = frozenset({"drums", "percussion"})


@dataclass(frozen=True)
class SoundReading:
    """kind  one of KINDS or ONE_HIT; None where nothing sounds"""

    kind: str | None
    confidence: float

    @classmethod
    def none(cls) -> SoundReading:
        """Nobody can tell."""
        return cls(None, 0.0)

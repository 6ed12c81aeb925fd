"""What is a reading, and what is a claim?

Conventions
-----------
- A reading's tempo counts pulses a minute, beats_per_bar pulses a bar (6/8 has two).
- Confidences of one loop's readings are probabilities; they sum to at most 1, the rest is
  "none of these".
"""

from dataclasses import dataclass

LONGEST_LOOP_SECONDS = 75.0  # longer is a take: its beats are followed instead


@dataclass(frozen=True)
class Reading:
    """One hypothesis about what a loop is.

    bars           whole bars of one pass
    beats_per_bar  pulses
    tempo_bpm      pulses a minute
    downbeat_s     second of the first downbeat; may be negative
    end_s          second where one pass ends; may lie past the file
    confidence     0…1
    reason         in a few words
    is_end_stated  somebody said where it ends: a downbeat that moves leaves that where it is
    """

    bars: int
    beats_per_bar: int
    tempo_bpm: float
    downbeat_s: float
    end_s: float
    confidence: float
    reason: str = ""
    is_end_stated: bool = False

    @property
    def pulses(self) -> int:
        """Pulses of one pass."""
        return self.bars * self.beats_per_bar


@dataclass(frozen=True, kw_only=True)
class Claims:
    """What tags, names and chunks say of a loop; None where they say nothing.

    voice  key in VOICES of what is to play a MIDI loop
    """

    tempo_bpm: float | None = None
    bars: int | None = None
    key: str | None = None
    loop_start_s: float | None = None
    loop_end_s: float | None = None
    title: str | None = None
    voice: str | None = None
    sources: tuple[str, ...] = ()

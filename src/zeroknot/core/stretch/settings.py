"""What is a stretch method told beside the time map?

Only what a method has a use for is told to it; the rest stays as it is by itself, so that two
plans that come to the same sound have the same address.
"""

from dataclasses import dataclass
from typing import Literal

from zeroknot.core.errors import StretchError
from zeroknot.core.synth.voices import VOICES

STEEPEST_SHIFT = 24.0  # semitones either way
Direction = Literal["forward", "backward", "both"]


@dataclass(frozen=True, kw_only=True)
class StretchSettings:
    """formants       0…1, how far the resonances stay where they are when shifted
    grain_seconds  length of a grain
    density        grains that sound at once
    jitter_seconds how far a grain may be read from where it should be, either way
    spread         0…1, how far grains are placed to the sides
    direction      of reading
    frozen_at      share of the pass that is held; None where time goes on
    seed           of everything that chance decides
    voice          key in VOICES that plays a MIDI loop's notes; None for its own
    """

    formants: float = 0.0
    grain_seconds: float = 0.12
    density: float = 4.0
    jitter_seconds: float = 0.02
    spread: float = 0.0
    direction: Direction = "forward"
    frozen_at: float | None = None
    seed: int = 1
    voice: str | None = None

    def __post_init__(self) -> None:
        for name, (low, high) in LIMITS.items():
            value = getattr(self, name)
            if value is not None and not low <= value <= high:
                words = name.replace("_", " ")
                raise StretchError(f"{words} of {value:g} is outside {low:g} to {high:g}")

        if self.voice is not None and self.voice not in VOICES:
            known = ", ".join(VOICES)
            raise StretchError(f"there is no voice {self.voice!r} here; choose from {known}")

    def told(self, names: frozenset[str]) -> "StretchSettings":
        """Only the named ones; the rest as they are by themselves."""
        return StretchSettings(**{name: getattr(self, name) for name in names})


LIMITS: dict[str, tuple[float, float]] = {
    "formants": (0.0, 1.0),
    "grain_seconds": (0.005, 1.0),
    "density": (1.0, 16.0),
    "jitter_seconds": (0.0, 2.0),
    "spread": (0.0, 1.0),
    "frozen_at": (0.0, 1.0),
    "seed": (0, 2**31 - 1),
}
SHIFTED = frozenset({"formants"})
PLAYED = frozenset({"voice"})
GRAINS = frozenset(
    {"grain_seconds", "density", "jitter_seconds", "spread", "direction", "frozen_at", "seed"}
)

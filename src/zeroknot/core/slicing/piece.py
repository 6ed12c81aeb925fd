"""What is done to one piece of a loop, wherever it is played?

Conventions
-----------
- Levels are dB, shifts semitones (hundredths are cents), fades milliseconds of what is heard.
- A fade-in lies before the cut, so that an attack right behind it keeps its edge.
"""

from dataclasses import dataclass
from typing import Literal, get_args

from zeroknot.core.errors import SliceError
from zeroknot.core.slicing.limits import within
from zeroknot.core.slicing.shape import Shape
from zeroknot.core.stretch.settings import STEEPEST_SHIFT

QUIETEST_DB, LOUDEST_DB = -60.0, 12.0
LONGEST_FADE_MS = 2000.0
LONGEST_NAME = 60
# laid: as long as the loop is laid there; left: as recorded; filled: as long as its tile
Length = Literal["laid", "left", "filled"]
UNSHAPED = Shape()
LENGTHS: tuple[Length, ...] = get_args(Length)


@dataclass(frozen=True)
class Piece:
    """name       a person's own; "" where it has none
    gain_db    level
    pan        −1 left … 1 right
    semitones  shift, length kept
    reverse    played from its end
    muted      not heard
    rings      on past its tile, until it ends; else it stops with the tile
    length     how long it is
    fade_in_ms, fade_out_ms  at its edges, where it does not go on as it was recorded
    shape      envelopes, filter and drive
    """

    name: str = ""
    gain_db: float = 0.0
    pan: float = 0.0
    semitones: float = 0.0
    reverse: bool = False
    muted: bool = False
    rings: bool = False
    length: Length = "laid"
    fade_in_ms: float = 2.0
    fade_out_ms: float = 4.0
    shape: Shape = UNSHAPED

    def __post_init__(self) -> None:
        within("a level in dB", self.gain_db, QUIETEST_DB, LOUDEST_DB)
        within("a pan", self.pan, -1.0, 1.0)
        within("a shift in semitones", self.semitones, -STEEPEST_SHIFT, STEEPEST_SHIFT)
        within("a fade in ms", self.fade_in_ms, 0.0, LONGEST_FADE_MS)
        within("a fade in ms", self.fade_out_ms, 0.0, LONGEST_FADE_MS)
        if len(self.name) > LONGEST_NAME:
            raise SliceError(f"a slice's name has at most {LONGEST_NAME} characters")
        if self.length not in LENGTHS:
            raise SliceError(f"a slice's length is one of {', '.join(LENGTHS)}")

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
from zeroknot.core.slicing.shape import (
    LONGEST_WAVE,
    SHORTEST_WAVE,
    UNSHAPED,
    Shape,
)
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import STEEPEST_SHIFT

Bus = Literal["room", "echo"]
QUIETEST_DB, LOUDEST_DB = -60.0, 12.0
LOUDEST_SEND_DB = 6.0
BUSES: tuple[Bus, ...] = ("room", "echo")
LONGEST_FADE_MS = 2000.0
LONGEST_NAME = 60
# laid: as long as the loop is laid there; left: as recorded; filled: as long as its tile
Length = Literal["laid", "left", "filled"]
MOST_GROUPS = 8
LENGTHS: tuple[Length, ...] = get_args(Length)


@dataclass(frozen=True)
class Piece:
    """name       a person's own; "" where it has none
    gain_db    level
    pan        −1 left … 1 right
    sway       how far it goes to both sides of that, 0…1
    sway_beats  beats from one left to the next
    semitones  shift, length kept
    reverse    played from its end
    muted      not heard
    rings      on past its tile, until it ends; else it stops with the tile
    held       a pad plays it only while it is held; else through
    choke      number of a group of which one sounds at a time; 0 for none
    length     how long it is
    method     of its stretch; "" where it is the loop's
    fade_in_ms, fade_out_ms  at its edges, where it does not go on as it was recorded
    shape      envelopes, filter and drive
    room_db, echo_db  sent to the room and the echo, by whatever track it sounds; −60 dB is nothing
    """

    name: str = ""
    gain_db: float = 0.0
    pan: float = 0.0
    sway: float = 0.0
    sway_beats: float = 4.0
    semitones: float = 0.0
    reverse: bool = False
    muted: bool = False
    rings: bool = False
    held: bool = False
    choke: int = 0
    length: Length = "laid"
    method: str = ""
    fade_in_ms: float = 4.0
    fade_out_ms: float = 6.0
    shape: Shape = UNSHAPED
    room_db: float = QUIETEST_DB
    echo_db: float = QUIETEST_DB

    def __post_init__(self) -> None:
        within("a level in dB", self.gain_db, QUIETEST_DB, LOUDEST_DB)
        within("a send in dB", self.room_db, QUIETEST_DB, LOUDEST_SEND_DB)
        within("a send in dB", self.echo_db, QUIETEST_DB, LOUDEST_SEND_DB)
        within("a pan", self.pan, -1.0, 1.0)
        within("a sway", self.sway, 0.0, 1.0)
        within("a sway in beats", self.sway_beats, SHORTEST_WAVE, LONGEST_WAVE)
        within("a choke group", self.choke, 0, MOST_GROUPS)
        within("a shift in semitones", self.semitones, -STEEPEST_SHIFT, STEEPEST_SHIFT)
        within("a fade in ms", self.fade_in_ms, 0.0, LONGEST_FADE_MS)
        within("a fade in ms", self.fade_out_ms, 0.0, LONGEST_FADE_MS)
        if len(self.name) > LONGEST_NAME:
            raise SliceError(f"a slice's name has at most {LONGEST_NAME} characters")
        if self.length not in LENGTHS:
            raise SliceError(f"a slice's length is one of {', '.join(LENGTHS)}")
        if self.method and self.method not in METHODS:
            raise SliceError(f"a slice's method is one of {', '.join(METHODS)}")

    def sent(self, bus: Bus) -> float:
        """dB at which it is sent there."""
        return self.room_db if bus == "room" else self.echo_db

    def sends(self, bus: Bus) -> bool:
        """Is anything of it sent there?"""
        return self.sent(bus) > QUIETEST_DB

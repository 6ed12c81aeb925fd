"""What is one note that is to be sounded?"""

from dataclasses import dataclass


@dataclass(frozen=True)
class PlayedNote:
    """A note on the frames of an output.

    at        first frame; may be negative
    frames    until it is let go
    pitch     MIDI note number, cents as its fraction; for drums the number of the instrument
    velocity  1…127
    voice     key in VOICES
    """

    at: int
    frames: int
    pitch: float
    velocity: int
    voice: str

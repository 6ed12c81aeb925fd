"""One stretch of a source as an order plays it."""

from dataclasses import dataclass

from zeroknot.core.mixing.shape import Corners
from zeroknot.core.slicing.shape import Shape


@dataclass(frozen=True)
class Voice:
    """source   index of what it is a stretch of
    start    output frame of that source with which it begins (ends, in reverse)
    frames   how long it is
    at       frame of the order at which it begins
    gain_db  level
    pan      −1 left … 1 right
    reverse  from its end
    fade_in, fade_out  frames, within it
    shape    from where its fade-in ends; None where it is as it is
    release  frames at its end over which it falls: it was let go
    sway, sway_beats  of its pan, as of a piece
    beat     of the order on which it begins, and
    beat_frames  frames a beat there; both only where something of it goes by beats
    cutoff, drive  corners of lines in place of those of its shape, straight between and level
             outside: frame of the order, and log2 of Hz or dB
    """

    source: int
    start: int
    frames: int
    at: int
    gain_db: float = 0.0
    pan: float = 0.0
    reverse: bool = False
    fade_in: int = 0
    fade_out: int = 0
    shape: Shape | None = None
    release: int = 0
    sway: float = 0.0
    sway_beats: float = 4.0
    beat: float = 0.0
    beat_frames: float = 0.0
    cutoff: Corners = ()
    drive: Corners = ()

    @property
    def is_shaped(self) -> bool:
        """Is anything done to it but its level, its fades and its pan?"""
        return bool(self.shape or self.cutoff or self.drive)

    @property
    def is_panned(self) -> bool:
        """Does it need two sides?"""
        return bool(self.pan or self.sway)

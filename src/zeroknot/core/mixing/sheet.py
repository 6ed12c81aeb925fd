"""What is to be heard, and exactly when?

Conventions
-----------
- Song frames count from beat 0 at the project's rate; they may be negative (bar 0).
- An event plays a stretch of one render's axis from a whole song frame on.
- Fades are linear, inside the event, in frames; what goes otherwise is a shape.
"""

from dataclasses import dataclass, replace

from zeroknot.core.mixing.shape import Corners, cut


@dataclass(frozen=True)
class Event:
    """One pass, or part of one, of a clip.

    id        clip and pass, the same as long as both are
    track     id of the track it sounds on
    strand    id of the strand it is a pass of
    digest    address of the render
    at        song frame of its first frame
    start     axis frame of the render to begin with
    frames    how many
    gain      linear
    fade_in, fade_out  frames
    shape     corners from its first frame on, over the whole of it; then there are no fades
    """

    id: str
    track: str
    strand: str
    digest: str
    at: int
    start: int
    frames: int
    gain: float
    fade_in: int
    fade_out: int
    shape: Corners = ()

    def within(self, skipped: int, frames: int) -> "Event":
        """What of it begins so many frames later, and is so long, without fades at new edges."""
        return replace(
            self, at=self.at + skipped, start=self.start + skipped, frames=frames,
            fade_in=0 if skipped else self.fade_in,
            fade_out=0 if skipped + frames < self.frames else self.fade_out,
            shape=cut(self.shape, skipped, frames),
        )  # fmt: skip


@dataclass(frozen=True)
class TrackLevel:
    """A track in the mix: linear gain, 0 where it is muted or another is solo."""

    id: str
    gain: float


@dataclass(frozen=True)
class Sheet:
    """Everything a mixer needs besides the renders themselves."""

    rate: int
    events: tuple[Event, ...]
    tracks: tuple[TrackLevel, ...]
    master: float

    @property
    def first_frame(self) -> int:
        """The earliest sound, or 0."""
        return min((e.at for e in self.events), default=0)

    @property
    def end_frame(self) -> int:
        """One past the last sound."""
        return max((e.at + e.frames for e in self.events), default=0)


def fades_within(frames: int, fade_in: int, fade_out: int) -> tuple[int, int]:
    """Fades in frames as far as both have room: half of it each where they would meet."""
    if fade_in + fade_out <= frames:
        return fade_in, fade_out
    half = frames // 2
    if min(fade_in, fade_out) < half:
        short = min(fade_in, fade_out)
        return (short, frames - short) if fade_in < fade_out else (frames - short, short)
    return half, half

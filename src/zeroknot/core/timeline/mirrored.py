"""When does a beat fall where a stretch of the song runs backwards?"""

from dataclasses import dataclass
from typing import Protocol

from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.units import frame


class Tempo(Protocol):
    """What a pass is laid by."""

    def second_of_beat(self, beat: float) -> float:
        """Seconds from beat 0."""

    def frame_of_beat(self, beat: float, rate: int) -> int:
        """Whole frames from beat 0."""

    def bpm_at(self, beat: float) -> float:
        """Quarter notes a minute at a beat."""

    def breaks_between(self, start_beat: float, end_beat: float) -> tuple[float, ...]:
        """Beats strictly inside a range at which the tempo law changes."""

    def is_steady_between(self, start_beat: float, end_beat: float) -> bool:
        """Does one tempo hold over the whole range?"""


@dataclass(frozen=True)
class Mirrored:
    """A tempo map turned round between two beats, which stay where they are.

    What is laid by it and then played backwards falls on the beats of the map itself, over ramps,
    too.
    """

    tempo: TempoMap
    start: float
    end: float

    def second_of_beat(self, beat: float) -> float:
        """Seconds from beat 0 of the map."""
        second_of = self.tempo.second_of_beat
        return second_of(self.start) + second_of(self.end) - second_of(self._turned(beat))

    def frame_of_beat(self, beat: float, rate: int) -> int:
        """Whole frames from beat 0, as of `TempoMap`."""
        return frame(self.second_of_beat(beat) * rate)

    def bpm_at(self, beat: float) -> float:
        """Quarter notes a minute."""
        return self.tempo.bpm_at(self._turned(beat))

    def breaks_between(self, start_beat: float, end_beat: float) -> tuple[float, ...]:
        """Beats strictly inside a range at which the tempo law changes."""
        found = self.tempo.breaks_between(self._turned(end_beat), self._turned(start_beat))
        return tuple(self._turned(beat) for beat in reversed(found))

    def is_steady_between(self, start_beat: float, end_beat: float) -> bool:
        """Does one tempo hold over the whole range?"""
        return self.tempo.is_steady_between(self._turned(end_beat), self._turned(start_beat))

    def _turned(self, beat: float) -> float:
        return self.start + self.end - beat

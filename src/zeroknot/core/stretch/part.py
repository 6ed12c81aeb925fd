"""Into which pieces is a stretch divided, so that any of them can be rendered first?

Conventions
-----------
- A part is the lead, the body or the tail of a pass; output frames count from the first downbeat.
- Anchors are moments where the output is the recording itself, phases and all: the part's edges,
  strong attacks, and a quiet moment where four seconds would pass without one.
- A piece lies between two anchors and depends on nothing else, so the result is the same
  whatever is asked for first.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.stretch.ends import sound_end
from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.warp.time_map import Floats, TimeMap

Points = Floats  # [n, 2]: source frame, output frame

SHORTEST_PIECE_SECONDS = 0.9
LONGEST_PIECE_SECONDS = 4.0
NEARER = 0.3


@dataclass(frozen=True, eq=False)
class Part:
    """One stretch of the recording and where it is laid.

    view       what is heard, and what stands around it
    rate       frames per second of source and output
    time_map   source seconds to output frames
    start, end output frames
    attacks    float64 [n] source seconds inside the part, rising
    strengths  float64 [n] 0…1
    semitones  shift, length kept
    threads    that may work on one piece; the result is the same on however many
    lag        seconds by which its attacks are heard after their notes, as long at any tempo
    """

    view: SourceView
    rate: int
    time_map: TimeMap
    start: int
    end: int
    attacks: Floats
    strengths: Floats
    semitones: float = 0.0
    threads: int = 1
    lag: float = 0.0

    @property
    def frames(self) -> int:
        """Output frames of it."""
        return self.end - self.start

    def source_frames_at(self, output_frames: Floats) -> Floats:
        """Source frames (not rounded) at output frames. float64 [frames] each"""
        return self.time_map.source_of(output_frames) * self.rate

    @cached_property
    def attack_points(self) -> Points:
        """Attacks, rising: float64 [n, 2] of (source frame, output frame)."""
        return np.stack([self.attacks * self.rate, self._laid(self.attacks)], axis=1)

    def attack_after(self, frame: float) -> float:
        """Output frame of the first attack later than that one; on a circle, of any round.

        Where none follows, the part's end.
        """
        frames = self.attack_points[:, 1]
        at = int(np.searchsorted(frames, frame + 1.0))
        if at < frames.size:
            return float(frames[at])
        if self.view.is_circle and frames.size:
            return float(frames[0]) + self.frames
        return max(frame, float(self.end))

    def _laid(self, seconds: Floats) -> Floats:
        """Output frames of what is heard at source seconds, as late as in the recording."""
        # What is heard before the lag is over began with the part, what is over in it ends with it.
        since = np.maximum(0.0, seconds - self.view.start / self.rate)
        left = np.maximum(0.0, self.view.end / self.rate - seconds)
        lag = np.minimum(since, self.lag)
        laid = self.time_map.output_of(seconds - lag) + lag * self.rate
        at_end = np.minimum(laid, self.end - left * self.rate)
        return np.asarray(np.where(left < self.lag, at_end, laid))

    def ends(self, first: float, last: float) -> Points:
        """Where sounds end between two output frames, on every round of a circle.

        returns  float64 [n, 2] of (source, output frame), rising
        """
        # From the attack before the first of them, which lies no further than a longest piece.
        room = LONGEST_PIECE_SECONDS * self.rate
        round_ = np.asarray([self.view.end - self.view.start, self.frames], dtype=np.float64)
        found = [np.zeros((0, 2))]
        for k, low, high in self._from_to(self.attack_points, first - room, last + room):
            self._look_for_ends(low, high)
            found.append(self._ends[low:high] + k * round_)
        # Where the last of them ends depends on what lies beyond.
        points = np.concatenate(found)[:-1]
        return points[(points[:, 1] >= first) & (points[:, 1] <= last)]

    @cached_property
    def _ends(self) -> Points:
        """Where each attack ends, as far as it was looked for; not a number where nowhere."""
        return np.full((self.attacks.size, 2), np.nan)

    @cached_property
    def _is_looked_for(self) -> NDArray[np.bool_]:
        return np.zeros(self.attacks.size, np.bool_)

    def _look_for_ends(self, low: int, high: int) -> None:
        """Of the attacks low…high, once for all pieces and bands, the same on every round."""
        new = low + np.flatnonzero(~self._is_looked_for[low:high])
        if not new.size:
            return
        length = self.view.end - self.view.start
        starts = self.attack_points[:, 0]
        # After the last one the circle begins again; a cut has nothing there to end before.
        stops = np.append(starts[1:], starts[0] + length if self.view.is_circle else np.nan)
        # The next one begins before it is heard.
        begins = stops - self.lag * self.rate
        for i in new[np.isfinite(begins[new])].tolist():
            end = sound_end(self.view, self.rate, float(starts[i]), float(begins[i]))
            if end is not None:
                turn = (end - self.view.start) // length if self.view.is_circle else 0
                inside = np.asarray([(end - turn * length) / self.rate])
                self._ends[i] = end, self._laid(inside)[0] + turn * self.frames
        self._is_looked_for[new] = True

    @cached_property
    def bends(self) -> Points:
        """Points of the time map inside the part: float64 [n, 2] of (source, output frame)."""
        points = np.stack([self.time_map.seconds * self.rate, self.time_map.frames], axis=1)
        return np.asarray(points[(points[:, 1] > self.start) & (points[:, 1] < self.end)])

    @cached_property
    def anchors(self) -> Points:
        """Anchors, both edges among them, rising: float64 [n, 2] of (source, output frame)."""
        edges = np.asarray([self.start, self.end], dtype=np.float64)
        first, last = np.stack([self.source_frames_at(edges), edges], axis=1)
        shortest = SHORTEST_PIECE_SECONDS * self.rate
        longest = LONGEST_PIECE_SECONDS * self.rate
        attacks = self.attack_points
        found = [first]
        while last[1] - found[-1][1] > longest or (
            last[1] - found[-1][1] > 2 * shortest and attacks.size
        ):
            at = found[-1]
            room = min(at[1] + longest, last[1] - shortest)
            low, high = np.searchsorted(attacks[:, 1], (at[1] + shortest, room + 1e-9))
            near = attacks[low:high]
            free = (near[:, 0] >= at[0] + 0.25 * shortest) & (
                near[:, 0] <= last[0] - 0.25 * shortest
            )
            if free.any():
                # Nearer anchors are worth more than slightly stronger ones.
                worth = self.strengths[low:high] - NEARER * (near[:, 1] - at[1]) / self.rate
                found.append(near[int(np.argmax(np.where(free, worth, -np.inf)))])
            elif last[1] - at[1] > longest:
                split = min(at[1] + longest, last[1] - longest / 2)
                found.append(np.asarray([self.source_frames_at(np.asarray([split]))[0], split]))
            else:
                break
        return np.stack([*found, last])

    def clear_of_anchors(self, points: Points) -> Floats:
        """Output frames from points of any round to the nearest anchor: float64 [n].

        points  float64 [n, 2]
        """
        at, anchors = points[:, 1], self.anchors[:, 1]
        if self.view.is_circle:
            at = self.start + (at - self.start) % self.frames
        i = np.clip(np.searchsorted(anchors, at), 1, anchors.size - 1)
        return np.asarray(np.minimum(np.abs(at - anchors[i - 1]), np.abs(anchors[i] - at)))

    def laid_between(self, first: float, last: float) -> bytes:
        """All that is told of where the recording lies between two output frames, as bytes.

        Attacks, anchors and bends of the map there, and three fixed points more on either side:
        what lies between depends on nothing beyond.
        """
        round_ = self.frames if self.view.is_circle else 0
        low, high = first - round_, last + round_
        kinds = [self.around(p, low, high) for p in (self.anchors, self.attack_points)]
        fixed = np.unique(np.concatenate([k[:, 1] for k in kinds]))
        low = fixed[max(0, int(np.searchsorted(fixed, first)) - 3)]
        high = fixed[min(fixed.size - 1, int(np.searchsorted(fixed, last)) + 2)]
        told = [*kinds, self.around(self.bends, low, high)]
        edges = self.source_frames_at(np.asarray([self.start, self.end], dtype=np.float64))
        parts = [k[(k[:, 1] >= low) & (k[:, 1] <= high)] for k in told]
        return b"".join([edges.tobytes(), *(p.tobytes() + b"|" for p in parts)])

    def turns(self, first: float, last: float) -> range:
        """Which rounds of a circle lie between two output frames; only round 0 of a cut."""
        if not self.view.is_circle:
            return range(1)
        return range(
            int(np.floor((first - self.start) / self.frames)),
            int(np.floor((last - self.start) / self.frames)) + 1,
        )

    def around(self, points: Points, first: float, last: float) -> Points:
        """Those of rising points that lie from `first` to `last`, on every round of a circle."""
        round_ = np.asarray([self.view.end - self.view.start, self.frames], dtype=np.float64)
        found = [
            points[low:high] + k * round_ for k, low, high in self._from_to(points, first, last)
        ]
        return np.concatenate(found)

    def _from_to(self, points: Points, first: float, last: float) -> Iterator[tuple[int, int, int]]:
        """Of every round: which it is, and which of rising points lie from `first` to `last`."""
        edges = np.asarray([first, np.nextafter(last, np.inf)])
        for k in self.turns(first, last):
            low, high = np.searchsorted(points[:, 1], edges - k * self.frames).tolist()
            yield k, low, high

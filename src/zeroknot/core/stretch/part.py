"""Into which pieces is a stretch divided, so that any of them can be rendered first?

Conventions
-----------
- A part is the lead, the body or the tail of a pass; output frames count from the first downbeat.
- Anchors are moments where the output is the recording itself, phases and all: the part's edges,
  strong attacks, and a quiet moment where four seconds would pass without one.
- A piece lies between two anchors and depends on nothing else, so the result is the same
  whatever is asked for first.
"""

from dataclasses import dataclass

import numpy as np

from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.warp.time_map import Floats, TimeMap

SHORTEST_PIECE_SECONDS = 0.9
LONGEST_PIECE_SECONDS = 4.0


@dataclass(frozen=True, eq=False)
class Part:
    """One stretch of the recording and where it is laid.

    view       what is heard, and what stands around it
    rate       frames per second of source and output
    time_map   source seconds to output frames
    start, end output frames
    attacks    float64 [n] source seconds inside the part, rising
    strengths  float64 [n] 0…1
    """

    view: SourceView
    rate: int
    time_map: TimeMap
    start: int
    end: int
    attacks: Floats
    strengths: Floats

    @property
    def frames(self) -> int:
        return self.end - self.start

    def source_frames_at(self, output_frames: Floats) -> Floats:
        """Source frames (not rounded) at output frames."""
        return self.time_map.source_of(output_frames) * self.rate

    def attack_points(self) -> tuple[Floats, Floats]:
        """Attacks as (source frames, output frames)."""
        return self.attacks * self.rate, self.time_map.output_of(self.attacks)

    def anchors(self) -> tuple[Floats, Floats]:
        """Anchors as (source frames, output frames), both edges among them, rising."""
        edges = np.asarray([self.start, self.end], dtype=np.float64)
        edge_sources = self.source_frames_at(edges)
        shortest = SHORTEST_PIECE_SECONDS * self.rate
        longest = LONGEST_PIECE_SECONDS * self.rate
        sources, outputs = self.attack_points()
        at_source, at_output = [float(edge_sources[0])], [float(edges[0])]
        while edges[1] - at_output[-1] > longest or (
            edges[1] - at_output[-1] > 2 * shortest and outputs.size
        ):
            room = min(at_output[-1] + longest, edges[1] - shortest)
            candidates = (outputs >= at_output[-1] + shortest) & (outputs <= room)
            candidates &= sources >= at_source[-1] + 0.25 * shortest
            candidates &= sources <= edge_sources[1] - 0.25 * shortest
            if candidates.any():
                # Nearer anchors are worth more than slightly stronger ones.
                worth = self.strengths - 0.1 * (outputs - at_output[-1]) / self.rate
                best = int(np.argmax(np.where(candidates, worth, -np.inf)))
                at_source.append(float(sources[best]))
                at_output.append(float(outputs[best]))
            elif edges[1] - at_output[-1] > longest:
                split = np.asarray([min(at_output[-1] + longest, edges[1] - longest / 2)])
                at_source.append(float(self.source_frames_at(split)[0]))
                at_output.append(float(split[0]))
            else:
                break
        return (
            np.asarray([*at_source, edge_sources[1]]),
            np.asarray([*at_output, edges[1]]),
        )

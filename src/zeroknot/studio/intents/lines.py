"""Lines of what moves along the song, written while it plays."""

import itertools
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.desk import LATEST_BEAT, MOVABLE, RESTING, LinePoint
from zeroknot.document.edits.desk import MASTER, SetLine, lines_of, sound_of
from zeroknot.document.lines import TOLERANCES, Points, thinned, with_laid
from zeroknot.document.project import Project
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.known import Known

MOST_WRITTEN = 20_000
_SLACK = 1e-6


class WriteLine(Intent):
    """What a control did while it was held: it takes the place of what lay there.

    track   its id, or "master"
    name    of what moves
    points  (beat, value) in the order they were written; where the song turned back, the rest is
            left out
    """

    kind: Literal["write_line"] = "write_line"
    track: str
    name: str
    points: tuple[tuple[float, float], ...] = Field(min_length=1, max_length=MOST_WRITTEN)

    def resolve(self, project: Project, known: Known) -> Resolved:
        if self.name not in MOVABLE:
            raise EditError(f"{self.name!r} is nothing that moves along a song")
        written = rising(self.points)
        unit = MOVABLE[self.name].unit
        in_octaves = unit == "hz"
        if in_octaves and any(value <= 0 for _, value in written):
            raise EditError("a frequency is more than 0 Hz")
        thin = thinned(written, TOLERANCES.get(unit, 0.0), in_octaves)
        start, end = written[0][0], written[-1][0]
        fresh = [LinePoint(beat=beat, value=value) for beat, value in thin]
        # What it goes back to when the control is let go: where it would be by then.
        old = old_points(project, self.track, self.name)
        points = with_laid(old, tuple(fresh), start, end, in_octaves)
        return Resolved(SetLine(track=self.track, name=self.name, points=points))


def old_points(project: Project, track: str, name: str) -> Points:
    """Of the line that is there; where there is none, of what holds all along."""
    for line in lines_of(project, track):
        if line.name == name:
            return line.points
    if name == "level_db":
        own = project.master_db if track == MASTER else project.track(track).level_db
    elif name == "muted":
        own = float(project.track(track).muted)
    else:
        own = RESTING[name] if name in RESTING else sound_of(project, track).values[name]
    return (LinePoint(beat=0.0, value=own),)


def rising(points: tuple[tuple[float, float], ...]) -> list[tuple[float, float]]:
    """Those of the first time through; of several on one beat the last."""
    found: list[tuple[float, float]] = []
    for beat, value in points:
        beat = min(max(beat, 0.0), float(LATEST_BEAT))
        if found and beat < found[-1][0] - _SLACK:
            break
        if found and beat <= found[-1][0] + _SLACK:
            found[-1] = (found[-1][0], value)
        else:
            found.append((beat, value))
    assert all(a[0] < b[0] for a, b in itertools.pairwise(found))
    return found

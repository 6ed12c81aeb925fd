"""Room for the low end: one track is cut there while another plays."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.desk.sound import RANGES
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.desk import ChangeSound, SetLine, sound_of
from zeroknot.document.lines import Points, cut_at
from zeroknot.document.project import Project
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.lines import old_points
from zeroknot.studio.known import Known

CUT_HZ = 150.0
STEEP = 24.0  # dB an octave
RAMP_BEATS = 1 / 16
MOST_STRETCHES = 500
NAME = "low_cut_hz"
_SLACK = 1e-6


class MakeRoom(Intent):
    """track  that is cut
    bars   (first, last): stretches in which it is
    """

    kind: Literal["make_room"] = "make_room"
    track: str
    bars: tuple[tuple[int, int], ...] = Field(min_length=1, max_length=MOST_STRETCHES)
    hertz: float = Field(CUT_HZ, ge=20.0, le=RANGES[NAME].most)

    def resolve(self, project: Project, known: Known) -> Resolved:
        track = project.track(self.track)
        points = old_points(project, self.track, NAME)
        beat_of_bar = project.metre_map.beat_of_bar
        for first, last in sorted(self.bars):
            if not 1 <= first <= last:
                raise EditError(f"there are no bars {first} to {last}")
            points = held(points, beat_of_bar(first), beat_of_bar(last + 1), self.hertz)
        what = f"low cut on {track.name} to make room"
        edits: list[SingleEdit] = [SetLine(track=self.track, name=NAME, points=points)]
        is_unused = sound_of(project, self.track).low_cut_hz <= RANGES[NAME].least
        if is_unused and not any(line.name == NAME for line in track.lines):
            edits.insert(0, ChangeSound(track=self.track, values={"low_cut_slope": STEEP}))
        return Resolved(Together(edits=tuple(edits), what=what))


def held(points: Points, start: float, end: float, hertz: float) -> Points:
    """At least so high between two beats; it gets there and back within a sixteenth of a beat."""
    rise, fall = start - RAMP_BEATS, end - RAMP_BEATS
    for beat in (rise, start, fall, end):
        if beat >= 0:
            points = cut_at(points, beat, True)
    before = [p for p in points if p.beat <= rise + _SLACK]
    if before:
        before[-1] = before[-1].changed(shape="line", bend=0.0)
    inside = [p for p in points if start - _SLACK <= p.beat <= fall + _SLACK]
    raised = [p.changed(value=max(hertz, p.value), bend=0.0) for p in inside]
    if all(p.value == hertz for p in raised):
        raised = [raised[0].changed(shape="line"), raised[-1]]
    raised[-1] = raised[-1].changed(shape="line")
    return (*before, *raised, *(p for p in points if p.beat >= end - _SLACK))

"""Clips moved with what moves on their tracks meanwhile: the lines go along."""

from typing import Literal

from pydantic import Field

from zeroknot.document.desk import MOVABLE
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import Move, MoveClips
from zeroknot.document.edits.desk import SetLine, lines_of
from zeroknot.document.lines import Points, between_beats, with_laid, without_between
from zeroknot.document.project import Project
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.lines import old_points
from zeroknot.studio.known import Known

_SLACK = 1e-6


class CarryClips(Intent):
    """As `MoveClips`, and the lines of their tracks go along, from where each clip begins to where
    it ends; on another track they take the place of what lies there."""

    kind: Literal["carry_clips"] = "carry_clips"
    moves: tuple[Move, ...] = Field(min_length=1, max_length=4096)

    def resolve(self, project: Project, known: Known) -> Resolved:
        moved = MoveClips(moves=self.moves)
        lines: dict[tuple[str, str], Points] = {}
        lifted: list[tuple[str, str, float, float, Points]] = []
        for move in self.moves:
            clip = project.clip(move.clip)
            start, end = clip.beat, project.clip_end(clip)
            by = move.beat - start
            if abs(by) < _SLACK and move.track == clip.track:
                continue
            for line in lines_of(project, clip.track):
                key = clip.track, line.name
                in_octaves = MOVABLE[line.name].unit == "hz"
                # As it was before any of them was lifted.
                inside = between_beats(line.points, start, end, in_octaves)
                shifted = tuple(p.changed(beat=p.beat + by) for p in inside)
                lifted.append((move.track, line.name, start + by, end + by, shifted))
                left = lines.get(key, line.points)
                lines[key] = without_between(left, start, end, in_octaves)
        for track, name, start, end, inside in lifted:
            key = track, name
            old = lines.get(key) or old_points(project, track, name)
            lines[key] = with_laid(old, inside, start, end, MOVABLE[name].unit == "hz")
        edits: list[SingleEdit] = [moved]
        for (track, name), points in lines.items():
            if points != next((o.points for o in lines_of(project, track) if o.name == name), ()):
                edits.append(SetLine(track=track, name=name, points=points))
        if len(edits) == 1:
            return Resolved(moved)
        return Resolved(Together(edits=tuple(edits), what=f"{moved.label()} with lines"))

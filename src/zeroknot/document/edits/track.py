"""Edits of tracks."""

from dataclasses import replace
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.edits.base import Edit, told
from zeroknot.document.project import Project, Track, replaced, without
from zeroknot.document.strand import LONGEST_NAME, LOUDEST_DB, QUIETEST_DB, YARNS

MOST_TRACKS = 128  # as many as a page mixes


class AddTrack(Edit):
    kind: Literal["add_track"] = "add_track"
    track: Track

    def apply(self, project: Project) -> Project:
        if any(t.id == self.track.id for t in project.tracks):
            raise EditError(f"there is a track {self.track.id!r} already")
        if len(project.tracks) >= MOST_TRACKS:
            raise EditError(f"a song has at most {MOST_TRACKS} tracks")
        return project.changed(tracks=(*project.tracks, self.track))

    def touches(self) -> frozenset[str]:
        return frozenset({self.track.id})

    def label(self) -> str:
        return f"add track {self.track.name}"


class ChangeTrack(Edit):
    """What is None stays.

    yarn, gives_way_to  -1 and "" are none
    """

    kind: Literal["change_track"] = "change_track"
    track: str
    name: str | None = Field(None, min_length=1, max_length=LONGEST_NAME)
    level_db: float | None = Field(None, ge=QUIETEST_DB, le=LOUDEST_DB)
    muted: bool | None = None
    solo: bool | None = None
    yarn: int | None = Field(None, ge=-1, lt=YARNS)
    gives_way_to: str | None = Field(None, max_length=40)

    def apply(self, project: Project) -> Project:
        fields = told(self, "track")
        if other := self.gives_way_to:
            if project.track(other).gives_way_to == self.track:
                raise EditError("each would give way to the other; then neither would sound")
            if other == self.track:
                raise EditError("a track cannot give way to itself")
        changed = project.track(self.track).changed(**fields)
        return project.changed(tracks=replaced(project.tracks, changed))

    def touches(self) -> frozenset[str]:
        return frozenset({self.track})

    def label(self) -> str:
        names = {
            "name": "rename track", "level_db": "track level", "muted": "mute", "solo": "solo",
            "yarn": "colour track", "gives_way_to": "never together",
        }  # fmt: skip
        fields = self.model_dump(exclude={"kind", "track"}, exclude_none=True)
        return names[next(iter(fields))] if fields else "change track"


class MoveTrack(Edit):
    """to: its place among the others from then on, 0 the uppermost"""

    kind: Literal["move_track"] = "move_track"
    track: str
    to: int = Field(ge=0, le=MOST_TRACKS)

    def apply(self, project: Project) -> Project:
        track = project.track(self.track)
        rest = list(without(project.tracks, [self.track]))
        rest.insert(self.to, track)
        return project.changed(tracks=tuple(rest))

    def touches(self) -> frozenset[str]:
        return frozenset({f"{self.track}.place"})

    def label(self) -> str:
        return "move track"


class RemoveTrack(Edit):
    """The track and the clips on it."""

    kind: Literal["remove_track"] = "remove_track"
    track: str

    def apply(self, project: Project) -> Project:
        project.track(self.track)
        clips = tuple(c for c in project.clips if c.track != self.track)
        left = without(project.tracks, [self.track])
        return project.changed(tracks=tuple(self._by_itself(t) for t in left), clips=clips)

    def _by_itself(self, track: Track) -> Track:
        """A compressor that went by it goes by its own track; to what gave way nobody does."""
        if track.gives_way_to == self.track:
            track = track.changed(gives_way_to=None)
        if track.sound.listens_to != self.track:
            return track
        return track.changed(sound=replace(track.sound, listens_to=None))

    def touches(self) -> frozenset[str]:
        return frozenset({self.track})

    def label(self) -> str:
        return "remove track"

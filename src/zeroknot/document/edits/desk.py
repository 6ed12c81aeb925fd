"""Edits of how tracks sound: their filters and sends, room, echo, master, lines of what moves."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.desk.sound import RANGES, Sound
from zeroknot.document.desk import OF_PASSES, OF_STROKES, Echo, Line, LinePoint, Room
from zeroknot.document.edits.base import Edit
from zeroknot.document.project import Project, replaced

MASTER = "master"
OWN = ""  # a compressor that goes by its own track
NAMED = (*RANGES, "low_cut_slope", "high_cut_slope")

NOT_MASTERS = {"muted", "room_db", "echo_db", *OF_PASSES, *OF_STROKES}


def said_name(name: str) -> str:
    """ "low cut" of "low_cut_hz" """
    return name.rsplit("_", 1)[0].replace("_", " ") if "_" in name else name


class ChangeSound(Edit):
    """track       its id, or "master"
    values      numbers of its sound that are other, by name
    listens_to  id of the track its compressor goes by, "" for its own; None stays
    """

    kind: Literal["change_sound"] = "change_sound"
    track: str
    values: dict[str, float] = Field({}, max_length=len(NAMED))
    listens_to: str | None = None

    def apply(self, project: Project) -> Project:
        sound = sound_of(project, self.track)
        for name in self.values:
            if name not in NAMED:
                raise EditError(f"a track has no {name!r}")
        told = sound.values | self.values
        listens_to = sound.listens_to
        if self.listens_to is not None:
            listens_to = self.listens_to or None
            if listens_to:
                project.track(listens_to)
            if listens_to == self.track or (listens_to and self.track == MASTER):
                raise EditError("a compressor goes by another track, or by its own")
        return with_sound(project, self.track, Sound(**told, listens_to=listens_to))

    def touches(self) -> frozenset[str]:
        return frozenset({self.track if self.track != MASTER else "project.master_sound"})

    def label(self) -> str:
        if len(self.values) == 1 and self.listens_to is None:
            return said_name(next(iter(self.values)))
        return "sound of the master" if self.track == MASTER else "sound of a track"


def sound_of(project: Project, track: str) -> Sound:
    """Of a track, or of the master."""
    return project.master_sound if track == MASTER else project.track(track).sound


def with_sound(project: Project, track: str, sound: Sound) -> Project:
    if track == MASTER:
        if sound.room_db > -60 or sound.echo_db > -60:
            raise EditError("the master is sent nowhere")
        return project.changed(master_sound=sound)
    changed = project.track(track).changed(sound=sound)
    return project.changed(tracks=replaced(project.tracks, changed))


class SetRoom(Edit):
    kind: Literal["set_room"] = "set_room"
    room: Room

    def apply(self, project: Project) -> Project:
        return project.changed(room=self.room)

    def touches(self) -> frozenset[str]:
        return frozenset({"project.room"})

    def label(self) -> str:
        return "room"


class SetEcho(Edit):
    kind: Literal["set_echo"] = "set_echo"
    echo: Echo

    def apply(self, project: Project) -> Project:
        return project.changed(echo=self.echo)

    def touches(self) -> frozenset[str]:
        return frozenset({"project.echo"})

    def label(self) -> str:
        return "echo"


class SetCeiling(Edit):
    """None: nothing is held under a ceiling."""

    kind: Literal["set_ceiling"] = "set_ceiling"
    ceiling_db: float | None = Field(None, ge=-20.0, le=0.0)

    def apply(self, project: Project) -> Project:
        return project.changed(ceiling_db=self.ceiling_db)

    def touches(self) -> frozenset[str]:
        return frozenset({"project.ceiling_db"})

    def label(self) -> str:
        return "limiter off" if self.ceiling_db is None else f"ceiling {self.ceiling_db:g} dB"


class SetLine(Edit):
    """track   its id, or "master"
    name    of what moves
    points  of its line; none: it moves no more
    """

    kind: Literal["set_line"] = "set_line"
    track: str
    name: str
    points: tuple[LinePoint, ...] = Field((), max_length=5000)

    def apply(self, project: Project) -> Project:
        lines = lines_of(project, self.track)
        rest = tuple(line for line in lines if line.name != self.name)
        if self.points:
            line = Line(name=self.name, points=self.points)
            line.refuse_outside()
            if self.track == MASTER and self.name in NOT_MASTERS:
                raise EditError("that is not the master's")
            rest = (*rest, line)
        elif len(rest) == len(lines):
            raise EditError("that does not move")
        return with_lines(project, self.track, tuple(sorted(rest, key=lambda one: one.name)))

    def touches(self) -> frozenset[str]:
        return frozenset({f"{self.track}.{self.name}"})

    def label(self) -> str:
        return f"line of {said_name(self.name)}"


def lines_of(project: Project, track: str) -> tuple[Line, ...]:
    """Of a track, or of the master."""
    return project.master_lines if track == MASTER else project.track(track).lines


def with_lines(project: Project, track: str, lines: tuple[Line, ...]) -> Project:
    if track == MASTER:
        return project.changed(master_lines=lines)
    changed = project.track(track).changed(lines=lines)
    return project.changed(tracks=replaced(project.tracks, changed))

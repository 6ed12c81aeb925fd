"""What is done to a track's sound, what the tracks share, and what of it moves along the song.

Conventions
-----------
- Points of a line lie on beats of the song; a value is in its own unit, as in
  `core.mixing.desk.sound`.
- From a point on a line goes straight, or bent, to the next, or stays and jumps there.
"""

import itertools
from typing import Literal

from pydantic import Field, field_validator

from zeroknot.core.mixing.desk.room_sizes import ROOMS
from zeroknot.core.mixing.desk.sound import OFF_DB, RANGES, Range, within
from zeroknot.core.slicing.shape import HIGHEST_HZ, LOWEST_HZ
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.document.value import Value

MOST_POINTS = 5000  # of a line
STEEPEST_BEND = 8.0
LATEST_BEAT = 100_000
LOUDEST_DB = 12.0
# What may move along the song: all that a track's sound is made of, its level, and whether it
# sounds.
ON_STRIP: dict[str, Range] = {
    **RANGES,
    "level_db": Range(OFF_DB, LOUDEST_DB, "db"),
    "muted": Range(0.0, 1.0, "switch"),
}
# And what of its clips may: read where a pass begins, and where a stroke of their slices does.
OF_PASSES: dict[str, Range] = {
    "shift_st": Range(-STEEPEST_SHIFT, STEEPEST_SHIFT, "st"),
    "groove_share": Range(0.0, 1.0, "share"),
    "straight_share": Range(0.0, 1.0, "share"),
}
OF_STROKES: dict[str, Range] = {
    "slices_cut_hz": Range(LOWEST_HZ, HIGHEST_HZ, "hz"),
    "slices_drive_db": Range(0.0, 36.0, "db"),
}
# Where these are without a line, as far as that can be said of a whole track.
RESTING = {
    "shift_st": 0.0, "groove_share": 1.0, "straight_share": 1.0, "slices_cut_hz": HIGHEST_HZ,
    "slices_drive_db": 0.0,
}  # fmt: skip
MOVABLE: dict[str, Range] = ON_STRIP | OF_PASSES | OF_STROKES


class Room(Value):
    size: str = "medium"
    level_db: float = Field(0.0, ge=OFF_DB, le=LOUDEST_DB)

    @field_validator("size")
    @classmethod
    def _is_known(cls, size: str) -> str:
        if size not in ROOMS:
            raise ValueError(f"a room is {', '.join(ROOMS)}; not {size}")
        return size


class Echo(Value):
    """beats  from one repeat to the next; feedback: share that comes again"""

    beats: float = Field(0.75, ge=1 / 16, le=4.0)
    feedback: float = Field(0.4, ge=0.0, le=0.95)
    low_cut_hz: float = Field(150.0, ge=20.0, le=2000.0)
    high_cut_hz: float = Field(6000.0, ge=200.0, le=20_000.0)
    crossed: bool = True
    level_db: float = Field(0.0, ge=OFF_DB, le=LOUDEST_DB)


class LinePoint(Value):
    """shape: how it goes on from here; bend: 0 straight, above it late, below it early"""

    beat: float = Field(ge=0, le=LATEST_BEAT)
    value: float
    shape: Literal["line", "step"] = "line"
    bend: float = Field(0.0, ge=-STEEPEST_BEND, le=STEEPEST_BEND)


def risen(points: tuple[LinePoint, ...]) -> tuple[LinePoint, ...]:
    """The points themselves. Raises ValueError where they do not lie one after another."""
    if any(a.beat >= b.beat for a, b in itertools.pairwise(points)):
        raise ValueError("points of a line lie one after another")
    return points


class Line(Value):
    """How something of a track moves along the song."""

    name: str
    points: tuple[LinePoint, ...] = Field(min_length=1, max_length=MOST_POINTS)

    @field_validator("name")
    @classmethod
    def _moves(cls, name: str) -> str:
        if name not in MOVABLE:
            raise ValueError(f"{name!r} is nothing that moves along a song")
        return name

    @field_validator("points")
    @classmethod
    def _rise(cls, points: tuple[LinePoint, ...]) -> tuple[LinePoint, ...]:
        return risen(points)

    def refuse_outside(self) -> None:
        """Raises EditError where a value is outside its range."""
        for point in self.points:
            within(self.name, point.value, MOVABLE[self.name])

"""What of a track's sound has a say, and how does it move along the song?

What a mixer runs by, in numbers: written down once, read by the core and by the page.

Conventions
-----------
- Frames are the song's. A lane is a line through its points, level outside; of two points on one
  frame the later one holds from there on.
- What is in Hz moves by octaves: its lane has log2 of it.
- Values are looked up on every 32nd frame and hold that long; levels, balance and sends go
  straight from one to the next.
"""

import bisect
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields

from zeroknot.core.mixing.desk.sound import OFF_DB, PLAIN, Sound

STEP = 32  # frames
Point = tuple[int, float]
Lane = tuple[Point, ...]
NEUTRAL: Mapping[str, float] = PLAIN.values | {"level_db": 0.0, "muted": 0.0}


@dataclass(frozen=True)
class Strip:
    """What a track, or the master, goes through.

    id      of the track
    values  (name, number) of what is not neutral, in order; beside those of `Sound` there are
            level_db and muted
    lanes   (name, lane) of what moves
    key     id of the track its compressor goes by
    is_send  it is heard only by what it sends: what slices send beside their track
    """

    id: str
    values: tuple[tuple[str, float], ...] = ()
    lanes: tuple[tuple[str, Lane], ...] = ()
    key: str | None = None
    is_send: bool = False

    @classmethod
    def of(
        cls, id_: str, sound: Sound, level_db: float, muted: bool = False,
        lanes: Mapping[str, Lane] | None = None,
    ) -> "Strip":  # fmt: skip
        """Of a sound, its level in dB and whether it is muted; lanes by name."""
        told = sound.values | {"level_db": level_db, "muted": float(muted)}
        values = tuple((name, told[name]) for name in sorted(told) if told[name] != NEUTRAL[name])
        return cls(id_, values, tuple(sorted((lanes or {}).items())), sound.listens_to)

    def sending(self, bus: str) -> "Strip":
        """What slices on it send to the room or the echo: as loud as it is, beside its filters."""
        kept = ("level_db", "muted", "pan")
        values = tuple((name, value) for name, value in self.values if name in kept)
        lanes = tuple((name, lane) for name, lane in self.lanes if name in kept)
        id_ = send_id(self.id, bus)
        return Strip(id_, (*values, (f"{bus}_db", 0.0)), lanes, is_send=True)

    def value(self, name: str) -> float:
        """What does not move."""
        return dict(self.values).get(name, NEUTRAL[name])

    def moves(self, *names: str) -> bool:
        """Does one of these have a lane?"""
        return any(name in names for name, _ in self.lanes)

    def is_on(self, name: str) -> bool:
        """Is it other than neutral, here or there?"""
        return self.moves(name) or self.value(name) != NEUTRAL[name]

    @property
    def is_silent(self) -> bool:
        """Muted, or all the way down, from beginning to end."""
        if self.moves("muted", "level_db"):
            return False
        return bool(self.value("muted")) or self.value("level_db") <= OFF_DB


def send_id(track: str, bus: str) -> str:
    """Of what slices on a track send there."""
    return f"{track}>{bus}"


def owner_of(strip: str) -> str:
    """The track that a strip is of."""
    return strip.split(">", 1)[0]


@dataclass(frozen=True)
class EchoLine:
    """What is sent comes again, and again.

    delay     frames between, a lane
    feedback  share of it that comes again, 0 … 0.95
    low_cut_hz, high_cut_hz  of what comes again, 12 dB an octave
    crossed   what came from the left comes from the right
    level_db  at which it comes back
    """

    delay: Lane = ((0, 22_050.0),)
    feedback: float = 0.4
    low_cut_hz: float = 150.0
    high_cut_hz: float = 6000.0
    crossed: bool = True
    level_db: float = 0.0


@dataclass(frozen=True)
class RoomReturn:
    """size  "small", "medium" or "large"
    level_db  at which it comes back
    """

    size: str = "medium"
    level_db: float = 0.0


@dataclass(frozen=True)
class Desk:
    """All strips of a song, what they share, and what their sum goes through.

    ceiling_db  dBTP under which the whole is held; None: not at all
    """

    strips: tuple[Strip, ...] = ()
    room: RoomReturn = field(default_factory=RoomReturn)
    echo: EchoLine = field(default_factory=EchoLine)
    master: Strip = field(default_factory=lambda: Strip("master"))
    ceiling_db: float | None = None

    def sends(self, name: str) -> bool:
        """Is anything sent to "room" or "echo"?"""
        return any(s.moves(f"{name}_db") or s.value(f"{name}_db") > OFF_DB for s in self.strips)


def value_at(lane: Lane, frame: float) -> float:
    """Where a lane is at a frame."""
    at = bisect.bisect_right(lane, frame, key=lambda p: p[0])
    if at == 0:
        return lane[0][1]
    if at == len(lane):
        return lane[-1][1]
    (a, low), (b, high) = lane[at - 1], lane[at]
    return low + (high - low) * (frame - a) / (b - a)


def desk_of(told: Mapping[str, object]) -> Desk:
    """From what `core.digest.said` wrote of one. Raises TypeError, KeyError or ValueError."""
    given = {f.name: told[f.name] for f in fields(Desk) if f.name in told}
    if "strips" in given:
        given["strips"] = tuple(_strip_of(s) for s in _many(given["strips"]))
    if "master" in given:
        given["master"] = _strip_of(given["master"])
    if "room" in given:
        given["room"] = RoomReturn(**_named(given["room"]))
    if "echo" in given:
        echo = _named(given["echo"])
        if "delay" in echo:
            echo["delay"] = _lane_of(echo["delay"])
        given["echo"] = EchoLine(**echo)
    return Desk(**given)  # type: ignore[arg-type]


def _strip_of(told: object) -> Strip:
    given = _named(told)
    values = tuple((str(n), float(v)) for n, v in given.pop("values", ()))
    lanes = tuple((str(n), _lane_of(lane)) for n, lane in given.pop("lanes", ()))
    return Strip(values=values, lanes=lanes, **given)


def _lane_of(told: object) -> Lane:
    return tuple((int(frame), float(value)) for frame, value in _many(told))


def _named(told: object) -> dict:  # type: ignore[type-arg]
    if not isinstance(told, dict):
        raise TypeError("no object")
    return dict(told)


def _many(told: object) -> Sequence:  # type: ignore[type-arg]
    if not isinstance(told, list | tuple):
        raise TypeError("no list")
    return told

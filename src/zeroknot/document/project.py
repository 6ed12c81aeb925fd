"""What does a project hold?

Conventions
-----------
- Positions and lengths are beats (quarter notes) from bar 1, levels dB, shifts semitones.
- Everything is immutable; ids are short strings that never change.
- A clip covers [beat, beat + length); its passes count from beat − slip.
"""

import math
from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import Annotated, TypeVar

from pydantic import Field, field_validator

from zeroknot.core.errors import NotFoundError
from zeroknot.core.groove.feel import Feel
from zeroknot.core.groove.groove import Groove
from zeroknot.core.harmony.key import Key
from zeroknot.core.harmony.key_map import KeyMap
from zeroknot.core.mixing.desk.sound import PLAIN, Sound, within
from zeroknot.core.mixing.shape import Curve
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.core.timeline.metre_map import MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.document.coil import Slot
from zeroknot.document.desk import MOVABLE, Echo, Line, LinePoint, Room, risen
from zeroknot.document.groove import FeelChange, KeptGroove
from zeroknot.document.offshoot import Offshoot
from zeroknot.document.strand import (
    LONGEST_NAME,
    LOUDEST_DB,
    QUIETEST_DB,
    YARNS,
    LevelDb,
    Strand,
    yarn_of,
)
from zeroknot.document.value import Named, Value

NEW_TRACK_DB = -6.0
FADE_MS, LONGEST_FADE_MS = 3.0, 10_000
FARTHEST_BEAT = 100_000
LATEST_BAR = 100_000
MOST_GAIN_POINTS = 1000
LOWEST_A4, HIGHEST_A4 = 400.0, 480.0

T = TypeVar("T", bound="Named")
Yarn = Annotated[int, Field(ge=0, lt=YARNS)]


class KeyChange(Value):
    """The key from a bar on, as `core.harmony.key` writes it."""

    bar: int
    key: str


class Track(Named):
    """yarn       its colour; None: that of what lies on it
    gives_way_to  id of a track: where that plays, this one is silent
    """

    name: str = Field(max_length=LONGEST_NAME)
    level_db: LevelDb = Field(NEW_TRACK_DB, ge=QUIETEST_DB, le=LOUDEST_DB)
    muted: bool = False
    solo: bool = False
    yarn: Yarn | None = None
    gives_way_to: str | None = Field(None, max_length=40)
    sound: Sound = PLAIN
    lines: tuple[Line, ...] = ()


class Clip(Named):
    """A placement of a strand.

    passes  of a whole clip, whose length follows the strand's span
    length  beats of a trimmed clip; None where it is whole
    slip    beats by which the first pass begins before the clip does
    shift   semitones, on top of the strand's
    name    of its own; None: the strand's
    yarn    colour of its own; None: the strand's
    phrase  that it belongs to
    fade_in_curve, fade_out_curve  "gain" straight, "power" along a sine
    cross_ms   over which it comes over from the clip that ends where it begins, half of it on
            each side; 0 where it begins by itself
    gain_line  dB; beats count from where its first pass begins, so it stays with what it plays
    reverse    each pass is played backwards
    """

    strand: str
    track: str
    beat: float = Field(ge=0, le=FARTHEST_BEAT)
    passes: int = Field(1, ge=1, le=4096)
    length: float | None = Field(None, gt=0, le=FARTHEST_BEAT)
    slip: float = Field(0.0, ge=0)
    shift: float = Field(0.0, ge=-STEEPEST_SHIFT, le=STEEPEST_SHIFT)
    gain_db: LevelDb = Field(0.0, ge=QUIETEST_DB, le=LOUDEST_DB)
    fade_in_ms: float = Field(FADE_MS, ge=0, le=LONGEST_FADE_MS)
    fade_out_ms: float = Field(FADE_MS, ge=0, le=LONGEST_FADE_MS)
    muted: bool = False
    name: str | None = Field(None, min_length=1, max_length=LONGEST_NAME)
    yarn: Yarn | None = None
    phrase: str | None = Field(None, max_length=40)
    fade_in_curve: Curve = "gain"
    fade_out_curve: Curve = "gain"
    cross_ms: float = Field(0.0, ge=0, le=LONGEST_FADE_MS)
    cross_curve: Curve = "power"
    gain_line: tuple[LinePoint, ...] = Field((), max_length=MOST_GAIN_POINTS)
    reverse: bool = False

    @field_validator("gain_line")
    @classmethod
    def _rises(cls, points: tuple[LinePoint, ...]) -> tuple[LinePoint, ...]:
        for point in points:
            within("level_db", point.value, MOVABLE["level_db"])
        return risen(points)

    @property
    def is_whole(self) -> bool:
        return self.length is None


class Phrase(Named):
    """Clips that belong together."""

    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    yarn: Yarn = 0


class Section(Value):
    """A part of the song, from a bar on until the next; a name of "" ends one."""

    bar: int = Field(ge=1, le=LATEST_BAR)
    name: str = Field(max_length=LONGEST_NAME)
    yarn: Yarn = 0


class Project(Named):
    """The whole document.

    rate  frames per second, fixed when the project is made
    offshoots  that were grown in it
    a4_hz  its concert pitch
    ceiling_db  dBTP that its limiter holds; None: there is none
    tempo_settled  whether its tempo was ever decided: until then the first loop's is offered
    """

    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    rate: int = 44_100
    tempo: tuple[TempoPoint, ...] = (TempoPoint(0.0, 120.0),)
    tempo_settled: bool = False
    metres: tuple[MetreChange, ...] = MetreMap().changes
    keys: tuple[KeyChange, ...] = ()
    a4_hz: float = Field(440.0, ge=LOWEST_A4, le=HIGHEST_A4)
    master_db: LevelDb = Field(0.0, ge=QUIETEST_DB, le=LOUDEST_DB)
    master_sound: Sound = PLAIN
    master_lines: tuple[Line, ...] = ()
    ceiling_db: float | None = Field(None, ge=-20.0, le=0.0)
    room: Room = Room()
    echo: Echo = Echo()
    grooves: tuple[KeptGroove, ...] = ()
    feel: tuple[FeelChange, ...] = ()
    tracks: tuple[Track, ...] = ()
    strands: tuple[Strand, ...] = ()
    clips: tuple[Clip, ...] = ()
    phrases: tuple[Phrase, ...] = ()
    sections: tuple[Section, ...] = ()
    coil: tuple[Slot, ...] = ()
    offshoots: tuple[Offshoot, ...] = ()

    @cached_property
    def tempo_map(self) -> TempoMap:
        return TempoMap(self.tempo)

    @cached_property
    def metre_map(self) -> MetreMap:
        return MetreMap(self.metres)

    @property
    def key(self) -> str | None:
        """The key of bar 1."""
        return self.keys[0].key if self.keys else None

    @cached_property
    def key_map(self) -> KeyMap:
        """Which key the song has where."""
        beat_of_bar = self.metre_map.beat_of_bar
        return KeyMap(tuple((beat_of_bar(c.bar), Key.parse(c.key)) for c in self.keys))

    @cached_property
    def song_feel(self) -> Feel:
        """Which groove the song has where."""
        return Feel(
            tuple(
                (self.metre_map.beat_of_bar(change.bar), self._groove(change.groove))
                for change in self.feel
            )
        )

    def _groove(self, id_: str | None) -> Groove | None:
        return None if id_ is None else self.kept_groove(id_).groove

    @cached_property
    def _tracks(self) -> dict[str, Track]:
        return {track.id: track for track in self.tracks}

    @cached_property
    def _strands(self) -> dict[str, Strand]:
        return {strand.id: strand for strand in self.strands}

    @cached_property
    def _clips(self) -> dict[str, Clip]:
        return {clip.id: clip for clip in self.clips}

    @cached_property
    def _grooves(self) -> dict[str, KeptGroove]:
        return {kept.id: kept for kept in self.grooves}

    @cached_property
    def _offshoots(self) -> dict[str, Offshoot]:
        return {offshoot.id: offshoot for offshoot in self.offshoots}

    def track(self, id_: str) -> Track:
        return _known(self._tracks, id_, "track")

    def strand(self, id_: str) -> Strand:
        return _known(self._strands, id_, "strand")

    def clip(self, id_: str) -> Clip:
        return _known(self._clips, id_, "clip")

    def phrase(self, id_: str) -> Phrase:
        return _known({p.id: p for p in self.phrases}, id_, "phrase")

    def offshoot(self, id_: str) -> Offshoot:
        return _known(self._offshoots, id_, "offshoot")

    def grew(self, id_: str) -> bool:
        """Is that an offshoot of it?"""
        return id_ in self._offshoots

    def kept_groove(self, id_: str) -> KeptGroove:
        return _known(self._grooves, id_, "groove")

    @cached_property
    def _dyes(self) -> dict[str, int]:
        return {strand.shelved: strand.yarn for strand in reversed(self.strands)}

    def dye_of(self, sha: str) -> int:
        """The colour of a loop wherever it stands: its strand's, or what that would have.

        That is the loop's own, or the next that no other loop has as long as there is one.
        """
        if sha in self._dyes:
            return self._dyes[sha]
        own, taken = yarn_of(sha), set(self._dyes.values())
        return next((y % YARNS for y in range(own, own + YARNS) if y % YARNS not in taken), own)

    def is_laid_as(self, other: "Project") -> bool:
        """Is the same strand laid alike at the same beat of both?"""
        return all(
            getattr(self, law) == getattr(other, law)
            for law in ("rate", "tempo", "metres", "keys", "song_feel")
        )

    def holds(self, part: Clip | Strand) -> bool:
        """Is that very part in it? Told without looking at what it says."""
        known = self._clips if isinstance(part, Clip) else self._strands
        return known.get(part.id) is part

    def sharing(self, other: "Project") -> "Project":
        """The same with the other's very parts where they are equal: what is held twice is one."""
        clips = tuple(_one_of(c, other._clips.get(c.id)) for c in self.clips)
        strands = tuple(_one_of(s, other._strands.get(s.id)) for s in self.strands)
        return self.changed(clips=clips, strands=strands)

    def clips_on(self, track: str) -> tuple[Clip, ...]:
        """Clips of a track by their place."""
        return tuple(sorted((c for c in self.clips if c.track == track), key=lambda c: c.beat))

    def clip_length(self, clip: Clip) -> float:
        """Beats that a clip covers."""
        return self.length_of(clip, self.strand(clip.strand))

    def length_of(self, clip: Clip, strand: Strand) -> float:
        """Beats that a clip of that strand covers; in its own time it depends on where it lies."""
        if clip.length is not None:
            return clip.length
        if strand.follows:
            return clip.passes * strand.round_beats
        seconds = clip.passes * strand.own_frames(self.rate) / self.rate
        start = self.tempo_map.second_of_beat(clip.beat)
        return self.tempo_map.beat_of_second(start + seconds) - clip.beat

    def clip_end(self, clip: Clip) -> float:
        return clip.beat + self.clip_length(clip)

    @cached_property
    def end_beat(self) -> float:
        """Where the last clip ends; 0 for an empty project."""
        ends = (
            self.clip_end(c) if c.length is None else c.beat + c.length for c in self.clips
        )  # asked of every clip after every edit
        return max(ends, default=0.0)

    @property
    def last_bar(self) -> int:
        """The last bar that something lies in; at least 1."""
        return max(1, self.metre_map.bar_of_beat(math.nextafter(self.end_beat, 0.0) - 1e-6))

    def loops(self) -> frozenset[str]:
        """SHA-256 of every recording that something of it sounds from."""
        grown = (o.strand for o in self.offshoots)
        return frozenset(sha for s in (*self.strands, *grown) for sha in s.sources)

    def prints(self) -> frozenset[str]:
        """SHA-256 of every print that something of it makes again, or became."""
        made = (s.printed for s in self.strands)
        return frozenset(sha for sha in (*made, *(o.kept for o in self.offshoots)) if sha)


def _one_of(part: T, other: T | None) -> T:
    return other if other is not None and other == part else part


def _known(values: Mapping[str, T], id_: str, noun: str) -> T:
    if id_ not in values:
        raise NotFoundError(f"this project has no {noun} {id_!r} (any more)")
    return values[id_]


def replaced(values: tuple[T, ...], value: T) -> tuple[T, ...]:
    """The same values with the one of that id replaced."""
    return tuple(value if v.id == value.id else v for v in values)


def without(values: tuple[T, ...], ids: Iterable[str]) -> tuple[T, ...]:
    gone = set(ids)
    return tuple(v for v in values if v.id not in gone)

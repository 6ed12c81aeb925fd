"""What does a project hold?

Conventions
-----------
- Positions and lengths are beats (quarter notes) from bar 1, levels dB, shifts semitones.
- Everything is immutable; ids are short strings that never change.
- A clip covers [beat, beat + length); its passes count from beat − slip.
"""

import itertools
import math
from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import Self, TypeVar

from pydantic import Field

from zeroknot.core.apart.parts import PartsOrAuto
from zeroknot.core.errors import NotFoundError
from zeroknot.core.groove.feel import Feel
from zeroknot.core.groove.groove import Groove
from zeroknot.core.harmony.key import Key
from zeroknot.core.harmony.key_map import KeyMap
from zeroknot.core.listening.reading import Reading
from zeroknot.core.notes.written import MOST_NOTES, Notes
from zeroknot.core.order.order import Order
from zeroknot.core.order.played import Round
from zeroknot.core.render.seam import LONGEST_CROSSFADE_MS
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.settings import STEEPEST_SHIFT, StretchSettings
from zeroknot.core.timeline.metre_map import MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.core.units import frame
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.placing import Stretch, Tied
from zeroknot.core.warp.straighten import Straighten
from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.document.coil import Slot
from zeroknot.document.groove import FeelChange, KeptGroove, LaidGroove
from zeroknot.document.key import InKey
from zeroknot.document.slices import MOST_DEALT, MOST_ROUNDS, Dealt
from zeroknot.document.value import Named, Value

NEW_TRACK_DB = -6.0
FADE_MS = 3.0
AS_CUT = Piece()
LOUDEST_DB, QUIETEST_DB = 12.0, -60.0
YARNS = 8
LONGEST_NAME = 300
FARTHEST_BEAT = 100_000
MOST_CENTS = 100.0
LOWEST_A4, HIGHEST_A4 = 400.0, 480.0

LevelDb = float
T = TypeVar("T", bound="Named")


class KeyChange(Value):
    """The key from a bar on, as `core.harmony.key` writes it."""

    bar: int
    key: str


def yarn_of(loop: str) -> int:
    """The dye that a loop has wherever it stands, by its hash."""
    return int(loop[:4], 16) % YARNS


class Strand(Named):
    """A loop as this project treats it.

    loop      SHA-256 of the recording
    reading   what it is, by value
    by_hand   whether its knots were moved away from the reading
    knots     base knots; beats of one pass, zero knot and end knot among them
    straighten  a layer over them; None where it was not straightened
    groove    laid over these; None where none is
    fastened  stretches of the recording, seconds, in which nothing moves
    follows   whether it follows the project's tempo, or keeps its own time
    lead      whether what sounds before the one is kept
    crossfade_ms  of the recording, over which its end goes over into its start; 0 leaves it
    shift     semitones, length kept: its own, on top of what the key asks
    cents     by which it is tuned, on top of that
    in_key    by what it follows the song's key; None where it keeps its own
    parts     which of the recording are heard, and which of them are shifted
    cut       where it is cut, and what is done to each piece; None where it is whole
    order     of its pieces; None where they play as they were cut
    dealt     orders that were dealt, the newest last
    rounds    that were played on its pads, the newest last
    notes     of a MIDI loop as a person changed them; None where they are as in its file
    """

    name: str = Field(max_length=LONGEST_NAME)
    loop: str
    reading: Reading | None
    by_hand: bool = False
    knots: tuple[Knot, ...]
    straighten: Straighten | None = None
    groove: LaidGroove | None = None
    fastened: tuple[Stretch, ...] = ()
    follows: bool = True
    lead: bool = True
    crossfade_ms: float = Field(0.0, ge=0, le=LONGEST_CROSSFADE_MS)
    method: str = AUTO
    shift: float = Field(0.0, ge=-STEEPEST_SHIFT, le=STEEPEST_SHIFT)
    cents: float = Field(0.0, ge=-MOST_CENTS, le=MOST_CENTS)
    in_key: InKey | None = None
    parts: PartsOrAuto = "auto"
    cut: Cut | None = None
    order: Order | None = None
    dealt: tuple[Dealt, ...] = Field((), max_length=MOST_DEALT)
    rounds: tuple[Round, ...] = Field((), max_length=MOST_ROUNDS)
    notes: Notes | None = Field(None, max_length=MOST_NOTES)
    settings: StretchSettings = StretchSettings()
    gain_db: LevelDb = Field(0.0, ge=QUIETEST_DB, le=LOUDEST_DB)
    yarn: int = Field(0, ge=0, lt=YARNS)

    @cached_property
    def base(self) -> WarpMap:
        """The base knots alone."""
        return WarpMap(self.knots)

    @property
    def tied(self) -> Tied:
        return Tied(self.base, self.straighten)

    @cached_property
    def warp(self) -> WarpMap:
        """Base knots and layers: what is heard, where it does not go by the song's groove."""
        below = self.tied.warp
        return below if self.groove is None else self.groove.layer.over(below)

    @cached_property
    def paces(self) -> tuple[float, float]:
        """Fewest and most beats a second between two knots."""
        pairs = itertools.pairwise(self.warp.knots)
        found = [(b.beat - a.beat) / (b.second - a.second) for a, b in pairs]
        return min(found), max(found)

    @cached_property
    def span(self) -> float:
        return self.base.span

    @cached_property
    def played(self) -> Order | None:
        """What its pieces play; None where it is heard as a whole."""
        if self.cut is None:
            return None
        if self.order is None and all(piece == AS_CUT for piece in self.cut.pieces):
            return None
        if self.order is not None:
            return self.order
        # By a groove its hits are moved, and its cuts with them.
        return Order.as_cut(self.cut.starts, self.warp)

    @cached_property
    def as_cut(self) -> Order:
        """Its pieces as they were recorded, each where it is laid; a groove comes on top."""
        starts = self.cut.starts if self.cut else (self.base.zero.second,)
        return Order.as_cut(starts, self.tied.warp)

    @property
    def sources(self) -> tuple[str, ...]:
        """SHA-256 of its recording and of those that it borrows from."""
        borrowed = self.cut.borrowed if self.cut else ()
        return (self.loop, *(b.source for b in borrowed))

    @property
    def round_beats(self) -> float:
        """Beats from round to round: of the order where there is one, else of a pass."""
        return self.order.beats if self.order and self.cut else self.span

    @property
    def own_bpm(self) -> float:
        """Quarter notes a minute as it was recorded, on the whole."""
        return self.span * 60.0 / self.base.body_seconds

    def own_frames(self, rate: int) -> int:
        """Frames of one round in its own time."""
        return max(1, frame(self.base.body_seconds * rate * (self.round_beats / self.span)))

    def with_base(self, base: WarpMap) -> Self:
        """Read or laid anew: the layer keeps its share of it."""
        layer = self.straighten.rescaled(self.base, base) if self.straighten else None
        return self.changed(knots=base.knots, straighten=layer)

    def laid_on(self, span: float) -> Self:
        """One pass on another number of beats."""
        return self.with_base(self.base.with_span(span))

    def with_tied(self, tied: Tied) -> Self:
        return self.changed(knots=tied.base.knots, straighten=tied.layer)


class Track(Named):
    name: str = Field(max_length=LONGEST_NAME)
    level_db: LevelDb = Field(NEW_TRACK_DB, ge=QUIETEST_DB, le=LOUDEST_DB)
    muted: bool = False
    solo: bool = False


class Clip(Named):
    """A placement of a strand.

    passes  of a whole clip, whose length follows the strand's span
    length  beats of a trimmed clip; None where it is whole
    slip    beats by which the first pass begins before the clip does
    shift   semitones, on top of the strand's
    """

    strand: str
    track: str
    beat: float = Field(ge=0, le=FARTHEST_BEAT)
    passes: int = Field(1, ge=1, le=4096)
    length: float | None = Field(None, gt=0, le=FARTHEST_BEAT)
    slip: float = Field(0.0, ge=0)
    shift: float = Field(0.0, ge=-STEEPEST_SHIFT, le=STEEPEST_SHIFT)
    gain_db: LevelDb = Field(0.0, ge=QUIETEST_DB, le=LOUDEST_DB)
    fade_in_ms: float = Field(FADE_MS, ge=0, le=10_000)
    fade_out_ms: float = Field(FADE_MS, ge=0, le=10_000)
    muted: bool = False

    @property
    def is_whole(self) -> bool:
        return self.length is None


class Project(Named):
    """The whole document.

    rate  frames per second, fixed when the project is made
    a4_hz  its concert pitch
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
    grooves: tuple[KeptGroove, ...] = ()
    feel: tuple[FeelChange, ...] = ()
    tracks: tuple[Track, ...] = ()
    strands: tuple[Strand, ...] = ()
    clips: tuple[Clip, ...] = ()
    coil: tuple[Slot, ...] = ()

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

    def track(self, id_: str) -> Track:
        return _known(self._tracks, id_, "track")

    def strand(self, id_: str) -> Strand:
        return _known(self._strands, id_, "strand")

    def clip(self, id_: str) -> Clip:
        return _known(self._clips, id_, "clip")

    def kept_groove(self, id_: str) -> KeptGroove:
        return _known(self._grooves, id_, "groove")

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
        return frozenset(sha for s in self.strands for sha in s.sources)


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

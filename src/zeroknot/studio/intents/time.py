"""The project's tempo, metre and key."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.harmony.key import Key
from zeroknot.core.timeline.metre_map import Metre, MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.document.edits.any_edit import Together
from zeroknot.document.edits.time import SetKeys, SetMetres, SetTempo
from zeroknot.document.project import KeyChange, Project
from zeroknot.studio.hand import in_hand, quarters_of
from zeroknot.studio.in_key import key_shift
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.known import Known

MOST_POINTS = 4096
SLOWEST_EIGHTHS = 180.0  # pulses a minute


class SetSteadyTempo(Intent):
    """One tempo from bar 1 on, tempo changes let go."""

    kind: Literal["set_steady_tempo"] = "set_steady_tempo"
    bpm: float

    def resolve(self, project: Project, known: Known) -> Resolved:
        return Resolved(SetTempo(points=(TempoPoint(0.0, self.bpm),)))


class SetTempoPoint(Intent):
    """A tempo from a beat on, or to the next one.

    place  where it begins as it is written, like 5.3: instead of the beat
    was    where a point stood that is changed
    """

    kind: Literal["set_tempo_point"] = "set_tempo_point"
    beat: float = Field(ge=0, le=100_000)
    bpm: float
    shape: Literal["step", "ramp"] = "step"
    bend: float = 0.0
    was: float | None = None
    place: str | None = Field(None, max_length=40)

    def resolve(self, project: Project, known: Known) -> Resolved:
        beat = self.beat if self.place is None else project.metre_map.beat_of_place(self.place)
        point = TempoPoint(beat, self.bpm, self.shape, self.bend)
        kept = [p for p in project.tempo if p.beat not in (self.was, beat)]
        if self.was is not None and all(p.beat != self.was for p in project.tempo):
            raise EditError("there is no tempo change there (any more)")
        if self.was == project.tempo[0].beat and beat != self.was:
            raise EditError("the first tempo stays where the project begins")
        points = tuple(sorted([*kept, point], key=lambda p: p.beat))
        return Resolved(SetTempo(points=points))


class RemoveTempoPoint(Intent):
    kind: Literal["remove_tempo_point"] = "remove_tempo_point"
    beat: float

    def resolve(self, project: Project, known: Known) -> Resolved:
        kept = tuple(p for p in project.tempo if p.beat != self.beat)
        if len(kept) == len(project.tempo) or self.beat == project.tempo[0].beat:
            raise EditError("only a later tempo change can be removed; the first one stays")
        return Resolved(SetTempo(points=kept))


class TakeTime(Intent):
    """A tempo map and metres read from a MIDI file, in one step."""

    kind: Literal["take_time"] = "take_time"
    points: tuple[TempoPoint, ...] = Field(min_length=1, max_length=MOST_POINTS)
    metres: tuple[MetreChange, ...] = Field(min_length=1, max_length=MOST_POINTS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        edits = (SetTempo(points=self.points), SetMetres(changes=self.metres))
        return Resolved(Together(edits=edits, what="take tempo map"))


class SetMetreAt(Intent):
    """A metre from a bar on."""

    kind: Literal["set_metre_at"] = "set_metre_at"
    bar: int = Field(ge=1, le=100_000)
    metre: str = Field(max_length=10)

    def resolve(self, project: Project, known: Known) -> Resolved:
        kept = [c for c in project.metres if c.bar != self.bar]
        changes = [*kept, MetreChange(self.bar, Metre.parse(self.metre))]
        return Resolved(SetMetres(changes=tuple(sorted(changes, key=lambda c: c.bar))))


class RemoveMetre(Intent):
    kind: Literal["remove_metre"] = "remove_metre"
    bar: int

    def resolve(self, project: Project, known: Known) -> Resolved:
        kept = tuple(c for c in project.metres if c.bar != self.bar)
        if self.bar == 1 or len(kept) == len(project.metres):
            raise EditError("only a later metre can be removed; the one of bar 1 stays")
        return Resolved(SetMetres(changes=kept))


class SetMetre(Intent):
    """One metre throughout."""

    kind: Literal["set_metre"] = "set_metre"
    metre: str = Field(max_length=10)

    def resolve(self, project: Project, known: Known) -> Resolved:
        metre = MetreMap().changes[0].metre.parse(self.metre)
        return Resolved(SetMetres(changes=(MetreChange(1, metre),)))


class TakeTempo(Intent):
    """Give the project the tempo of what is in hand, as it was recorded."""

    kind: Literal["take_tempo"] = "take_tempo"
    hand: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        warp = in_hand(project, known.loops, self.hand).strand.warp
        bpm = round(warp.span * 60.0 / warp.body_seconds, 3)
        return Resolved(SetTempo(points=(TempoPoint(0.0, bpm),)))


class TakeTempoOfRange(Intent):
    """Give the project the tempo that a stretch of the recording has if it is so many bars."""

    kind: Literal["take_tempo_of_range"] = "take_tempo_of_range"
    hand: str
    start_s: float = Field(ge=0, le=1860)
    end_s: float = Field(ge=0, le=1860)
    bars: int = Field(ge=1, le=1024)

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        if self.end_s <= self.start_s:
            raise EditError("the end of the stretch does not come after its start")
        metre = project.metre_map.metre_at(1)
        per_bar = hand.strand.reading.beats_per_bar if hand.strand.reading else None
        beats = self.bars * (
            quarters_of(per_bar, per_bar, metre) if per_bar else metre.beats_per_bar
        )
        bpm = round(beats * 60.0 / (self.end_s - self.start_s), 3)
        return Resolved(SetTempo(points=(TempoPoint(0.0, bpm),)))


class TakeKey(Intent):
    """Give the project the key of what is in hand, shifted as it is."""

    kind: Literal["take_key"] = "take_key"
    hand: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        if hand.loop.key is None:
            raise EditError(f"{hand.strand.name} has no key that could be taken")
        key = Key.parse(hand.loop.key)
        shift = round(hand.strand.shift) + key_shift(project, hand.strand, 0.0)
        later = project.keys[1:]
        first = KeyChange(bar=1, key=str(key.shifted(shift)))
        return Resolved(SetKeys(changes=(first, *later)))


class TakeMetre(Intent):
    """Give the project the metre of what is in hand."""

    kind: Literal["take_metre"] = "take_metre"
    hand: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        if hand.strand.reading is None:
            raise EditError(f"nobody can tell the metre of {hand.strand.name} yet; count it first")
        pulses, tempo = hand.strand.reading.beats_per_bar, hand.strand.reading.tempo_bpm
        # Odd bars of fast pulses are counted in eighths.
        is_eighths = pulses in (5, 7) and tempo >= SLOWEST_EIGHTHS
        metre = Metre(6, 8) if pulses == 2 else Metre(pulses, 8 if is_eighths else 4)
        return Resolved(SetMetres(changes=(MetreChange(1, metre),)))

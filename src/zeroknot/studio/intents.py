"""What does a person ask for? Intents, resolved here into self-contained edits.

An intent may need the shelf, new ids or what was heard; the edit it becomes needs nothing. Where
an intent corrects what a loop is, it says so of the loop, too.
"""

from abc import abstractmethod
from dataclasses import dataclass, replace
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, TypeAdapter

from zeroknot.core.errors import EditError, StretchError
from zeroknot.core.harmony.key import NAMES, Key
from zeroknot.core.listening.corrected import BY_HAND, Correction, corrected
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import Statement
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.methods import method_named
from zeroknot.core.stretch.settings import Direction
from zeroknot.core.timeline.metre_map import Metre, MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.clip import AddClips
from zeroknot.document.edits.strand import AddStrand, ChangeStrand
from zeroknot.document.edits.time import SetKeys, SetMetres, SetTempo
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import LONGEST_NAME, Clip, KeyChange, Project, Strand, Track, Value
from zeroknot.store.loops import LoopStore
from zeroknot.studio.hand import Hand, beats_of, in_hand, new_id

SLOWEST_EIGHTHS = 180.0  # pulses a minute


@dataclass(frozen=True)
class Resolved:
    """The edit, and what it states of a loop; None where it states nothing."""

    edit: Edit
    statement: Statement | None = None


class Intent(Value):
    @abstractmethod
    def resolve(self, project: Project, loops: LoopStore) -> Resolved: ...


class Place(Intent):
    """Put what is in hand on a track at a beat; without a track on a new one."""

    kind: Literal["place"] = "place"
    hand: str
    beat: float = Field(ge=0, le=100_000)
    track: str | None = None
    passes: int = Field(1, ge=1, le=4096)

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        hand = in_hand(project, loops, self.hand)
        edits: list[SingleEdit] = [AddStrand(strand=hand.strand)] if hand.is_new else []
        track = self.track
        if track is None:
            track = new_id()
            name = hand.strand.name[:LONGEST_NAME]
            edits.append(AddTrack(track=Track(id=track, name=name)))
        clip = Clip(
            id=new_id(), strand=hand.strand.id, track=track, beat=self.beat, passes=self.passes
        )
        edits.append(AddClips(clips=(clip,)))
        return Resolved(Together(edits=tuple(edits), what=f"place {hand.strand.name}"))


class NewTrack(Intent):
    kind: Literal["new_track"] = "new_track"
    name: str = Field("New track", min_length=1, max_length=LONGEST_NAME)

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        return Resolved(AddTrack(track=Track(id=new_id(), name=self.name)))


class CopyClips(Intent):
    """Copies end to end: right after the clips themselves, or from a beat on."""

    kind: Literal["copy_clips"] = "copy_clips"
    clips: tuple[str, ...] = Field(min_length=1, max_length=4096)
    beat: float | None = Field(None, ge=0, le=100_000)
    track: str | None = None

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        clips = [project.clip(id_) for id_ in self.clips]
        first = min(c.beat for c in clips)
        end = max(project.clip_end(c) for c in clips)
        by = (end if self.beat is None else self.beat) - first
        copies = tuple(
            c.changed(id=new_id(), beat=c.beat + by, track=self.track or c.track) for c in clips
        )
        return Resolved(AddClips(clips=copies))


class SetSteadyTempo(Intent):
    """One tempo from bar 1 on, tempo changes let go."""

    kind: Literal["set_steady_tempo"] = "set_steady_tempo"
    bpm: float

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        return Resolved(SetTempo(points=(TempoPoint(0.0, self.bpm),)))


class SetMetre(Intent):
    """One metre throughout."""

    kind: Literal["set_metre"] = "set_metre"
    metre: str = Field(max_length=10)

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        metre = MetreMap().changes[0].metre.parse(self.metre)
        return Resolved(SetMetres(changes=(MetreChange(1, metre),)))


class TakeTempo(Intent):
    """Give the project the tempo of what is in hand, as it was recorded."""

    kind: Literal["take_tempo"] = "take_tempo"
    hand: str

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        warp = in_hand(project, loops, self.hand).strand.warp
        bpm = round(warp.span * 60.0 / warp.body_seconds, 3)
        return Resolved(SetTempo(points=(TempoPoint(0.0, bpm),)))


class TakeKey(Intent):
    """Give the project the key of what is in hand, shifted as it is."""

    kind: Literal["take_key"] = "take_key"
    hand: str

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        hand = in_hand(project, loops, self.hand)
        if hand.loop.key is None:
            raise EditError(f"{hand.strand.name} has no key that could be taken")
        key = Key.parse(hand.loop.key)
        shift = round(hand.strand.settings.semitones)
        if shift:
            key = Key(NAMES[(key.pitch_class + shift) % 12], key.mode)
        return Resolved(SetKeys(changes=(KeyChange(bar=1, key=str(key)),)))


class TakeMetre(Intent):
    """Give the project the metre of what is in hand."""

    kind: Literal["take_metre"] = "take_metre"
    hand: str

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        hand = in_hand(project, loops, self.hand)
        if hand.strand.reading is None:
            raise EditError(f"nobody can tell the metre of {hand.strand.name} yet; count it first")
        pulses, tempo = hand.strand.reading.beats_per_bar, hand.strand.reading.tempo_bpm
        # Odd bars of fast pulses are counted in eighths.
        is_eighths = pulses in (5, 7) and tempo >= SLOWEST_EIGHTHS
        metre = Metre(6, 8) if pulses == 2 else Metre(pulses, 8 if is_eighths else 4)
        return Resolved(SetMetres(changes=(MetreChange(1, metre),)))


class FitIntent(Intent):
    """A change of what is in hand; makes the strand where there is none yet.

    states  whether it also says what the loop itself is
    """

    states: ClassVar[bool] = False
    hand: str

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        hand = in_hand(project, loops, self.hand)
        strand, what = self.change(project, hand)
        edit: Edit
        if hand.is_new:
            edit = Together(edits=(AddStrand(strand=strand),), what=what)
        else:
            edit = ChangeStrand(strand=strand, what=what)
        if not self.states:
            return Resolved(edit)
        return Resolved(edit, Statement(hand.loop.sha, hand.loop.stated, self.stated(hand, strand)))

    @abstractmethod
    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        """The strand as it becomes, and what that is called."""

    def stated(self, hand: Hand, strand: Strand) -> Reading | None:
        """The person's reading of the loop itself from now on, where the intent states one."""
        return strand.reading


class AdoptReading(FitIntent):
    """One of the readings that were heard or claimed, by its place in the list."""

    states = True
    kind: Literal["adopt_reading"] = "adopt_reading"
    index: int = Field(ge=0, le=100)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if self.index >= len(hand.loop.readings):
            raise EditError("that reading is not in the list")
        reading = hand.loop.readings[self.index]
        bars = f"{reading.bars} bar{'s' * (reading.bars != 1)}"
        return _by_reading(project, hand.strand, reading), f"read as {bars}"

    def stated(self, hand: Hand, strand: Strand) -> Reading | None:
        # What holds without a word need not be stated; any other reading is the person's, and so
        # is the likeliest where listening itself would not tell.
        heard = hand.loop.hearing
        return None if hand.loop.readings[self.index] == heard.best else strand.reading


class StateReading(FitIntent):
    """The person's own reading: what is given is corrected, the rest follows.

    bars keep the body and change its tempo; a tempo keeps the downbeat and moves the end; a
    downbeat keeps the end.
    """

    states = True
    kind: Literal["state_reading"] = "state_reading"
    bars: int | None = Field(None, ge=1, le=1024)
    beats_per_bar: int | None = Field(None, ge=1, le=32)
    tempo_bpm: float | None = Field(None, ge=10, le=1000)
    downbeat_s: float | None = Field(None, ge=-60, le=1800)
    end_s: float | None = Field(None, ge=-60, le=1860)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        said = Correction(**self.model_dump(exclude={"kind", "hand"}))
        reading = corrected(_reading_of(project, hand.strand), said)
        given = [name for name in ("bars", "tempo_bpm", "downbeat_s", "end_s", "beats_per_bar")
                 if getattr(self, name) is not None]  # fmt: skip
        names = {"bars": "bars", "tempo_bpm": "loop tempo", "downbeat_s": "downbeat",
                 "end_s": "end", "beats_per_bar": "loop metre"}  # fmt: skip
        what = f"correct {names[given[0]]}" if given else "correct reading"
        return _by_reading(project, hand.strand, reading, keep_inner=self.bars is None), what


class WithdrawReading(FitIntent):
    """Take the stated reading back: what was heard holds again."""

    states = True
    kind: Literal["withdraw_reading"] = "withdraw_reading"

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if not hand.loop.hearing.readings:
            raise EditError("nothing was heard in this loop that could hold instead")
        strand = _by_reading(project, hand.strand, hand.loop.hearing.readings[0])
        return strand, "take back own reading"

    def stated(self, hand: Hand, strand: Strand) -> Reading | None:
        return None


class LayOn(FitIntent):
    """The span: how many beats one pass is laid on."""

    kind: Literal["lay_on"] = "lay_on"
    beats: float = Field(gt=0, le=16_384)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        warp = hand.strand.warp.with_span(self.beats)
        return hand.strand.changed(knots=warp.knots), f"lay on {self.beats:g} beats"


class ShiftGrid(FitIntent):
    """Drag the zero knot on the fitted rail: the grid moves under the recording by some beats."""

    states = True
    kind: Literal["shift_grid"] = "shift_grid"
    beats: float = Field(ge=-4096, le=4096)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        warp = hand.strand.warp
        zero = warp.second_of_beat(-self.beats)
        end = warp.second_of_beat(warp.span - self.beats)
        before = _reading_of(project, hand.strand)
        tempo = before.pulses * 60.0 / (end - zero)
        reading = Reading(before.bars, before.beats_per_bar, tempo, zero, end, 1.0, BY_HAND)
        knots = WarpMap.between(zero, end, warp.span).knots
        return hand.strand.changed(reading=reading, knots=knots), "move the one"


class SetMethod(FitIntent):
    kind: Literal["set_method"] = "set_method"
    method: str = Field(max_length=40)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        name = "Auto" if self.method == AUTO else method_named(self.method).name
        return hand.strand.changed(method=self.method), f"stretch by {name}"


class SetStretch(FitIntent):
    """Settings of the stretch: those that are given change."""

    kind: Literal["set_stretch"] = "set_stretch"
    semitones: float | None = None
    formants: float | None = None
    grain_seconds: float | None = None
    density: float | None = None
    jitter_seconds: float | None = None
    spread: float | None = None
    direction: Direction | None = None
    frozen_at: float | None = None
    seed: int | None = None
    voice: str | None = None

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        given = self.model_dump(exclude={"kind", "hand"}, exclude_unset=True)
        if not given:
            raise EditError("no setting of the stretch is given")
        try:
            settings = replace(hand.strand.settings, **given)
        except StretchError as error:
            raise EditError(str(error)) from error
        what = ", ".join(_said(name, value) for name, value in given.items())
        return hand.strand.changed(settings=settings), what


def _said(name: str, value: Any) -> str:
    """A setting as the list of undo says it."""
    if name == "semitones":
        return f"shift {value:+g} st"
    words = name.removesuffix("_seconds").replace("_", " ")
    if value is None:
        return f"{words} off"
    if name.endswith("_seconds"):
        return f"{words} {1000 * value:g} ms"
    return f"{words} {value}" if isinstance(value, str | int) else f"{words} {100 * value:g} %"


class SetLead(FitIntent):
    kind: Literal["set_lead"] = "set_lead"
    lead: bool

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        return hand.strand.changed(lead=self.lead), "keep lead" if self.lead else "leave lead out"


class SetStrandLevel(FitIntent):
    kind: Literal["set_strand_level"] = "set_strand_level"
    gain_db: float = Field(ge=-60, le=12)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        return hand.strand.changed(gain_db=self.gain_db), "strand level"


def _reading_of(project: Project, strand: Strand) -> Reading:
    """What a strand is, read off its knots where it has no reading."""
    warp, metre = strand.warp, project.metre_map.metre_at(1)
    if strand.reading:
        return replace(
            strand.reading, downbeat_s=warp.zero.second, end_s=warp.end.second,
            tempo_bpm=strand.reading.pulses * 60.0 / warp.body_seconds,
        )  # fmt: skip
    per_bar = metre.pulses_per_bar
    bars = max(1, round(warp.span / metre.beats_per_bar))
    tempo = bars * per_bar * 60.0 / warp.body_seconds
    return Reading(bars, per_bar, tempo, warp.zero.second, warp.end.second, 0.0)


def _by_reading(
    project: Project, strand: Strand, reading: Reading, keep_inner: bool = False
) -> Strand:
    """The strand with another reading. Its span keeps its proportion to what the loop is."""
    metre = project.metre_map.metre_at(1)
    share = 1.0
    if strand.reading:
        share = strand.span / beats_of(strand.reading, metre)
    span = beats_of(reading, metre) * share
    if keep_inner and strand.reading and strand.reading.pulses == reading.pulses:
        warp = strand.warp
        if reading.end_s > warp.zero.second + 0.01:
            warp = warp.with_end_at(reading.end_s).with_zero_at(reading.downbeat_s)
        else:
            warp = warp.with_zero_at(reading.downbeat_s).with_end_at(reading.end_s)
        warp = warp.with_span(span)
    else:
        warp = WarpMap.between(reading.downbeat_s, reading.end_s, span)
    return strand.changed(reading=reading, knots=warp.knots, by_hand=False)


AnyIntent = Annotated[
    Place
    | NewTrack
    | CopyClips
    | SetSteadyTempo
    | SetMetre
    | TakeTempo
    | TakeKey
    | TakeMetre
    | AdoptReading
    | StateReading
    | WithdrawReading
    | LayOn
    | ShiftGrid
    | SetMethod
    | SetStretch
    | SetLead
    | SetStrandLevel,
    Field(discriminator="kind"),
]
any_intent: TypeAdapter[Intent] = TypeAdapter(AnyIntent)

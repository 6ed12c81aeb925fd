"""The knots of the strand in hand: tie, move, remove, fasten, straighten."""

from dataclasses import replace
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.listening.reading import Reading
from zeroknot.core.warp.placing import Placing, fastened_from, joined, placed, removed
from zeroknot.core.warp.straighten import Counted, Straighten, counted, tied
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.document.value import Value
from zeroknot.studio.hand import Hand, pulses_heard
from zeroknot.studio.intents.base import FitIntent
from zeroknot.studio.intents.readings import by_reading, reading_of

MOST_AT_ONCE = 4096
EARLIEST, LATEST = -60.0, 1_860.0  # seconds a knot may stand at
EVERY = (1, 2, 4, 8, 16, 32)


class PlaceKnot(Value):
    """A knot as `core.warp.placing.Placing` describes it."""

    second: float = Field(ge=EARLIEST, le=LATEST)
    beat: float | None = Field(None, ge=-100_000, le=100_000)
    at: float | None = Field(None, ge=EARLIEST, le=LATEST)


class TieKnots(FitIntent):
    """Tie new knots and move others, all in one step.

    A knot without a beat is tied where that moment lies: so are a hit's neighbours before it is
    moved. Moving the zero knot or the end knot along the recording corrects the reading.
    """

    kind: Literal["tie_knots"] = "tie_knots"
    knots: tuple[PlaceKnot, ...] = Field(min_length=1, max_length=MOST_AT_ONCE)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        places = [Placing(k.second, k.beat, k.at) for k in self.knots]
        strand = hand.strand.with_tied(placed(hand.strand.tied, places, hand.strand.fastened))
        if self.says(hand, strand):
            strand = strand.changed(reading=reading_of(project, strand))
            ends = strand.base.zero == hand.strand.base.zero
            return strand, "correct end" if ends else "correct downbeat"
        moved = sum(k.at is not None for k in self.knots)
        count = moved or len(self.knots)
        what = f"{'move' if moved else 'tie'} {'a knot' if count == 1 else f'{count} knots'}"
        return strand.changed(by_hand=True), what

    def says(self, hand: Hand, strand: Strand) -> bool:
        before, after = hand.strand.base, strand.base
        return (before.zero, before.end) != (after.zero, after.end)


class RemoveKnots(FitIntent):
    kind: Literal["remove_knots"] = "remove_knots"
    seconds: tuple[float, ...] = Field(min_length=1, max_length=MOST_AT_ONCE)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        made = removed(hand.strand.tied, self.seconds, hand.strand.fastened)
        gone = len(hand.strand.tied.warp.knots) - len(made.warp.knots)
        if not gone:
            raise EditError("the zero knot and the end knot always exist")
        strand = hand.strand.with_tied(made)
        return strand, f"remove {'a knot' if gone == 1 else f'{gone} knots'}"


class Fasten(FitIntent):
    """Hold a stretch so that nothing in it moves: knots on its edges, and none inside to drag."""

    kind: Literal["fasten"] = "fasten"
    start_s: float = Field(ge=EARLIEST, le=LATEST)
    end_s: float = Field(ge=EARLIEST, le=LATEST)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        strand, warp = hand.strand, hand.strand.warp
        start = max(self.start_s, warp.zero.second)
        end = min(self.end_s, warp.end.second)
        made = strand.with_tied(fastened_from(strand.tied, start, end))
        return made.changed(fastened=joined(strand.fastened, start, end)), "fasten a stretch"


class Loosen(FitIntent):
    """Let fastened stretches go that a moment lies in; all without one."""

    kind: Literal["loosen"] = "loosen"
    second: float | None = None

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        kept = tuple(
            (a, b) for a, b in hand.strand.fastened
            if self.second is not None and not a <= self.second <= b
        )  # fmt: skip
        if kept == hand.strand.fastened:
            raise EditError("nothing is fastened there")
        return hand.strand.changed(fastened=kept), "loosen a stretch"


class StraightenBeats(FitIntent):
    """Tie knots from the beats that were heard, as a layer whose amount can be turned down.

    every  pulses or bars
    over   the stretch (seconds); the whole pass without one
    """

    kind: Literal["straighten"] = "straighten"
    every: int = 1
    unit: Literal["beats", "bars"] = "beats"
    over: tuple[float, float] | None = None

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if self.every not in EVERY:
            raise EditError(f"beats are tied every {', '.join(map(str, EVERY))}")
        reading = reading_of(project, hand.strand)
        beats = _counted(hand, reading)
        strand = _recounted(project, hand.strand, reading, beats)
        reading = reading_of(project, strand)
        beats = _counted(replace(hand, strand=strand), reading)
        every = self.every * (reading.beats_per_bar if self.unit == "bars" else 1)
        start, end = self.over or (None, None)
        layer = tied(strand.base, beats, every, strand.fastened, start, end)
        if strand.straighten:
            layer = _beside(strand.straighten, layer, self.over)
        each = "beat" if self.unit == "beats" else "bar"
        often = each if self.every == 1 else f"{self.every} {each}s"
        return strand.changed(straighten=layer), f"straighten every {often}"

    def says(self, hand: Hand, strand: Strand) -> bool:
        return strand.base != hand.strand.base  # its beats were counted otherwise than it was read


class SetStraightening(FitIntent):
    """How much of the way to the grid: 0…1."""

    kind: Literal["set_straightening"] = "set_straightening"
    amount: float = Field(ge=0, le=1)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if hand.strand.straighten is None:
            raise EditError("this is not straightened yet")
        layer = replace(hand.strand.straighten, amount=self.amount)
        return hand.strand.changed(straighten=layer), f"straighten {100 * self.amount:g} %"


class Unstraighten(FitIntent):
    """Take the layer away; base knots stay."""

    kind: Literal["unstraighten"] = "unstraighten"

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if hand.strand.straighten is None:
            raise EditError("this is not straightened")
        return hand.strand.changed(straighten=None), "untie straightening"


class FollowTempo(FitIntent):
    """Follow the project's tempo, or keep the time it was recorded in."""

    kind: Literal["follow_tempo"] = "follow_tempo"
    follows: bool

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        what = "follow the tempo" if self.follows else "keep own time"
        return hand.strand.changed(follows=self.follows), what


def _counted(hand: Hand, reading: Reading) -> Counted:
    per_pulse = hand.strand.span / reading.pulses
    heard = pulses_heard(hand.strand, hand.loop)
    return counted(reading.downbeat_s, reading.end_s, heard, per_pulse)


def _recounted(project: Project, strand: Strand, reading: Reading, beats: Counted) -> Strand:
    """The strand with as many whole bars as its beats were counted to be."""
    pulses = beats.number_at(reading.end_s) - beats.number_at(reading.downbeat_s)
    if round(pulses) == reading.pulses:
        return strand
    bars = max(1, round(pulses / reading.beats_per_bar))
    first = beats.number_at(reading.downbeat_s)
    end = beats.second_at(first + bars * reading.beats_per_bar)
    tempo = bars * reading.beats_per_bar * 60.0 / (end - reading.downbeat_s)
    again = replace(reading, bars=bars, end_s=end, tempo_bpm=tempo, reason="its beats were counted")
    return by_reading(project, strand, again)


def _beside(old: Straighten, new: Straighten, over: tuple[float, float] | None) -> Straighten:
    """What was tied elsewhere stays: a new stretch takes the place of what lies in it only."""
    if over is None:
        return replace(new, amount=old.amount)
    kept = [t for t in old.ties if not over[0] <= t.second <= over[1]]
    ties = tuple(sorted([*kept, *new.ties], key=lambda t: t.second))
    return replace(new, ties=ties, amount=old.amount)

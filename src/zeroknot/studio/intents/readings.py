"""What the loop in hand is, and what it is laid on."""

from dataclasses import replace
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.listening.corrected import BY_HAND, Correction, corrected
from zeroknot.core.listening.reading import Reading
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.studio.hand import Hand, beats_of
from zeroknot.studio.intents.base import FitIntent


class ReadingIntent(FitIntent):
    """It says what the loop itself is."""

    def says(self, hand: Hand, strand: Strand) -> bool:
        return True


class AdoptReading(ReadingIntent):
    """One of the readings that were heard or claimed, by its place in the list."""

    kind: Literal["adopt_reading"] = "adopt_reading"
    index: int = Field(ge=0, le=100)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if self.index >= len(hand.loop.readings):
            raise EditError("that reading is not in the list")
        reading = hand.loop.readings[self.index]
        bars = f"{reading.bars} bar{'s' * (reading.bars != 1)}"
        return by_reading(project, hand.strand, reading), f"read as {bars}"

    def stated(self, hand: Hand, strand: Strand) -> Reading | None:
        # What holds without a word need not be stated; any other reading is the person's, and so
        # is the likeliest where listening itself would not tell.
        heard = hand.loop.hearing
        return None if hand.loop.readings[self.index] == heard.best else strand.reading


class StateReading(ReadingIntent):
    """The person's own reading: what is given is corrected, the rest follows.

    bars keep the body and change its tempo; a tempo keeps the downbeat and moves the end; a
    downbeat keeps the tempo and takes the end along, unless the end was stated.
    """

    kind: Literal["state_reading"] = "state_reading"
    bars: int | None = Field(None, ge=1, le=1024)
    beats_per_bar: int | None = Field(None, ge=1, le=32)
    tempo_bpm: float | None = Field(None, ge=10, le=1000)
    downbeat_s: float | None = Field(None, ge=-60, le=1800)
    end_s: float | None = Field(None, ge=-60, le=1860)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        said = Correction(**self.model_dump(exclude={"kind", "hand"}))
        reading = corrected(reading_of(project, hand.strand), said, hand.loop.seconds)
        given = [name for name in ("bars", "tempo_bpm", "downbeat_s", "end_s", "beats_per_bar")
                 if getattr(self, name) is not None]  # fmt: skip
        names = {"bars": "bars", "tempo_bpm": "loop tempo", "downbeat_s": "downbeat",
                 "end_s": "end", "beats_per_bar": "loop metre"}  # fmt: skip
        what = f"correct {names[given[0]]}" if given else "correct reading"
        return by_reading(project, hand.strand, reading), what


class FollowLoop(FitIntent):
    """The strand takes the reading that its loop has by now, as it was corrected on the shelf."""

    kind: Literal["follow_loop"] = "follow_loop"

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if hand.loop.reading is None:
            raise EditError("nothing is known of that loop; say what it is first")
        return by_reading(project, hand.strand, hand.loop.reading), "read as the shelf has it"


class WithdrawReading(ReadingIntent):
    """Take the stated reading back: what was heard holds again."""

    kind: Literal["withdraw_reading"] = "withdraw_reading"

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if not hand.loop.hearing.readings:
            raise EditError("nothing was heard in this loop that could hold instead")
        strand = by_reading(project, hand.strand, hand.loop.hearing.readings[0])
        return strand, "take back own reading"

    def stated(self, hand: Hand, strand: Strand) -> Reading | None:
        return None


class LayOn(FitIntent):
    """The span: how many beats one pass is laid on."""

    kind: Literal["lay_on"] = "lay_on"
    beats: float = Field(gt=0, le=16_384)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        return hand.strand.laid_on(self.beats), f"lay on {self.beats:g} beats"


class ShiftGrid(ReadingIntent):
    """Drag the zero knot on the fitted rail: the grid moves under the recording by some beats."""

    kind: Literal["shift_grid"] = "shift_grid"
    beats: float = Field(ge=-4096, le=4096)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        warp = hand.strand.warp
        zero = warp.second_of_beat(-self.beats)
        end = warp.second_of_beat(warp.span - self.beats)
        before = reading_of(project, hand.strand)
        tempo = before.pulses * 60.0 / (end - zero)
        reading = Reading(before.bars, before.beats_per_bar, tempo, zero, end, 1.0, BY_HAND)
        strand = hand.strand.with_base(hand.strand.base.read_as(zero, end, warp.span))
        return strand.changed(reading=reading), "move the one"


def reading_of(project: Project, strand: Strand) -> Reading:
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


def by_reading(project: Project, strand: Strand, reading: Reading) -> Strand:
    """The strand with another reading. Its span keeps its proportion to what the loop is."""
    metre = project.metre_map.metre_at(1)
    share = 1.0
    if strand.reading:
        share = strand.span / beats_of(strand.reading, metre)
    span = beats_of(reading, metre) * share
    base = strand.base.read_as(reading.downbeat_s, reading.end_s, span)
    return strand.with_base(base).changed(reading=reading, by_hand=False)

"""Slices: where a loop is cut, and what is done to its pieces."""

from dataclasses import fields, replace
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.groove.hit import REGISTERS, Register, at_sensitivity
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.order.order import Order
from zeroknot.core.slicing.cut import (
    LEAST_BY_HAND,
    MOST_PIECES,
    SAME_SECONDS,
    Cut,
    Cuts,
    Sure,
    apart,
    at_knots,
    by_attacks,
    by_beats,
    into_equal,
    nearest,
)
from zeroknot.core.slicing.piece import LONGEST_NAME, QUIETEST_DB, Length, Piece
from zeroknot.core.slicing.shape import FilterKind
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.document.value import Value
from zeroknot.studio.hand import Hand, in_hand
from zeroknot.studio.intents.slicing import SliceIntent, Which, cut_of, meant, numbers
from zeroknot.studio.known import Known

SAME_HIT = 0.02  # seconds between where a hit is heard and where it begins
OFFERED_WITHIN = 0.06  # seconds: an attack so near to a beat is meant by it
Way = Literal["attacks", "beats", "equal", "knots"]


class CutUp(SliceIntent):
    """Cut it in a way; pieces that match those it had keep their settings.

    sensitivity, registers  by attacks: how sure they must be, and of which hits
    beats    by beats: length of a piece
    snap     by beats or equal: to the attack next to each cut, where one is near
    zero     to where the recording crosses zero, next to each
    count    equal: how many
    """

    kind: Literal["cut_up"] = "cut_up"
    by: Way
    sensitivity: float = Field(SENSITIVITY, ge=0, le=1)
    registers: tuple[Register, ...] = REGISTERS
    beats: float = Field(0.5, gt=0, le=64)
    count: int = Field(16, ge=1, le=MOST_PIECES)
    snap: bool = False
    zero: bool = False

    def measure(self, project: Project, known: Known) -> None:
        loop = in_hand(project, known.loops, self.hand).loop
        if self.by == "attacks" or self.snap:
            known.begun(loop)
        if self.by == "attacks" and set(self.registers) != set(REGISTERS):
            known.hits(loop)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        starts = self._starts(hand)
        if self.zero:
            starts = (starts[0], *hand.zeros(hand.loop, starts[1:]))
            starts = apart(sorted(starts), hand.strand.warp.end.second, LEAST_BY_HAND)
        strand = hand.strand
        return recut(strand, strand.cut.again(starts) if strand.cut else Cut.at(starts)), (
            f"cut into {len(starts)} slices"
        )

    def _starts(self, hand: Hand) -> Cuts:
        warp, hearing = hand.strand.warp, hand.loop.hearing
        if self.by == "knots":
            return at_knots(warp)
        if self.by == "attacks":
            return by_attacks(self._attacks(hand), warp, hearing.sounding[0])
        starts = by_beats(warp, self.beats) if self.by == "beats" else into_equal(warp, self.count)
        if not self.snap:
            return starts
        attacks = [second for second, _ in self._begun(hand)]
        return nearest(starts, attacks, OFFERED_WITHIN)

    def _attacks(self, hand: Hand) -> list[Sure]:
        begun = self._begun(hand)
        if set(self.registers) == set(REGISTERS):
            return begun
        hits = at_sensitivity(hand.hits, self.sensitivity)
        meant = [h.second for h in hits if h.register in self.registers]
        return [b for b in begun if any(abs(b[0] - second) < SAME_HIT for second in meant)]

    def _begun(self, hand: Hand) -> list[Sure]:
        least = 1.0 - self.sensitivity - 1e-9
        return [(second, sure) for second, sure in hand.begin(hand.loop) if sure >= least]


class LeaveWhole(SliceIntent):
    """It is not cut any more, and plays as it was recorded."""

    kind: Literal["leave_whole"] = "leave_whole"

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        cut_of(hand)
        return hand.strand.changed(cut=None, order=None, dealt=(), rounds=()), "leave it whole"


class MendCut(SliceIntent):
    """One cut more, less or elsewhere.

    how     "add" at a second, "move" the cut that slice `index` begins at, "join" that slice to
            the one before, "split" it in the middle
    snap    where it goes of itself: "grid" to the beats of a step, "zero" to where the recording
            crosses zero
    step    of the grid, beats
    """

    kind: Literal["mend_cut"] = "mend_cut"
    how: Literal["add", "move", "join", "split"]
    second: float = Field(0.0, ge=-3600, le=36_000)
    index: int = Field(0, ge=0, lt=MOST_PIECES)
    snap: Literal["free", "grid", "zero"] = "free"
    step: float = Field(0.25, ge=1 / 64, le=64)

    def _second(self, hand: Hand) -> float:
        if self.snap == "zero":
            return hand.zeros(hand.loop, (self.second,))[0]
        if self.snap == "grid":
            warp = hand.strand.warp
            beat = round(warp.beat_of_second(self.second) / self.step) * self.step
            return warp.second_of_beat(beat)
        return self.second

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        end = hand.strand.warp.end.second
        whole = Cut.at((hand.strand.warp.zero.second,))
        cut = hand.strand.cut or whole
        if self.how in ("split", "join", "move") and self.index >= len(cut.starts):
            raise EditError(f"there is no slice {self.index + 1} (any more)")
        if self.how == "add":
            return recut(hand.strand, cut.added(self._second(hand), end)), "add a cut"
        if self.how == "move":
            return recut(hand.strand, cut.moved(self.index, self._second(hand), end)), "move a cut"
        if self.how == "join":
            return recut(hand.strand, cut.joined(self.index)), "join two slices"
        edges = [*cut.starts, end]
        middle = (edges[self.index] + edges[self.index + 1]) / 2
        return recut(hand.strand, cut.added(middle, end)), "split a slice"


class ShapeGiven(Value):
    """Of `core.slicing.shape.Shape`: what is given."""

    attack_ms: float = 0.0
    decay_ms: float = 0.0
    sustain: float = 1.0
    release_ms: float = 0.0
    bend: float = 0.0
    bend_rise_ms: float = 0.0
    bend_ms: float = 80.0
    bend_sustain: float = 0.0
    filter: FilterKind = "off"
    cutoff_hz: float = 2000.0
    resonance_db: float = 0.0
    sweep: float = 0.0
    sweep_ms: float = 200.0
    wave: float = 0.0
    wave_beats: float = 4.0
    drive_db: float = 0.0


class ChangePieces(SliceIntent):
    """Some slices otherwise: what is given changes, the rest stays.

    which  indices; all where there are none
    by     semitones on top of what each has
    """

    kind: Literal["change_pieces"] = "change_pieces"
    which: Which = Field((), max_length=MOST_PIECES)
    name: str = Field("", max_length=LONGEST_NAME)
    gain_db: float = 0.0
    pan: float = 0.0
    semitones: float = 0.0
    reverse: bool = False
    muted: bool = False
    rings: bool = False
    held: bool = False
    choke: int = 0
    sway: float = 0.0
    sway_beats: float = 4.0
    method: str = Field("", max_length=20)
    length: Length = "laid"
    room_db: float = QUIETEST_DB
    echo_db: float = QUIETEST_DB
    fade_in_ms: float = 4.0
    fade_out_ms: float = 6.0
    shape: ShapeGiven | None = None
    by: float = 0.0

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        cut = cut_of(hand)
        out = {"kind", "hand", "which", "by", "shape"}
        given = self.model_dump(exclude=out, exclude_unset=True)
        shape = self.shape.model_dump(exclude_unset=True) if self.shape else {}
        if not given and not shape and not self.by:
            raise EditError("nothing of the slices is given")
        which = meant(self.which, cut.count, "slice")
        pieces = list(cut.all_pieces)
        for i in which:
            own = pieces[i].shape
            pieces[i] = replace(pieces[i], **given, shape=replace(own, **shape) if shape else own)
            if self.by:
                pieces[i] = replace(pieces[i], semitones=round(pieces[i].semitones + self.by, 2))
        who = "all slices" if len(which) == len(pieces) > 1 else numbers(which, "slice")
        what = (
            "transpose"
            if self.by
            else ", ".join(dict.fromkeys(SAID[n] for n in (*given, *(["shape"] if shape else []))))
        )
        return hand.strand.changed(cut=cut.with_pieces(pieces)), f"{what} of {who}"


SAID = {
    "name": "name", "gain_db": "level", "pan": "pan", "semitones": "shift",
    "reverse": "direction", "muted": "mute", "rings": "ringing on", "held": "being held",
    "length": "length",
    "room_db": "send to the room", "echo_db": "send to the echo",
    "sway": "sway", "sway_beats": "sway", "choke": "choke group", "method": "method",
    "fade_in_ms": "fade-in", "fade_out_ms": "fade-out", "shape": "shape",
}  # fmt: skip


assert set(SAID) == {f.name for f in fields(Piece)}


def recut(strand: Strand, cut: Cut) -> Strand:
    """A strand cut otherwise: its orders, deals and rounds play the same moments as far as they
    are there."""
    if strand.cut is None:
        return strand.changed(cut=cut, order=None)
    before, after, warp = strand.cut.starts, cut.starts, strand.warp

    def again(order: Order) -> Order:
        return order.recut(before, after, warp)

    piece = [cut.index_at(start + SAME_SECONDS) for start in before]
    piece += range(len(after), cut.count)  # what is borrowed is numbered after the loop's own
    return strand.changed(
        cut=cut,
        order=again(strand.order) if strand.order else None,
        dealt=tuple(d.changed(base=again(d.base), order=again(d.order)) for d in strand.dealt),
        rounds=tuple(
            replace(r, strokes=tuple(replace(s, piece=piece[s.piece]) for s in r.strokes))
            for r in strand.rounds
        ),
    )

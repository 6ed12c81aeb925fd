"""The order that slices play in: tiles by hand, deals, what was played."""

import itertools
from collections.abc import Callable
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError, SliceError
from zeroknot.core.order.deal import MOST_SEED, Deal, dealt
from zeroknot.core.order.order import (
    LEAST_BEATS,
    MOST_AT_ONCE,
    MOST_BEATS,
    MOST_TILES,
    Order,
    Tile,
)
from zeroknot.core.order.played import Round, Stroke, quantized
from zeroknot.document.project import Project
from zeroknot.document.slices import MOST_DEALT, MOST_ROUNDS, Dealt
from zeroknot.document.strand import Strand
from zeroknot.studio.hand import Hand, in_hand
from zeroknot.studio.intents.slicing import SliceIntent, Which, cut_of, edges_of, meant, numbers
from zeroknot.studio.known import Known


class ChangeTiles(SliceIntent):
    """Some tiles otherwise: what is given changes, the rest stays. All where there are none.

    piece  what they play
    """

    kind: Literal["change_tiles"] = "change_tiles"
    which: Which = Field((), max_length=MOST_TILES)
    piece: int = Field(0, ge=0)
    gain_db: float = 0.0
    semitones: float = 0.0
    reverse: bool = False
    hits: int = 1
    rise_db: float = 0.0
    climb: float = 0.0
    muted: bool = False

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        order = _order(hand)
        given = self.model_dump(exclude={"kind", "hand", "which"}, exclude_unset=True)
        if not given:
            raise EditError("nothing of the tiles is given")
        which = meant(self.which, len(order.tiles), "tile")
        what = f"change {numbers(which, 'tile')}"
        return _ordered(hand, order.changed(set(which), **given)), what


class MoveTiles(SliceIntent):
    """Some tiles so many beats later, or copies of them there."""

    kind: Literal["move_tiles"] = "move_tiles"
    which: Which = Field(min_length=1, max_length=MOST_TILES)
    by: float = Field(ge=-1024, le=1024)
    copies: bool = False

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        order = _order(hand)
        which = set(meant(self.which, len(order.tiles), "tile"))
        if self.copies:
            return _ordered(hand, order.copied(which, self.by)), "copy tiles"
        return _ordered(hand, order.moved(which, self.by)), "move tiles"


class StackTiles(SliceIntent):
    """What some tiles play, all at once where the first lies; where the others were is a rest."""

    kind: Literal["stack_tiles"] = "stack_tiles"
    which: Which = Field(min_length=2, max_length=MOST_AT_ONCE)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        order = _order(hand)
        which = meant(self.which, len(order.tiles), "tile")
        return _ordered(hand, order.stacked(which)), f"{len(which)} tiles at once"


class PutTile(SliceIntent):
    """A slice as a tile somewhere, over what was there."""

    kind: Literal["put_tile"] = "put_tile"
    beat: float = Field(ge=0, le=1024)
    beats: float = Field(gt=0, le=64)
    piece: int = Field(ge=0)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        order = _order(hand)
        tile = Tile(self.beat, min(self.beats, order.beats - self.beat), self.piece)
        return _ordered(hand, order.laid(tile)), f"put slice {self.piece + 1}"


class LayOrder(SliceIntent):
    """Another order altogether: as it was played, or as a file has it.

    what  it is called in the list of undo
    """

    kind: Literal["lay_order"] = "lay_order"
    beats: float = Field(gt=0, le=MOST_BEATS)
    tiles: tuple[Tile, ...] = Field(min_length=1, max_length=MOST_TILES)
    what: str = Field("another order", max_length=80)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        cut_of(hand)
        return _ordered(hand, Order.of(self.beats, self.tiles)), self.what


class KeepRound(SliceIntent):
    """Keep what was played on the pads, as it was played; the order stays as it is.

    beats  from round to round
    """

    kind: Literal["keep_round"] = "keep_round"
    beats: float = Field(gt=0, le=MOST_BEATS)
    strokes: tuple[Stroke, ...] = Field(min_length=1, max_length=MOST_TILES)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        cut = cut_of(hand)
        kept = tuple(s for s in self.strokes if s.piece < cut.count)
        if not kept:
            raise EditError("nothing was struck that is a slice of this")
        rounds = hand.strand.rounds[-(MOST_ROUNDS - 1) :]
        made = Round(beats=self.beats, strokes=kept)
        return hand.strand.changed(rounds=(*rounds, made)), "keep what was played"


class PlayRound(SliceIntent):
    """What was played becomes the order, drawn to a grid with a strength.

    number  of the round in the row; the newest where none is given
    feels   how hard it was struck says how loud it is
    """

    kind: Literal["play_round"] = "play_round"
    number: int | None = Field(None, ge=0, lt=MOST_ROUNDS)
    step: float = Field(0.25, ge=LEAST_BEATS, le=MOST_BEATS)
    strength: float = Field(1.0, ge=0, le=1)
    feels: bool = True

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        strand, cut = hand.strand, cut_of(hand)
        number = len(strand.rounds) - 1 if self.number is None else self.number
        if not 0 <= number < len(strand.rounds):
            raise EditError("that round is not kept (any more)")
        edges = [strand.warp.beat_of_second(s) for s in edges_of(strand)]
        lengths = [b - a for a, b in itertools.pairwise(edges)]
        bpm = project.tempo_map.bpm_at(0.0) if strand.follows else strand.own_bpm
        lengths += [(b.stop - b.start) * (b.bpm or bpm) / 60.0 for b in cut.borrowed]
        assert len(lengths) == cut.count
        order = quantized(strand.rounds[number], self.step, self.strength, lengths, self.feels)
        return _ordered(hand, order), f"play round {number + 1} at {100 * self.strength:g} %"


class LetRoundGo(SliceIntent):
    kind: Literal["let_round_go"] = "let_round_go"
    number: int = Field(ge=0, lt=MOST_ROUNDS)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        rounds = hand.strand.rounds
        if self.number >= len(rounds):
            raise EditError("that round is not kept (any more)")
        left = rounds[: self.number] + rounds[self.number + 1 :]
        return hand.strand.changed(rounds=left), f"let round {self.number + 1} go"


class DrawLevels(SliceIntent):
    """Levels of tiles in a line, from the first to the last."""

    kind: Literal["draw_levels"] = "draw_levels"
    which: Which = Field(min_length=1, max_length=MOST_TILES)
    first_db: float = Field(ge=-60, le=12)
    last_db: float = Field(ge=-60, le=12)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        order = _order(hand)
        which = meant(self.which, len(order.tiles), "tile")
        return _ordered(hand, order.levelled(which, self.first_db, self.last_db)), "draw levels"


How = Literal[
    "remove", "repeat", "double", "halve", "swap", "rotate", "mirror", "thin", "fill", "only",
    "half_time", "double_time", "grid", "length", "as_cut",
]  # fmt: skip


class TreatOrder(SliceIntent):
    """The order, or some of its tiles, treated as a whole.

    which  tiles that are meant, for remove, repeat, double, halve and swap; all where none
    beats  rotate: so many later; fill: the last so many; length: of the order; only: the bar's
    step   fill and grid: from tile to tile
    wanted only: beats of the bar, the first being 1
    """

    kind: Literal["treat_order"] = "treat_order"
    how: How
    which: Which = Field((), max_length=MOST_TILES)
    beats: float = Field(1.0, ge=-1024, le=1024)
    step: float = Field(0.25, gt=0.01, le=64)
    wanted: tuple[int, ...] = Field((), max_length=64)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if self.how == "as_cut":
            cut_of(hand)
            return hand.strand.changed(order=None), "as it was cut"
        order = _order(hand)
        which = set(meant(self.which, len(order.tiles), "tile"))
        if self.how == "swap":
            if len(self.which) != 2:
                raise EditError("two tiles change places: choose two")
            return _ordered(hand, order.swapped(*self.which)), "swap two tiles"
        per_bar = project.metre_map.metre_at(1).beats_per_bar
        done: dict[str, Callable[[], Order]] = {
            "remove": lambda: order.without(which),
            "repeat": lambda: order.repeated(which),
            "double": lambda: order.halved(which),
            "halve": lambda: order.merged(which),
            "rotate": lambda: order.rotated(self.beats),
            "mirror": order.mirrored,
            "thin": order.thinned,
            "fill": lambda: order.filled(self.beats, self.step),
            "only": lambda: order.only(per_bar, self.wanted),
            "half_time": lambda: order.in_time(0.5),
            "double_time": lambda: order.in_time(2.0),
            "grid": lambda: order.on_grid(self.step),
            "length": lambda: order.long(self.beats),
        }
        return _ordered(hand, done[self.how]()), TREATED[self.how]


TREATED: dict[str, str] = {
    "remove": "remove tiles", "repeat": "repeat tiles", "double": "double the resolution",
    "halve": "halve the resolution", "rotate": "rotate the order", "mirror": "mirror the order",
    "thin": "thin the order", "fill": "fill the end", "only": "only some beats",
    "half_time": "half time", "double_time": "double time", "grid": "lay it on a grid",
    "length": "length of the order",
}  # fmt: skip


class DealOrder(SliceIntent):
    """Deal the order anew; deals from the same order with the same seed are the same.

    seed   its number; the fields are those of `core.order.deal.Deal`
    back   go back to the deal of that place in the row instead
    """

    kind: Literal["deal_order"] = "deal_order"
    seed: int = Field(0, ge=0, le=MOST_SEED)
    held: Which = Field((), max_length=MOST_TILES)
    strong: tuple[float, ...] = Field((), max_length=64)
    first: int = Field(0, ge=0)
    last: int | None = Field(None, ge=0)
    from_beat: float = Field(0.0, ge=0)
    to_beat: float | None = Field(None, ge=0)
    far: float = Field(1.0, ge=0, le=1)
    like: bool = False
    density: float = Field(1.0, ge=0, le=1)
    rolls: float = Field(0.0, ge=0, le=1)
    accents: float = Field(0.0, ge=0, le=1)
    back: int | None = Field(None, ge=0, lt=MOST_DEALT)

    def measure(self, project: Project, known: Known) -> None:
        hand = in_hand(project, known.loops, self.hand)
        if self._compares and hand.strand.cut:
            known.alike(hand.loop, edges_of(hand.strand))

    @property
    def _compares(self) -> bool:
        return self.back is None and (self.like or self.far < 1.0)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        strand = hand.strand
        if self.back is not None:
            if self.back >= len(strand.dealt):
                raise EditError("that deal is not kept any more")
            kept = strand.dealt[self.back]
            return strand.changed(order=kept.order), f"back to deal {kept.deal.seed}"
        order, row = _order(hand), strand.dealt
        if len(order.tiles) < 2:
            raise EditError("there are not two tiles to deal: cut it first")
        deal = Deal(**self.model_dump(exclude={"kind", "hand", "back"}))
        # Dealt again, and not touched since: from the same order as before. What is held from now
        # on stays as it is now.
        again = next((d for d in reversed(row) if d.order == order), None)
        base = again.base if again and again.deal.held == deal.held else order
        distances = hand.compare(hand.loop, edges_of(strand)) if self._compares else None
        metre = project.metre_map.metre_at(1)
        found = dealt(base, deal, distances, metre.beats_per_bar, metre.beats_per_pulse)
        known = tuple(d for d in row if d.order != found)[-(MOST_DEALT - 1) :]
        made = Dealt(deal=deal, base=base, order=found)
        return strand.changed(order=found, dealt=(*known, made)), f"deal {self.seed}"


def _order(hand: Hand) -> Order:
    """The order as it plays now."""
    cut_of(hand)
    return hand.strand.order or hand.strand.as_cut


def _ordered(hand: Hand, order: Order) -> Strand:
    """With another order; one as it was cut is none."""
    if not order.tiles:
        raise SliceError("an order of nothing but rests would be silent: leave a tile")
    return hand.strand.changed(order=None if order == hand.strand.as_cut else order)

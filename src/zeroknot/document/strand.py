"""How does a project treat a loop? As a strand of it.

Conventions as in `document.project`.
"""

import itertools
from functools import cached_property
from typing import Self

from pydantic import Field

from zeroknot.core.apart.parts import PartsOrAuto
from zeroknot.core.listening.reading import Reading
from zeroknot.core.notes.written import MOST_NOTES, Notes
from zeroknot.core.order.order import Order
from zeroknot.core.order.played import Round
from zeroknot.core.render.seam import LONGEST_CROSSFADE_MS
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.settings import STEEPEST_SHIFT, StretchSettings
from zeroknot.core.units import frame
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.placing import Stretch, Tied
from zeroknot.core.warp.straighten import Straighten
from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.document.groove import LaidGroove
from zeroknot.document.key import InKey
from zeroknot.document.slices import MOST_DEALT, MOST_ROUNDS, Dealt
from zeroknot.document.value import Named

AS_CUT = Piece()
LOUDEST_DB, QUIETEST_DB = 12.0, -60.0
YARNS = 8
LONGEST_NAME = 300
MOST_CENTS = 100.0
LevelDb = float


def yarn_of(loop: str) -> int:
    """The dye that a loop has wherever it stands, by its hash."""
    return int(loop[:4], 16) % YARNS


class Strand(Named):
    """A loop as this project treats it.

    loop      SHA-256 of the recording
    printed   SHA-256 of a print: the strand makes that again, from its recording; None else
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
    printed: str | None = None
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
    def shelved(self) -> str:
        """SHA-256 of the loop on the shelf that it is: a print, though made again."""
        return self.printed or self.loop

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

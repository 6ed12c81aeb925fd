"""The edit of a strand's slices: where it is cut, and in which order it plays."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.order.order import Order
from zeroknot.core.order.played import Round
from zeroknot.core.slicing.cut import Cut
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.clip import settled
from zeroknot.document.project import Project, replaced
from zeroknot.document.slices import MOST_DEALT, MOST_ROUNDS, Dealt


class LaySlices(Edit):
    """A strand's cut, order, deals and rounds from now on; `what` says what was done to them."""

    kind: Literal["lay_slices"] = "lay_slices"
    strand: str
    cut: Cut | None
    order: Order | None
    dealt: tuple[Dealt, ...] = Field((), max_length=MOST_DEALT)
    rounds: tuple[Round, ...] = Field((), max_length=MOST_ROUNDS)
    what: str

    def apply(self, project: Project) -> Project:
        before = project.strand(self.strand)
        refuse_unknown_pieces(self.cut, self.order, before.name)
        strand = before.changed(
            cut=self.cut, order=self.order, dealt=self.dealt, rounds=self.rounds
        )
        changed = project.changed(strands=replaced(project.strands, strand))
        # Whole clips follow the round's length; what would then overlap is trimmed.
        is_as_long = before.round_beats == strand.round_beats
        return changed if is_as_long else settled(changed, newest=())

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand})

    def label(self) -> str:
        return self.what


def refuse_unknown_pieces(cut: Cut | None, order: Order | None, name: str) -> None:
    """Raises EditError where an order plays what the cut does not have."""
    if order and cut is None:
        raise EditError("an order plays pieces: cut the loop first")
    if order and cut:
        last = max((p for tile in order.tiles for p in tile.pieces), default=0)
        if last >= cut.count:
            raise EditError(f"there is no slice {last + 1} in {name} (any more)")

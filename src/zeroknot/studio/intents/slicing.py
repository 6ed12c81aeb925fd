"""What intents about slices have in common."""

from zeroknot.core.errors import EditError
from zeroknot.core.slicing.cut import Cut
from zeroknot.document.edits.any_edit import Together
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.slices import LaySlices
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.strand import Strand
from zeroknot.studio.hand import Hand
from zeroknot.studio.intents.base import FitIntent

Which = tuple[int, ...]


class SliceIntent(FitIntent):
    """A change of the slices of what is in hand."""

    def edit(self, hand: Hand, strand: Strand, what: str) -> Edit:
        return laid_slices(hand, strand, what)


def laid_slices(hand: Hand, strand: Strand, what: str) -> Edit:
    """The edit that gives what is in hand the slices that a strand has."""
    lay = LaySlices(
        strand=strand.id,
        cut=strand.cut,
        order=strand.order,
        dealt=strand.dealt,
        rounds=strand.rounds,
        what=what,
    )
    if not hand.is_new:
        return lay
    return Together(edits=(AddStrand(strand=hand.strand), lay), what=what)


def edges_of(strand: Strand) -> tuple[float, ...]:
    """Seconds at which its pieces begin, and where the last ends."""
    return (*strand.cut.starts, strand.warp.end.second) if strand.cut else ()


def cut_of(hand: Hand) -> Cut:
    if hand.strand.cut is None:
        raise EditError(f"{hand.strand.name} is not cut yet")
    return hand.strand.cut


def meant(which: Which, count: int, noun: str) -> Which:
    """Those that are meant; all where none is named."""
    if not which:
        return tuple(range(count))
    if max(which) >= count or min(which) < 0:
        raise EditError(f"there is no {noun} {max(which) + 1} (any more)")
    return tuple(sorted(set(which)))


def numbers(which: Which, noun: str) -> str:
    if len(which) == 1:
        return f"{noun} {which[0] + 1}"
    return f"{len(which)} {noun}s"

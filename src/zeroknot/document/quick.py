"""What is done to what is in hand with one key? Each makes another strand, by recipe like any."""

from collections.abc import Callable
from dataclasses import replace

from zeroknot.core.errors import EditError
from zeroknot.core.order.deal import Deal, dealt
from zeroknot.core.order.order import Order
from zeroknot.core.slicing.cut import Cut, Cuts, into_equal, nearest
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.document.slices import Dealt
from zeroknot.document.strand import Strand

LEAST_SPAN, LONGEST_SPAN = 0.25, 4096.0
NEAR_SECONDS = 0.06  # of an attack, that a cut by beats moves to
HELD_AT = 0.25  # share of the pass whose moment is held
HELD_SECONDS = 0.18  # of a grain of it
DOWN = -4.0


def reversed_whole(strand: Strand) -> Strand:
    """All of it from its end to its begin."""
    if strand.cut is None:
        whole = Cut.at((strand.warp.zero.second,))
        strand = strand.changed(cut=whole)
    order = strand.order or strand.as_cut
    tiles = [
        replace(t, beat=max(0.0, order.beats - t.end), reverse=not t.reverse)
        for t in reversed(order.tiles)
    ]
    return strand.changed(order=Order.of(order.beats, tiles))


def times(strand: Strand, factor: float) -> Strand:
    """Laid on so many times its beats, its order with it; the pitch stays."""
    span = strand.span * factor
    if not LEAST_SPAN <= span <= LONGEST_SPAN:
        raise EditError(f"{strand.name} would be laid on {span:g} beats: that is no loop any more")
    order = strand.order
    if order is not None:
        scaled = tuple(
            replace(t, beat=t.beat * factor, beats=t.beats * factor) for t in order.tiles
        )
        order = Order(order.beats * factor, scaled)
    return strand.laid_on(span).changed(order=order)


def shifted(strand: Strand, semitones: float) -> Strand:
    """Higher or lower as a whole."""
    shift = min(STEEPEST_SHIFT, max(-STEEPEST_SHIFT, strand.shift + semitones))
    return strand.changed(shift=shift)


def held_moment(strand: Strand, at: float = HELD_AT) -> Strand:
    """One moment of it, held as a cloud for as long as it lasts."""
    settings = replace(strand.settings, frozen_at=at, grain_seconds=HELD_SECONDS)
    return strand.changed(method="scatter", settings=settings, parts="whole")


def chopped(strand: Strand, seed: int, attacks: Cuts = ()) -> Strand:
    """Cut to eighths, each at the attack next to it, and dealt."""
    cut = strand.cut or cut_evenly(strand, 0.5, attacks)
    cut_up = strand.changed(cut=cut, order=None)
    base = cut_up.as_cut
    deal = Deal(seed=seed)
    order = dealt(base, deal, None)
    return cut_up.changed(order=order, dealt=(Dealt(deal=deal, base=base, order=order),))


def cut_evenly(strand: Strand, beats: float, attacks: Cuts = ()) -> Cut:
    """In pieces of so many beats as it is laid, each at the attack next to it."""
    cuts = into_equal(strand.base, max(1, min(128, round(strand.span / beats))))
    return Cut.at(nearest(cuts, attacks, NEAR_SECONDS))


# By key, with what it is called.
QUICK: dict[str, tuple[str, Callable[[Strand, Cuts, int], Strand]]] = {
    "reverse": ("backwards", lambda s, _a, _n: reversed_whole(s)),
    "half": ("half speed", lambda s, _a, _n: times(s, 2.0)),
    "double": ("double speed", lambda s, _a, _n: times(s, 0.5)),
    "down": ("down four", lambda s, _a, _n: shifted(s, DOWN)),
    "hold": ("a held moment", lambda s, _a, _n: held_moment(s)),
    "chop": ("chopped and dealt", lambda s, attacks, seed: chopped(s, seed, attacks)),
}

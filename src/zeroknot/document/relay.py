"""How does what was done to one loop become what is done to another? Its recipe, laid over it.

Conventions
-----------
- Places go by beats: cuts lie on the same beats of the other loop, each at the attack next to it;
  one that is longer is cut so again and again, one that is shorter as far as it goes.
- What hangs on the recording itself stays behind: its knots, its reading, what was borrowed by
  hand for it stays, for that names its own recording.
"""

from dataclasses import replace

from zeroknot.core.order.order import Order, Tile
from zeroknot.core.slicing.cut import MOST_PIECES, Cut, Cuts, apart, nearest
from zeroknot.document.quick import NEAR_SECONDS
from zeroknot.document.strand import Strand

LEAST_SECONDS = 0.005
# What says how a loop is treated, whatever loop it is.
TREATMENT = ("method", "shift", "cents", "parts", "settings", "crossfade_ms", "lead", "follows")


def laid_over(recipe: Strand, other: Strand, attacks: Cuts = ()) -> Strand:
    """The other loop, treated as the recipe treats its own.

    other    as a project first treats it
    attacks  of the other, in seconds, that cuts move to
    """
    treated = other.changed(**{name: getattr(recipe, name) for name in TREATMENT})
    if recipe.groove and recipe.groove.groove and other.groove:
        treated = treated.changed(groove=other.groove.changed(groove=recipe.groove.groove))
    if recipe.cut is None:
        return treated
    cut, which = _cut_over(recipe, other, attacks)
    order = _order_over(recipe.order, which) if recipe.order else None
    return treated.changed(cut=cut, order=order)


def _cut_over(recipe: Strand, other: Strand, attacks: Cuts) -> tuple[Cut, list[int]]:
    """The cut, and which piece of it each piece of the recipe has become."""
    assert recipe.cut is not None
    own, warp = recipe.cut, other.base
    beats = [recipe.base.beat_of_second(s) for s in own.starts]
    beats[0] = 0.0
    places = [
        (beat + again * recipe.span, i)
        for again in range(max(1, int(-(-warp.span // recipe.span))))
        for i, beat in enumerate(beats)
        if beat + again * recipe.span < warp.span - 1e-9
    ]
    seconds = nearest(tuple(warp.second_of_beat(b) for b, _ in places), attacks, NEAR_SECONDS)
    starts = apart(seconds, warp.end.second, LEAST_SECONDS)[:MOST_PIECES]
    # Which of the recipe's pieces begins there; cuts that fell together are one.
    at = [min(places, key=lambda p, s=s: abs(warp.second_of_beat(p[0]) - s))[1] for s in starts]  # type: ignore[misc]
    pieces = tuple(own.pieces[i] for i in at)
    first = {i: k for k, i in reversed(list(enumerate(at)))}
    which = [first.get(i, i % len(starts)) for i in range(len(own.pieces))]
    which += [len(starts) + k for k in range(len(own.borrowed))]
    return Cut(starts, pieces, own.borrowed), which


def _order_over(order: Order, which: list[int]) -> Order:
    def other(tile: Tile) -> Tile:
        piece, *also = dict.fromkeys(which[p] for p in tile.pieces)
        return replace(tile, piece=piece, also=tuple(also))

    return replace(order, tiles=tuple(other(t) for t in order.tiles))

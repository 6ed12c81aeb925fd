"""What becomes of a strand's knots when some are tied, moved, removed, or a stretch is fastened?

Conventions
-----------
- A knot is named by its second; a moved or removed tie of the straighten layer leaves that layer.
- The zero knot stays on beat 0 and the end knot on the span: the span is laid elsewhere.
- In a fastened stretch (from, to; seconds) nothing moves, its edges among it.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from zeroknot.core.errors import KnotError
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.straighten import Straighten, with_layer
from zeroknot.core.warp.warp_map import CLOSEST_BEATS, CLOSEST_SECONDS, WarpMap

SAME_SECOND = 5e-5  # how exactly a knot is named

Stretch = tuple[float, float]


@dataclass(frozen=True)
class Placing:
    """A knot that is to stand somewhere.

    second  of the recording
    beat    where it is to lie; None where that moment lies now, or a moved knot did
    at      second of the knot that is moved there; None ties a new one
    """

    second: float
    beat: float | None = None
    at: float | None = None


@dataclass(frozen=True)
class Tied:
    """Base knots, and the layer over them."""

    base: WarpMap
    layer: Straighten | None = None

    @property
    def warp(self) -> WarpMap:
        """Base knots and layer together: what is heard."""
        return with_layer(self.base, self.layer)


def placed(knots: Tied, places: Sequence[Placing], fastened: Sequence[Stretch] = ()) -> Tied:
    """Knots tied and moved, all at once. Raises KnotError where they would cross, or are fastened.

    Those without a beat are tied where they lie now: so a hit's neighbours, before it is moved.
    """
    warp = knots.warp
    base = {k.second: k for k in knots.base.knots}
    layer = knots.layer
    standing: list[Knot] = []  # laid at the end: a knot may go where another one leaves
    for place in places:
        old = None if place.at is None else _named(warp, place.at)
        beat = place.beat
        if beat is None:
            beat = old.beat if old else warp.beat_of_second(place.second)
        if old is None and place.beat is None and _near(warp, place.second):
            continue
        old = old or _near(warp, place.second)
        is_moved = old is None or (old.second, old.beat) != (place.second, beat)
        if is_moved:
            _refuse_fastened(warp, old, place.second, beat, fastened)
        if old is not None:
            if old.beat in (0.0, warp.span) and beat != old.beat:
                raise KnotError("the zero knot stays on the one and the end knot on the last line")
            base.pop(old.second, None)
            layer = layer.without([old.second]) if layer else None
        standing.append(Knot(place.second, beat))
    base |= {knot.second: knot for knot in standing}
    made = Tied(WarpMap(tuple(sorted(base.values()))), layer)
    if abs(made.base.span - knots.base.span) > CLOSEST_BEATS:
        raise KnotError("a knot cannot stand after the end knot")
    _ = made.warp  # knots that cross are refused here
    return made


def removed(knots: Tied, seconds: Sequence[float], fastened: Sequence[Stretch] = ()) -> Tied:
    """Knots taken out. The zero knot and the end knot stay: naming them changes nothing."""
    warp = knots.warp
    gone = {_named(warp, second).second for second in seconds} - {
        warp.zero.second, warp.end.second,
    }  # fmt: skip
    for second in gone:
        if any(a - SAME_SECOND < second < b + SAME_SECOND for a, b in fastened):
            raise KnotError(f"the knot at {second:.3f} s is fastened; loosen that stretch first")
    base = WarpMap(tuple(k for k in knots.base.knots if k.second not in gone))
    return Tied(base, knots.layer.without(gone) if knots.layer else None)


def fastened_from(knots: Tied, start_s: float, end_s: float) -> Tied:
    """Knots on both edges of a stretch, and its ties made fast: nothing in it depends on others."""
    warp = knots.warp
    if end_s - start_s < CLOSEST_SECONDS:
        raise KnotError("a stretch that is fastened needs a start and a later end")
    inside = [k.second for k in warp.knots if start_s < k.second < end_s]
    ties = {t.second for t in knots.layer.ties} if knots.layer else set()
    places = [Placing(s) for s in (start_s, end_s)]
    places += [Placing(s, warp.beat_of_second(s), s) for s in inside if s in ties]
    made = placed(knots, places)
    edges = {k.second for k in (_near(warp, start_s), _near(warp, end_s)) if k}
    return placed(made, [Placing(s, warp.beat_of_second(s), s) for s in sorted(edges & ties)])


def joined(fastened: Sequence[Stretch], start_s: float, end_s: float) -> tuple[Stretch, ...]:
    """Fastened stretches with one more; those that touch become one."""
    apart = [s for s in fastened if s[1] < start_s or s[0] > end_s]
    touching = [s for s in fastened if s not in apart]
    start = min([start_s, *(s[0] for s in touching)])
    end = max([end_s, *(s[1] for s in touching)])
    return tuple(sorted([*apart, (start, end)]))


def _named(warp: WarpMap, second: float) -> Knot:
    found = min(warp.knots, key=lambda k: abs(k.second - second))
    if abs(found.second - second) > SAME_SECOND:
        raise KnotError(f"there is no knot at {second:.3f} s (any more)")
    return found


def _near(warp: WarpMap, second: float) -> Knot | None:
    """The knot that already stands so near that another could not."""
    found = min(warp.knots, key=lambda k: abs(k.second - second))
    return found if abs(found.second - second) < CLOSEST_SECONDS else None


def _refuse_fastened(
    warp: WarpMap, old: Knot | None, second: float, beat: float, fastened: Sequence[Stretch]
) -> None:
    for start, end in fastened:
        from_inside = old is not None and start - SAME_SECOND < old.second < end + SAME_SECOND
        to_inside = start + SAME_SECOND < second < end - SAME_SECOND
        is_moved = old is not None or abs(warp.beat_of_second(second) - beat) > CLOSEST_BEATS
        if is_moved and (from_inside or to_inside):
            raise KnotError(
                f"from {start:.3f} to {end:.3f} s nothing moves: it is fastened; loosen it first"
            )

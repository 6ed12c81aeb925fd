"""Where is a recording cut?

Conventions
-----------
- A cut is the second of the recording at which a piece begins; the first is the one, and the last
  piece ends where the body does. So cuts stay where they are whatever tempo, groove or key become.
- Pieces under 20 ms are not made by themselves; by note values and by hand from 5 ms on.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zeroknot.core.errors import SliceError
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.warp.warp_map import WarpMap

LEAST_SECONDS = 0.020
LEAST_BY_HAND = 0.005
MOST_PIECES = 512
SAME_SECONDS = 0.003  # within which a piece is the same as one that was cut before

Cuts = tuple[float, ...]
Sure = tuple[float, float]  # where an attack begins (`onset`), and how sure it is one


def by_attacks(attacks: Iterable[Sure], warp: WarpMap, sounds_from: float) -> Cuts:
    """A cut where each attack of the body begins; of two too near the surer, so that more only add.

    sounds_from  second before which the recording is silent: a first piece of nothing joins the
                 next
    """
    zero, end = warp.zero.second, warp.end.second
    inside = sorted((-sure, a) for a, sure in attacks if zero < a < end)
    kept = [zero]
    for _, cut in inside:
        if end - cut >= LEAST_SECONDS and all(abs(cut - k) >= LEAST_SECONDS for k in kept):
            kept.append(cut)
    kept.sort()
    if len(kept) > 1 and sounds_from > kept[1] - LEAST_SECONDS:
        del kept[1]
    return tuple(kept[:MOST_PIECES])


def by_beats(warp: WarpMap, beats: float) -> Cuts:
    """A cut every so many beats, as they are laid. Raises SliceError for none or too many."""
    if not beats > 0:
        raise SliceError(f"a slice is longer than {beats:g} beats")
    if warp.span / beats > MOST_PIECES:
        raise SliceError(
            f"{warp.span:g} beats would be {warp.span / beats:.0f} slices, and at most "
            f"{MOST_PIECES} are cut: choose a longer note value"
        )
    count = int(warp.span / beats - 1e-9) + 1
    seconds = [warp.second_of_beat(i * beats) for i in range(count)]
    return apart(seconds, warp.end.second, LEAST_BY_HAND)


def into_equal(warp: WarpMap, count: int) -> Cuts:
    """So many pieces, equally long as they are laid: 16 of two bars are eighths."""
    if not 1 <= count <= MOST_PIECES:
        raise SliceError(f"a loop is cut into 1 to {MOST_PIECES} pieces, not {count}")
    return by_beats(warp, warp.span / count)


def at_knots(warp: WarpMap) -> Cuts:
    """A cut at each knot of the body."""
    inside = [k.second for k in warp.knots if 0 <= k.beat < warp.span]
    return apart(inside, warp.end.second, LEAST_SECONDS)


def nearest(cuts: Cuts, attacks: Sequence[float], reach: float) -> Cuts:
    """Cuts moved to the attack next to each, where one is within `reach` seconds.

    For a loop played loosely that is cut by beats.
    """
    if not attacks:
        return cuts
    moved = [cuts[0]]
    for cut in cuts[1:]:
        attack = min(attacks, key=lambda a: abs(a - cut))
        moved.append(attack if abs(attack - cut) <= reach else cut)
    return tuple(sorted(set(moved)))


def apart(cuts: Iterable[float], end: float, least: float) -> Cuts:
    """Cuts in order, without those that would make a piece shorter than `least` seconds."""
    kept: list[float] = []
    for cut in cuts:
        if end - cut >= least and (not kept or cut - kept[-1] >= least):
            kept.append(cut)
    return tuple(kept[:MOST_PIECES])


@dataclass(frozen=True)
class Cut:
    """A loop cut up: where, and what is done to each piece.

    starts  seconds of the recording, rising
    pieces  as many
    """

    starts: Cuts
    pieces: tuple[Piece, ...]

    def __post_init__(self) -> None:
        if not 1 <= len(self.starts) == len(self.pieces) <= MOST_PIECES:
            raise SliceError(f"a loop is cut into 1 to {MOST_PIECES} pieces, each with its own say")
        if any(b <= a for a, b in zip(self.starts, self.starts[1:], strict=False)):
            raise SliceError("cuts come one after another")

    @classmethod
    def at(cls, starts: Cuts) -> "Cut":
        """Pieces as they are."""
        return cls(starts, (Piece(),) * len(starts))

    def again(self, starts: Cuts) -> "Cut":
        """Cut otherwise: what begins where a piece began keeps what was done to that."""
        pieces = []
        for start in starts:
            near = min(range(len(self.starts)), key=lambda i: abs(self.starts[i] - start))
            is_same = abs(self.starts[near] - start) <= SAME_SECONDS
            pieces.append(self.pieces[near] if is_same else Piece())
        return Cut(starts, tuple(pieces))

    def index_at(self, second: float) -> int:
        """The piece that holds a second of the recording; the first for what lies before it."""
        return max(0, sum(start <= second for start in self.starts) - 1)

    def added(self, second: float, end: float) -> "Cut":
        """One more cut; both parts keep what was done to the whole."""
        i = self.index_at(second)
        stop = self.starts[i + 1] if i + 1 < len(self.starts) else end
        if not self.starts[i] + LEAST_BY_HAND <= second <= stop - LEAST_BY_HAND:
            raise SliceError(f"a piece is at least {1000 * LEAST_BY_HAND:g} ms long; cut elsewhere")
        return Cut(
            (*self.starts[: i + 1], second, *self.starts[i + 1 :]),
            (*self.pieces[: i + 1], self.pieces[i], *self.pieces[i + 1 :]),
        )

    def joined(self, index: int) -> "Cut":
        """Without the cut at which piece `index` begins: it becomes part of the one before."""
        if not 0 < index < len(self.starts):
            raise SliceError("the first piece has none before it to join")
        return Cut(
            (*self.starts[:index], *self.starts[index + 1 :]),
            (*self.pieces[:index], *self.pieces[index + 1 :]),
        )

    def moved(self, index: int, second: float, end: float) -> "Cut":
        """With the cut at which piece `index` begins elsewhere between its neighbours."""
        if not 0 < index < len(self.starts):
            raise SliceError("the first cut is the one: move that in Fit")
        stop = self.starts[index + 1] if index + 1 < len(self.starts) else end
        least, most = self.starts[index - 1] + LEAST_BY_HAND, stop - LEAST_BY_HAND
        if not least <= second <= most:
            raise SliceError(f"that cut lies between {least:.3f} and {most:.3f} s")
        return Cut((*self.starts[:index], second, *self.starts[index + 1 :]), self.pieces)

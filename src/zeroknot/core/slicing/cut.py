"""Where is a recording cut?

Conventions
-----------
- A cut is the second of the recording at which a piece begins; the first is the one, and the last
  piece ends where the body does. So cuts stay where they are whatever tempo, groove or key become.
- What is borrowed from other recordings comes after a loop's own pieces, and is numbered on.
- Pieces under 20 ms are not made by themselves; by note values and by hand from 5 ms on.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from zeroknot.core.errors import SliceError
from zeroknot.core.slicing.limits import within
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.warp.warp_map import WarpMap

LEAST_SECONDS = 0.020
LEAST_BY_HAND = 0.005
MOST_PIECES = 512
MOST_BORROWED = 128
SAME_SECONDS = 0.003  # within which a piece is the same as one that was cut before

UNTREATED = Piece()
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
class Borrowed:
    """A piece of another recording.

    source   SHA-256 of it
    start, stop  seconds of it
    seconds  that it is long
    channels  of it
    bpm      at which it was recorded; 0 where that has no say: it is as long as it was
    method   of its stretch, where the piece names none
    name     of the loop
    piece    what is done to it
    """

    source: str
    start: float
    stop: float
    seconds: float
    channels: int = 1
    bpm: float = 0.0
    method: str = "weave"
    name: str = ""
    piece: Piece = UNTREATED

    def __post_init__(self) -> None:
        within("a begin in seconds", self.start, 0.0, 36_000.0)
        if not self.start + LEAST_BY_HAND <= self.stop <= self.seconds + SAME_SECONDS:
            raise SliceError("what is borrowed lies inside its recording")
        if self.channels not in (1, 2):
            raise SliceError("what is borrowed has one channel or two")
        if self.bpm:
            within("a tempo in BPM", self.bpm, 1.0, 2000.0)
        if self.method not in METHODS:
            raise SliceError(f"a method is one of {', '.join(METHODS)}")


@dataclass(frozen=True)
class Cut:
    """A loop cut up: where, and what is done to each piece.

    starts    seconds of the recording, rising
    pieces    as many
    borrowed  from other recordings, beside them
    pads      which piece lies on each pad, as far as they were moved; from there on as numbered
    """

    starts: Cuts
    pieces: tuple[Piece, ...]
    borrowed: tuple[Borrowed, ...] = ()
    pads: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        if len(self.borrowed) > MOST_BORROWED:
            raise SliceError(f"at most {MOST_BORROWED} pieces are borrowed")
        if sorted(self.pads) != list(range(len(self.pads))) or len(self.pads) > self.count:
            raise SliceError("each pad plays a piece of its own")
        if not 1 <= len(self.starts) == len(self.pieces) <= MOST_PIECES:
            raise SliceError(f"a loop is cut into 1 to {MOST_PIECES} pieces, each with its own say")
        if any(b <= a for a, b in zip(self.starts, self.starts[1:], strict=False)):
            raise SliceError("cuts come one after another")

    @classmethod
    def at(cls, starts: Cuts) -> "Cut":
        """Pieces as they are."""
        return cls(starts, (Piece(),) * len(starts))

    @property
    def count(self) -> int:
        """How many pieces there are to play, borrowed ones among them."""
        return len(self.pieces) + len(self.borrowed)

    @cached_property
    def all_pieces(self) -> tuple[Piece, ...]:
        """Its own and, after them, what is borrowed."""
        return (*self.pieces, *(b.piece for b in self.borrowed))

    @property
    def on_pads(self) -> tuple[int, ...]:
        """Which piece lies on each pad."""
        return (*self.pads, *range(len(self.pads), self.count))

    def with_pieces(self, pieces: Sequence[Piece]) -> "Cut":
        """All pieces otherwise, borrowed ones among them."""
        own = len(self.pieces)
        borrowed = (replace(b, piece=p) for b, p in zip(self.borrowed, pieces[own:], strict=True))
        return replace(self, pieces=tuple(pieces[:own]), borrowed=tuple(borrowed))

    def swapped(self, pad: int, other: int) -> "Cut":
        """With two pads exchanged."""
        if not (0 <= pad < self.count and 0 <= other < self.count):
            raise SliceError("there is nothing on that pad")
        pads = list(self.on_pads)
        pads[pad], pads[other] = pads[other], pads[pad]
        while pads and pads[-1] == len(pads) - 1:
            pads.pop()
        return replace(self, pads=tuple(pads))

    def with_borrowed(self, more: Sequence[Borrowed]) -> "Cut":
        """With more of others'."""
        return replace(self, borrowed=(*self.borrowed, *more))

    def without_borrowed(self, index: int) -> "Cut":
        """Without one that is borrowed, by its number among all pieces."""
        own = index - len(self.pieces)
        if not 0 <= own < len(self.borrowed):
            raise SliceError("only what is borrowed can be given back; cuts are joined instead")
        left = (*self.borrowed[:own], *self.borrowed[own + 1 :])
        return replace(self, borrowed=left, pads=_without(self.pads, index))

    def again(self, starts: Cuts) -> "Cut":
        """Cut otherwise: what begins where a piece began keeps what was done to that."""
        pieces = []
        for start in starts:
            near = min(range(len(self.starts)), key=lambda i: abs(self.starts[i] - start))
            is_same = abs(self.starts[near] - start) <= SAME_SECONDS
            pieces.append(self.pieces[near] if is_same else Piece())
        return self._cut(starts, tuple(pieces))

    def _cut(self, starts: Cuts, pieces: tuple[Piece, ...]) -> "Cut":
        """Other cuts: pads are as numbered again where there are not as many as before."""
        pads = self.pads if len(pieces) == len(self.pieces) else ()
        return replace(self, starts=starts, pieces=pieces, pads=pads)

    def index_at(self, second: float) -> int:
        """The piece that holds a second of the recording; the first for what lies before it."""
        return max(0, sum(start <= second for start in self.starts) - 1)

    def added(self, second: float, end: float) -> "Cut":
        """One more cut; both parts keep what was done to the whole."""
        i = self.index_at(second)
        stop = self.starts[i + 1] if i + 1 < len(self.starts) else end
        if not self.starts[i] + LEAST_BY_HAND <= second <= stop - LEAST_BY_HAND:
            raise SliceError(f"a piece is at least {1000 * LEAST_BY_HAND:g} ms long; cut elsewhere")
        return self._cut(
            (*self.starts[: i + 1], second, *self.starts[i + 1 :]),
            (*self.pieces[: i + 1], self.pieces[i], *self.pieces[i + 1 :]),
        )

    def joined(self, index: int) -> "Cut":
        """Without the cut at which piece `index` begins: it becomes part of the one before."""
        if not 0 < index < len(self.starts):
            raise SliceError("the first piece has none before it to join")
        return self._cut(
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
        return self._cut((*self.starts[:index], second, *self.starts[index + 1 :]), self.pieces)


def _without(pads: tuple[int, ...], index: int) -> tuple[int, ...]:
    """Pads once a piece is gone: those after it are numbered one less."""
    return tuple(p - (p > index) for p in pads if p != index)

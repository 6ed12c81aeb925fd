"""What does a groove do to what is in hand? Every hit before and after, in milliseconds."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.feel import Targets
from zeroknot.core.groove.heard import noticed_ms
from zeroknot.core.groove.hit import at_sensitivity
from zeroknot.core.groove.layer import GrooveLayer, Moved
from zeroknot.core.groove.take import Explained, grids_of, played_of
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.document.project import Project
from zeroknot.studio.hand import Hand
from zeroknot.studio.placement import OWN_TIME, Placement


@dataclass(frozen=True)
class SeenHit:
    """A hit, and by how many milliseconds it is and was off the groove (None: of no step).

    moved_ms   later above 0
    is_noticed whether an ear would notice that it moved
    """

    move: Moved
    off_before_ms: float | None
    off_after_ms: float | None
    moved_ms: float
    is_noticed: bool


@dataclass(frozen=True)
class SeenGroove:
    """hits      of the pass that count, in order
    before_ms  how far they were from the groove on average; None where there is none to be from
    after_ms   how far they are
    farthest   the hit that moves most; None where none moves
    grids      that may be meant by what is in hand, the likeliest first; none without hits
    sensitivity  by which hits count
    """

    hits: tuple[SeenHit, ...]
    before_ms: float | None
    after_ms: float | None
    farthest: SeenHit | None
    grids: tuple[Explained, ...]
    sensitivity: float

    @property
    def left_out(self) -> int:
        """Hits that belong to no step of the groove."""
        return sum(hit.move.target is None for hit in self.hits)

    @property
    def held(self) -> int:
        """Hits that a neighbour, or the bounds of a stretch, kept from going all the way."""
        return sum(hit.move.held for hit in self.hits)


def seen_groove(project: Project, hand: Hand, beat: float = 0.0) -> SeenGroove:
    """The hits in hand as they lie on a beat of the project."""
    strand = hand.strand
    placed = Placement.of(project, strand, hand.loop, beat)
    laid, below = strand.groove, strand.tied.warp
    sensitivity = laid.sensitivity if laid else SENSITIVITY
    layer = laid.layer if laid else GrooveLayer(hits=hand.hits, timing=0.0)
    moves = layer.moves(below, placed.feel)
    targets: Targets | None = layer.groove or placed.feel
    tempo, start = (placed.tempo, placed.beat) if strand.follows else (OWN_TIME, 0.0)
    share = 1.0
    if not strand.follows:
        share = OWN_TIME.beat_of_second(below.body_seconds) / below.span

    def ms(beats: float) -> float:
        """Milliseconds from the pass's one."""
        begin = tempo.second_of_beat(start)
        return 1000.0 * (tempo.second_of_beat(start + beats * share) - begin)

    found = _seen(moves, ms) if targets else [_unmoved(move) for move in moves]
    offs = [(h.off_before_ms, h.off_after_ms) for h in found]
    known = [(abs(a), abs(b)) for a, b in offs if a is not None and b is not None]
    moving = [hit for hit in found if abs(hit.moved_ms) > 0.05]
    return SeenGroove(
        hits=tuple(found),
        before_ms=sum(a for a, _ in known) / len(known) if known else None,
        after_ms=sum(b for _, b in known) / len(known) if known else None,
        farthest=max(moving, key=lambda hit: abs(hit.moved_ms), default=None),
        grids=_grids(hand, sensitivity),
        sensitivity=sensitivity,
    )


def _unmoved(move: Moved) -> SeenHit:
    return SeenHit(replace(move, after=move.before), None, None, 0.0, False)


def _seen(moves: Sequence[Moved], ms: Callable[[float], float]) -> list[SeenHit]:
    found = []
    befores = [ms(move.before) for move in moves]
    gaps = [b - a for a, b in pairwise(befores)]
    for i, move in enumerate(moves):
        before, after = befores[i], ms(move.after)
        target = None if move.target is None else ms(move.target)
        interval = gaps[i - 1] if i else gaps[0] if gaps else 1000.0
        found.append(
            SeenHit(
                move,
                None if target is None else before - target,
                None if target is None else after - target,
                after - before,
                abs(after - before) >= noticed_ms(interval),
            )
        )
    return found


def _grids(hand: Hand, sensitivity: float) -> tuple[Explained, ...]:
    warp = hand.strand.tied.warp
    hits = at_sensitivity(hand.hits, sensitivity)
    try:
        return tuple(grids_of(played_of(hits, warp, 0.0, warp.span)))
    except GrooveError:
        return ()

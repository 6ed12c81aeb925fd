"""What becomes of a loop's hits when a groove is laid over it?

Conventions
-----------
- The layer lies over a warp map (base knots, straightened): every hit's beat is what that map
  gives, so what changes below, or an amount, is always computed anew, never from a result.
- What a hit is off its step is believed by as much as the loop makes likely (`believed`).
- Each hit that belongs to a step has a knot of its own, and so has one whose register is left where
  it is; what lies between, hits of no step among it, moves with its neighbours. The one and the end
  stay.
- Accents are gains in dB, from a hit until the next.
"""

import itertools
from dataclasses import dataclass, replace
from functools import cached_property

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.believed import Heard, Looseness
from zeroknot.core.groove.feel import Targets
from zeroknot.core.groove.groove import MOST_ACCENT_DB, REACH, Groove, Target
from zeroknot.core.groove.hit import (
    GHOST_DB,
    REGISTERS,
    Hit,
    Register,
    at_sensitivity,
    leader,
    mean_levels,
    rolls,
)
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import CLOSEST_SECONDS, WarpMap

EARLY_SECONDS = 0.012
HELD_SECONDS = 0.006  # that a hit falls short of where it was to go, from which on it is said
MOST_PULL = 4.0  # times the gap between two hits may become as long or short


@dataclass(frozen=True)
class Moved:
    """One hit, before and after.

    hit     as it was played
    before, after  beats
    target  where the groove has it, wholly; None where it belongs to no step
    gain_db that its accent gets
    accent_db  that the groove has there, against the mean of its register; None without a step
    own_db  that it has itself
    held    it was to go farther, so that it is heard, and a neighbour stood in its way
    leans   on a stronger hit beside it, with which it moves
    """

    hit: Hit
    before: float
    after: float
    target: float | None
    gain_db: float = 0.0
    accent_db: float | None = None
    own_db: float = 0.0
    held: bool = False
    leans: bool = False
    is_free: bool = False  # it goes along with its neighbours

    @property
    def second(self) -> float:
        """Of the recording."""
        return self.hit.second


@dataclass(frozen=True)
class GrooveLayer:
    """hits         of the recording, by value, rising
    groove       by value; None where it follows the project's
    timing       0…1: how much of the way to the groove
    accents      0…1: the same in level
    reach        share of a step within which a hit belongs to it
    sensitivity  0…1: which of the hits count
    registers    whose hits are moved; the others stay
    apart        each register goes by steps of its own, where the groove tells them apart
    keeps_lengths  notes stay as long as they are; else they end where their end is moved to
    """

    hits: tuple[Hit, ...]
    groove: Groove | None = None
    timing: float = 1.0
    accents: float = 0.0
    reach: float = REACH
    sensitivity: float = SENSITIVITY
    registers: tuple[Register, ...] = REGISTERS
    apart: bool = True
    keeps_lengths: bool = True

    def __post_init__(self) -> None:
        for amount, name in ((self.timing, "a timing"), (self.accents, "accents")):
            if not 0.0 <= amount <= 1.0:
                raise GrooveError(f"{name} of {100 * amount:g} % is outside 0 to 100 %")
        if not 0.0 <= self.sensitivity <= 1.0:
            raise GrooveError("a sensitivity is 0 to 100 %")
        if not 0.0 < self.reach <= 0.5:
            raise GrooveError(f"a reach of {100 * self.reach:g} % of a step is outside 0 to 50 %")
        if any(a.second > b.second for a, b in itertools.pairwise(self.hits)):
            raise GrooveError("the hits of a loop come one after another")

    @property
    def follows(self) -> bool:
        """Is it the project's groove that counts?"""
        return self.groove is None

    def over(self, below: WarpMap, feel: Targets | None = None) -> WarpMap:
        """The map with every hit where it goes. At no timing it is the map below itself.

        feel  that counts where the layer has no groove of its own
        """
        if self.timing == 0.0:
            return below
        first, last = below.zero.second + CLOSEST_SECONDS, below.end.second - CLOSEST_SECONDS
        moved: list[Moved] = []
        for move in self.moves(below, feel):
            # Of two that are nearer than knots may be, both move with the first.
            is_apart = not moved or move.second - moved[-1].second >= CLOSEST_SECONDS
            if first <= move.second <= last and is_apart and not move.is_free:
                moved.append(move)
        if all(m.after == m.before for m in moved):
            return below
        knots = {m.second: m.after for m in moved}
        # What was tied below goes along with the hits around it.
        points = [(m.before, m.after) for m in moved]
        for knot in below.knots:
            if all(abs(knot.second - second) >= CLOSEST_SECONDS for second in knots):
                knots[knot.second] = _along(points, knot.beat, below.span)
        return WarpMap(tuple(Knot(second, knots[second]) for second in sorted(knots)))

    def gains(self, below: WarpMap, feel: Targets | None = None) -> tuple[tuple[float, float], ...]:
        """(second of a hit, dB from it on); nothing where no accent is changed."""
        if self.accents == 0.0:
            return ()
        found = tuple((m.second, m.gain_db) for m in self.moves(below, feel))
        return found if any(gain for _, gain in found) else ()

    def moves(self, below: WarpMap, feel: Targets | None = None) -> list[Moved]:
        """Every hit of the pass that counts, in order."""
        targets = self.groove or feel
        zero, end = below.zero.second, below.end.second
        # What is struck a moment before the one belongs to it; before the end, to the next pass.
        first, last = zero - EARLY_SECONDS, end - EARLY_SECONDS
        inside = [hit for hit in self._counted if first <= hit.second < last]
        wanted = [m for group in self._aimed(inside, below, targets) for m in group.moves()]
        tied = _kept_apart([m for m in wanted if not m.is_free], below)
        points = [(m.before, m.after) for m in tied]
        free = [replace(m, after=_along(points, m.before, below.span)) for m in wanted if m.is_free]
        return sorted([*tied, *free], key=lambda m: m.second)

    @cached_property
    def _counted(self) -> tuple[Hit, ...]:
        return at_sensitivity(self.hits, self.sensitivity)

    def _aimed(
        self, inside: list[Hit], below: WarpMap, targets: Targets | None
    ) -> list["_Aimed"]:  # fmt: skip
        """Rolls, and hits by themselves, with where the groove has them."""
        found = []
        for roll in rolls(inside):
            lead = leader(roll)
            is_left = lead.register not in self.registers
            beats = [below.beat_of_second(hit.second) for hit in roll]
            aimed = _Aimed(self, roll, beats, roll.index(lead), is_left)
            if targets and not is_left:
                register = lead.register if self.apart else None
                aimed.target = targets.target_of(aimed.beat, register, self.reach)
            found.append(aimed)
        _leave_all_but_the_nearest(found)
        _believe(found, below)
        return found

    @cached_property
    def means(self) -> dict[Register, float]:
        """The mean level of each register, dB."""
        return dict(mean_levels(self._counted))


@dataclass
class _Aimed:
    """Hits that move as one, led by the strongest.

    target   of the leader; None where it belongs to no step
    believed  share of a step that the leader was played off it
    """

    layer: GrooveLayer
    roll: list[Hit]
    beats: list[float]
    leads: int
    is_left: bool
    target: Target | None = None
    believed: float = 0.0

    @property
    def lead(self) -> Hit:
        return self.roll[self.leads]

    @property
    def beat(self) -> float:
        return self.beats[self.leads]

    @property
    def own_db(self) -> float:
        """Against the mean of its register."""
        return self.lead.level_db - self.layer.means[self.lead.register]

    @property
    def off(self) -> float:
        """Shares of a step that the leader is off it."""
        assert self.target
        return (self.beat - self.target.step) * self.target.per_beat

    def heard(self, second: float) -> Heard:
        """As it is believed or not; a beat takes so many seconds."""
        assert self.target
        doubt = self.lead.doubt_s / second * self.target.per_beat
        number = round(self.target.step * self.target.per_beat)
        is_second = number % 2 == 1 and self.target.per_beat % 2 == 0
        return Heard(self.off, doubt, self.lead.sureness, is_second)

    def moves(self) -> list[Moved]:
        layer, target, lead = self.layer, self.target, self.lead
        own = self.own_db
        way = gain = 0.0
        if target:
            # What it was only heard to be off stays as it is.
            way = target.beat - (target.step + self.believed / target.per_beat)
            gain = layer.accents * (target.accent_db - own)
        gain = min(max(gain, -MOST_ACCENT_DB), MOST_ACCENT_DB)
        return [
            Moved(
                hit, before, before + layer.timing * way, before + way if target else None, gain,
                target.accent_db if target else None, own, leans=hit is not lead,
                is_free=target is None and not self.is_left,
            )
            for hit, before in zip(self.roll, self.beats, strict=True)
        ]  # fmt: skip


def _leave_all_but_the_nearest(found: list[_Aimed]) -> None:
    """Of heard hits that would be laid on one place, one is what belongs there.

    The others are an echo of it, a ghost, a faster figure: they go along with their neighbours.
    """
    nearest: dict[float, _Aimed] = {}
    heard = [a for a in found if a.target and a.lead.doubt_s > 0.0]
    for aimed in heard:
        assert aimed.target
        place = round(aimed.target.beat, 6)
        way = abs(aimed.beat - aimed.target.beat)
        other = nearest.get(place)
        if other is None or way < abs(other.beat - aimed.target.beat):
            nearest[place] = aimed
    for aimed in heard:
        assert aimed.target
        if nearest[round(aimed.target.beat, 6)] is not aimed:
            aimed.target = None


def _believe(found: list[_Aimed], below: WarpMap) -> None:
    """Each is off its step by as much as the loop makes likely."""
    second = below.body_seconds / below.span
    known = [(aimed, aimed.heard(second)) for aimed in found if aimed.target]
    looseness = Looseness.of([heard for aimed, heard in known if aimed.own_db >= GHOST_DB])
    for aimed, heard in known:
        aimed.believed = looseness.believed(heard)


def _kept_apart(moves: list[Moved], below: WarpMap) -> list[Moved]:
    """None passes its neighbour or pulls the gap between them too far: there it stops."""
    heard, end = HELD_SECONDS * below.span / below.body_seconds, below.span
    found: list[Moved] = []
    was = now = 0.0
    for move in moves:
        after = move.before
        if move.second > below.zero.second + CLOSEST_SECONDS:
            gap, left = move.before - was, end - move.before
            # Room for what comes before, and for all that comes after it up to the end.
            least = max(now + gap / MOST_PULL, end - left * MOST_PULL)
            most = min(now + gap * MOST_PULL, end - left / MOST_PULL)
            after = min(max(move.after, least), most)
            was, now = move.before, after
        found.append(replace(move, after=after, held=abs(after - move.after) > heard))
    return found


def _along(points: list[tuple[float, float]], beat: float, span: float) -> float:
    """Where a beat goes that lies between hits; before the one and after the end it stays."""
    if not 0.0 < beat < span:
        return beat
    inner = [p for p in points if 0.0 < p[0] < span]
    rising = [(0.0, 0.0), *inner, (span, span)]
    for (a, to_a), (b, to_b) in itertools.pairwise(rising):
        if a <= beat <= b:
            return to_a + (beat - a) * (to_b - to_a) / (b - a)
    return beat

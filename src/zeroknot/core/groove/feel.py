"""Which groove does a song have, and where? It may change at a bar.

Conventions
-----------
- Beats are the song's; a groove counts from the bar line at which it begins.
"""

import itertools
import math
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

from zeroknot.core.groove.groove import REACH, Groove, Strike, Target
from zeroknot.core.groove.hit import Register


class Targets(Protocol):
    """Whatever says where a hit is to be."""

    def target_of(
        self, beat: float, register: Register | None = None, reach: float = REACH
    ) -> Target | None:
        """As `Groove.target_of`."""
        ...

    def strikes(self, first: float, last: float) -> Iterator[Strike]:
        """As `Groove.strikes`."""
        ...


@dataclass(frozen=True)
class Feel:
    """changes  (beat from which, groove; None for none), rising; before the first there is none"""

    changes: tuple[tuple[float, Groove | None], ...] = ()

    def from_beat(self, beat: float) -> "FeelFrom":
        """The same for what lies on a beat of the song."""
        return FeelFrom(self, beat)

    def phase(self, beat: float, span: float) -> object:
        """Where it is the same, so is what becomes of a pass that lies there.

        beat, span  of the pass, quarter notes
        """
        at = self.change_at(beat)
        if at != self.change_at(beat + span - 1e-9):
            return beat
        if at < 0 or self.changes[at][1] is None:
            return None
        begin, groove = self.changes[at]
        assert groove is not None
        return at, round((beat - begin) % groove.beats, 6) % groove.beats

    def change_at(self, beat: float) -> int:
        """Which change holds on a beat of the song; −1 before the first."""
        return bisect_right(self.changes, beat + 1e-6, key=lambda change: change[0]) - 1


@dataclass(frozen=True)
class FeelFrom:
    """A song's feel, its beats counted from a beat of it."""

    feel: Feel
    beat: float

    def target_of(
        self, beat: float, register: Register | None = None, reach: float = REACH
    ) -> Target | None:
        """As `Groove.target_of`, by the groove that holds there."""
        # What lies a little before a change is early on its one.
        at = self.feel.change_at(self.beat + beat)
        for one in (at + 1, at):
            if not 0 <= one < len(self.feel.changes):
                continue
            begin, groove = self.feel.changes[one]
            if groove is None:
                continue
            found = groove.target_of(self.beat + beat - begin, register, reach)
            if found and (one == at or found.beat > -1.0 / groove.per_beat / 2):
                by = begin - self.beat
                return found._replace(beat=found.beat + by, step=found.step + by)
        return None

    def strikes(self, first: float, last: float) -> Iterator[Strike]:
        """As `Groove.strikes`, by the grooves that hold there."""
        changes = (*self.feel.changes, (math.inf, None))
        for (begin, groove), (end, _) in itertools.pairwise(changes):
            start, stop = max(begin - self.beat, first), min(end - self.beat, last)
            if groove and start < stop:
                by = begin - self.beat
                for strike in groove.strikes(start - by, stop - by):
                    yield strike._replace(beat=strike.beat + by)

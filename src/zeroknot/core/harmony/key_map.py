"""Which key does a song have, and where? It may change at a bar.

Conventions
-----------
- Beats are the song's. Before the first change its key is that of the first.
- What follows is brought into the first key by `fit.shift_into`; from there on it moves by the
  interval of the tonics, so that a loop of few notes does not jump.
"""

from bisect import bisect_right
from dataclasses import dataclass

from zeroknot.core.harmony.fit import Prefers, interval, shift_into
from zeroknot.core.harmony.key import Key


@dataclass(frozen=True)
class KeyMap:
    """changes  (beat from which, key), rising; none where the song has no key"""

    changes: tuple[tuple[float, Key], ...] = ()

    def key_at(self, beat: float) -> Key | None:
        """The key that holds at a beat; None where the song has none."""
        if not self.changes:
            return None
        return self.changes[max(0, self._at(beat))][1]

    def moved_at(self, beat: float) -> int:
        """Semitones from the first key's tonic to the one that holds, −6…+5."""
        key = self.key_at(beat)
        return interval(self.changes[0][1], key) if key else 0

    def breaks_between(self, first: float, last: float, along: bool = False) -> list[float]:
        """Beats inside at which what follows moves.

        along  by degrees: then it moves where the mode changes, too
        """
        return [
            beat for beat, key in self.changes
            if first < beat < last and (
                self.moved_at(beat) != self.moved_at(beat - 1e-6)
                or (along and key != self.key_at(beat - 1e-6))
            )
        ]  # fmt: skip

    def shift_at(
        self, beat: float, profile: tuple[float, ...], own: Key | None, prefers: Prefers,
        leeway: float,
    ) -> int:  # fmt: skip
        """Semitones that bring a loop into the key at a beat; 0 where the song has none.

        The rest as of `fit.shift_into`.
        """
        if not self.changes:
            return 0
        return shift_into(profile, self.changes[0][1], own, prefers, leeway) + self.moved_at(beat)

    def _at(self, beat: float) -> int:
        return bisect_right(self.changes, beat + 1e-9, key=lambda change: change[0]) - 1

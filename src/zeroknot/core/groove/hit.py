"""What is a hit, to whoever takes or lays a groove?

Conventions
-----------
- Registers are low (kick, bass), middle (snare, chords) and high (hats, shakers); a hit is of the
  one in which most of it begins.
- Levels are dB of the hit in its register; only differences between them mean anything.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Literal, NamedTuple

Register = Literal["low", "middle", "high"]
REGISTERS: tuple[Register, ...] = ("low", "middle", "high")
TOGETHER_SECONDS = 0.045  # hits that follow so soon are a roll or a flam: they move as one
GHOST_DB = -14.0  # against the mean of its register: softer hits are ghosts


class Hit(NamedTuple):
    """second    of the recording
    strength  0…1, how much begins there
    sureness  0…1, how sure it is that one does
    doubt_s   standard error of when it is; 0 where that is known
    """

    second: float
    strength: float
    sureness: float = 1.0
    register: Register = "middle"
    level_db: float = 0.0
    doubt_s: float = 0.0


def at_sensitivity(hits: Iterable[Hit], sensitivity: float) -> tuple[Hit, ...]:
    """Those that hold at a sensitivity of 0…1; a higher one only ever adds."""
    return tuple(hit for hit in hits if hit.sureness >= 1.0 - sensitivity - 1e-9)


def mean_levels(hits: Iterable[Hit]) -> Mapping[Register, float]:
    """The mean level of each register that something is hit in, dB."""
    found: dict[Register, list[float]] = {}
    for hit in hits:
        found.setdefault(hit.register, []).append(hit.level_db)
    return {register: sum(levels) / len(levels) for register, levels in found.items()}


def rolls(hits: Sequence[Hit]) -> list[list[Hit]]:
    """Hits in order, those together that follow so soon that they are one to the ear."""
    groups: list[list[Hit]] = []
    for hit in hits:
        if groups and hit.second - groups[-1][-1].second < TOGETHER_SECONDS:
            groups[-1].append(hit)
        else:
            groups.append([hit])
    return groups


def leader(roll: Sequence[Hit]) -> Hit:
    """The hit that the others of a roll lean on."""
    return max(roll, key=lambda hit: hit.strength)

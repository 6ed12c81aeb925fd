"""Which bars do two tracks fight in, and who gives way?"""

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

SILENT_DB = -120.0
FIGHTS_DB = -8.0  # of what masks, from which on two are said to fight
HEARD_DB = -42.0  # of the softer one below 150 Hz, against full scale


@dataclass(frozen=True)
class Fight:
    """Two tracks below 150 Hz.

    tracks    ids, first the one that has more there: the other gives way more easily
    bars      stretches (first, last) of bars in which they fight
    worst     bar in which they do most, and by how many dB of what masks
    """

    tracks: tuple[str, str]
    bars: tuple[tuple[int, int], ...]
    worst: tuple[int, float]


def fights_of(
    levels: Mapping[str, Sequence[float]],
    overlaps: Mapping[tuple[str, str], Sequence[float]],
    first_bar: int = 1,
) -> list[Fight]:
    """Worst first.

    levels    dB below 150 Hz of each track, bar by bar
    overlaps  dB of what masks of each pair, bar by bar
    """
    found = []
    for (one, other), shared in overlaps.items():
        bars = [
            first_bar + i
            for i, db in enumerate(shared)
            if db >= FIGHTS_DB and min(levels[one][i], levels[other][i]) >= HEARD_DB
        ]
        if not bars:
            continue
        worst = max(bars, key=lambda bar: shared[bar - first_bar])
        more = [sum(levels[t][bar - first_bar] for bar in bars) for t in (one, other)]
        tracks = (one, other) if more[0] >= more[1] else (other, one)
        found.append(Fight(tracks, stretches(bars), (worst, shared[worst - first_bar])))
    return sorted(found, key=lambda f: (-_count(f), -f.worst[1]))


def stretches(bars: Sequence[int]) -> tuple[tuple[int, int], ...]:
    """Rising bars as stretches that go on: (1, 2, 3, 7) is 1–3 and 7."""
    runs = []
    for _, run in itertools.groupby(enumerate(bars), lambda pair: pair[1] - pair[0]):
        numbers = [bar for _, bar in run]
        runs.append((numbers[0], numbers[-1]))
    return tuple(runs)


def said_bars(bars: Sequence[tuple[int, int]]) -> str:
    """ "bars 5–8 and 13" """
    named = [str(a) if a == b else f"{a}–{b}" for a, b in bars]
    noun = "bar" if len(bars) == 1 and bars[0][0] == bars[0][1] else "bars"
    if len(named) > 1:
        named = [", ".join(named[:-1]), named[-1]]
    return f"{noun} {' and '.join(named)}"


def _count(fight: Fight) -> int:
    return sum(b - a + 1 for a, b in fight.bars)

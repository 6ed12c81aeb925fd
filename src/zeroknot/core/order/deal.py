"""How is an order dealt anew? A seeded reshuffle: the same seed deals the same order.

Conventions
-----------
- Python's own generator, drawn from by `random()` alone: its sequence is the same everywhere.
- Likeness is a table of distances between pieces; without one, any piece is as like as another.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from random import Random
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.order.order import SAME_BEATS, Order, Tile
from zeroknot.core.slicing.limits import within

MOST_SEED = 2**31 - 1
ALIKE = 3  # so many of the pieces most like one are taken for it
ROLL_HITS = (2, 3, 4)
ROLL_RISE_DB = 9.0
BETWEEN_DB = -3.0  # off the pulse, against on it
ON_PULSE_DB = -1.0  # against the bar's first


@dataclass(frozen=True)
class Deal:
    """seed
    held      indices of tiles that stay
    strong    beats of each bar (0 its first) on which tiles stay
    first, last  pieces that may be dealt, counted from 0; all where last is None
    from_beat, to_beat  of the order between which is dealt; to its end where None
    far       0 pieces most like the one there, 1 any
    like      each is exchanged for one that sounds alike; else those that are there change places
    density   share of the tiles that sound
    rolls     chance of a tile to become a roll
    accents   levels by the place in the bar, 0 none to 1
    """

    seed: int
    held: tuple[int, ...] = ()
    strong: tuple[float, ...] = ()
    first: int = 0
    last: int | None = None
    from_beat: float = 0.0
    to_beat: float | None = None
    far: float = 1.0
    like: bool = False
    density: float = 1.0
    rolls: float = 0.0
    accents: float = 0.0

    def __post_init__(self) -> None:
        within("a seed", self.seed, 0, MOST_SEED)
        for name in ("far", "density", "rolls", "accents"):
            within(f"{name} of a deal", getattr(self, name), 0.0, 1.0)


def dealt(
    order: Order, deal: Deal, distances: NDArray[np.float64] | None, beats_per_bar: float = 4.0,
    pulse: float = 1.0,
) -> Order:  # fmt: skip
    """The order, dealt anew.

    distances  float64 [pieces, pieces], how unlike two sound; None where nobody listened
    pulse      beats from pulse to pulse
    """
    random = Random(deal.seed)
    free = [i for i, tile in enumerate(order.tiles) if _is_free(i, tile, deal, beats_per_bar)]
    tiles = list(order.tiles)
    pieces = [tiles[i].piece for i in free]
    allowed = _allowed(order, deal, distances)
    if deal.like or deal.last is not None or deal.first:
        pieces = [_exchanged(piece, allowed, deal, distances, random) for piece in pieces]
    else:
        pieces = _changed_places(pieces, deal, distances, random)
    for i, piece in zip(free, pieces, strict=True):
        tiles[i] = replace(
            tiles[i], piece=piece, also=tuple(p for p in tiles[i].also if p != piece)
        )
    for i in free:
        # Drawn whether used or not, so that one setting does not change what another deals.
        silence, roll, how = random.random(), random.random(), random.random()
        changes: dict[str, Any] = {}
        if silence >= deal.density:
            changes["muted"] = True
        if roll < deal.rolls:
            hits = ROLL_HITS[int(how * len(ROLL_HITS))]
            changes |= {"hits": hits, "rise_db": ROLL_RISE_DB if how < 0.5 else -ROLL_RISE_DB}
        if deal.accents:
            changes["gain_db"] = deal.accents * _accent_db(tiles[i].beat, beats_per_bar, pulse)
        if changes:
            tiles[i] = replace(tiles[i], **changes)
    return Order(order.beats, tuple(tiles))


def _is_free(index: int, tile: Tile, deal: Deal, beats_per_bar: float) -> bool:
    if index in deal.held:
        return False
    if tile.beat < deal.from_beat - SAME_BEATS:
        return False
    if deal.to_beat is not None and tile.beat >= deal.to_beat - SAME_BEATS:
        return False
    place = tile.beat % beats_per_bar
    return not any(abs(place - beat) < SAME_BEATS for beat in deal.strong)


def _allowed(order: Order, deal: Deal, distances: NDArray[np.float64] | None) -> list[int]:
    most = max((p for t in order.tiles for p in t.pieces), default=0)
    count = distances.shape[0] if distances is not None else most + 1
    last = count - 1 if deal.last is None else min(deal.last, count - 1)
    return list(range(min(deal.first, last), last + 1))


def _exchanged(
    piece: int, allowed: list[int], deal: Deal, distances: NDArray[np.float64] | None,
    random: Random,
) -> int:  # fmt: skip
    """Another piece for one: of those most like it, or of more the farther it may go."""
    others = [p for p in allowed if p != piece]
    is_heard = distances is None or piece < distances.shape[0]  # else it is borrowed, and stays
    if not others or not is_heard:
        random.random()
        return piece
    if distances is not None:
        others.sort(key=lambda p: (distances[piece, p], p))
        most = ALIKE if deal.like else max(1, round(deal.far * len(others)))
        others = others[:most]
    return others[int(random.random() * len(others))]


def _changed_places(
    pieces: list[int], deal: Deal, distances: NDArray[np.float64] | None, random: Random
) -> list[int]:
    """Each changes places with another: with any, or with one of those most like it."""
    out = list(pieces)
    for i in range(len(out) - 1, 0, -1):
        partners: Sequence[int] = range(i + 1)
        if distances is not None and deal.far < 1.0 and max(out) < distances.shape[0]:
            ranked = sorted(partners, key=lambda j: (distances[out[i], out[j]], -j))
            partners = ranked[: max(2, round(deal.far * len(ranked)))]
        j = partners[int(random.random() * len(partners))]
        out[i], out[j] = out[j], out[i]
    return out


def _accent_db(beat: float, beats_per_bar: float, pulse: float) -> float:
    place = beat % beats_per_bar
    if place < SAME_BEATS:
        return 0.0
    on_pulse = abs(place / pulse - round(place / pulse)) < SAME_BEATS
    return ON_PULSE_DB if on_pulse else BETWEEN_DB

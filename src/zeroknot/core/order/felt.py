"""Which feel has an order: by a groove its tiles move, and what they play is a groove to take.

Conventions
-----------
- As with the hits of a loop (`core.groove.layer`): an amount of the way, always from where the
  tiles were put; the one stays; none passes its neighbour.
- A piece is of the register of its strongest hit; one without is of the middle.
"""

import itertools
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

from zeroknot.core.groove.feel import Targets
from zeroknot.core.groove.groove import MOST_ACCENT_DB, Played
from zeroknot.core.groove.hit import Hit, Register, leader, mean_levels
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.order.order import LEAST_BEATS, SAME_BEATS, Order, Tile
from zeroknot.core.slicing.piece import LOUDEST_DB, QUIETEST_DB

TOUCHING_BEATS = 1 / 64  # tiles nearer than this have no rest between them
GHOST_DB = -14.0  # under the mean: that says nothing of where a step is


class Heard(NamedTuple):
    """What a piece sounds like to a groove: its register, and dB against the mean of that."""

    register: Register = "middle"
    level_db: float = 0.0


def heard_pieces(hits: Sequence[Hit], edges: Sequence[float]) -> list[Heard]:
    """Each piece of a recording, by the hits in it.

    edges  seconds at which pieces begin, and where the last ends
    """
    means = mean_levels(hits)
    found = []
    for start, stop in itertools.pairwise(edges):
        inside = [hit for hit in hits if start - 0.012 <= hit.second < stop - 0.012]
        if not inside:
            found.append(Heard())
            continue
        lead = leader(inside)
        found.append(Heard(lead.register, lead.level_db - means[lead.register]))
    return found


def felt(
    order: Order, layer: GrooveLayer, targets: Targets | None, pieces: Sequence[Heard]
) -> Order:
    """An order by a groove: its tiles where that has them, and as loud.

    layer    how much of it, for whom
    targets  the groove
    pieces   what each piece sounds like
    """
    if targets is None or (not layer.timing and not layer.accents):
        return order
    moved: list[Tile] = []
    for tile in order.tiles:
        heard = pieces[tile.piece] if tile.piece < len(pieces) else Heard()
        target = None
        if heard.register in layer.registers:
            register = heard.register if layer.apart else None
            target = targets.target_of(tile.beat, register, layer.reach)
        if target is None:
            moved.append(tile)
            continue
        gain = layer.accents * (target.accent_db - heard.level_db - tile.gain_db)
        gain = min(max(gain, -MOST_ACCENT_DB), MOST_ACCENT_DB)
        by = layer.timing * (target.beat - tile.beat) if tile.beat > SAME_BEATS else 0.0
        level = round(min(max(tile.gain_db + gain, QUIETEST_DB), LOUDEST_DB), 3)
        moved.append(replace(tile, beat=max(0.0, tile.beat + by), gain_db=level))
    return Order(order.beats, tuple(_joined_on(order, moved)))


def _joined_on(order: Order, moved: list[Tile]) -> list[Tile]:
    """Moved tiles in their order: what ended where the next began still does."""
    begins: list[float] = []
    for i, tile in enumerate(moved):
        room = len(moved) - i  # so many have to find their place before the end
        most = order.beats - room * LEAST_BEATS
        least = begins[-1] + LEAST_BEATS if begins else 0.0
        begins.append(min(max(tile.beat, least), most))
    found = []
    for i, tile in enumerate(moved):
        was, beat = order.tiles[i], begins[i]
        last = i + 1 == len(moved)
        next_was = order.beats if last else order.tiles[i + 1].beat
        next_now = order.beats if last else begins[i + 1]
        end = beat + tile.beats
        if next_was - was.end < TOUCHING_BEATS or end > next_now:
            end = next_now
        found.append(replace(tile, beat=beat, beats=max(LEAST_BEATS, end - beat)))
    return found


def played_by(order: Order, pieces: Sequence[Heard]) -> tuple[Played, ...]:
    """The hits of an order, as a groove is taken from them."""
    tiles = [t for t in order.tiles if not t.muted]
    levels = [_level(t, pieces) for t in tiles]
    mean = sum(levels) / len(levels) if levels else 0.0
    found = []
    for tile, level in zip(tiles, levels, strict=True):
        accent = level - mean
        register = pieces[tile.piece].register if tile.piece < len(pieces) else "middle"
        weight = min(1.0, max(0.01, 10.0 ** (accent / 20.0) / 2))
        found.append(Played(tile.beat, weight, register, accent, accent < GHOST_DB))
    return tuple(found)


def _level(tile: Tile, pieces: Sequence[Heard]) -> float:
    own = pieces[tile.piece].level_db if tile.piece < len(pieces) else 0.0
    return own + tile.gain_db

"""What was played on pads, and which order does it make?

Conventions
-----------
- Strokes keep the beats at which they were played; an order is made of them with a strength, so
  100 % → 60 % is computed from what was played, never from the result.
- Strokes at one moment are one tile, as loud as the strongest, whose piece comes first. A tile
  lasts until the next begins, and no longer than its piece is, or than its pad was held.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zeroknot.core.errors import SliceError
from zeroknot.core.order.order import LEAST_BEATS, MOST_BEATS, MOST_TILES, Order, Tile
from zeroknot.core.slicing.limits import within
from zeroknot.core.stretch.settings import STEEPEST_SHIFT

QUIETEST = 1 / 127
AT_ONCE_BEATS = 1 / 32
DB_A_DECADE = 40.0


@dataclass(frozen=True)
class Stroke:
    """beat      of the round, as it was played
    piece     that was struck
    velocity  0…1
    beats     for which it was held; None where that had no say
    semitones  by which it was played higher
    """

    beat: float
    piece: int
    velocity: float = 1.0
    beats: float | None = None
    semitones: float = 0.0

    def __post_init__(self) -> None:
        within("a stroke's beat", self.beat, -MOST_BEATS, MOST_BEATS)
        within("a velocity", self.velocity, 0.0, 1.0)
        within("a shift in semitones", self.semitones, -STEEPEST_SHIFT, STEEPEST_SHIFT)
        if self.beats is not None:
            within("a stroke's length in beats", self.beats, 0.0, MOST_BEATS)
        if self.piece < 0:
            raise SliceError("a stroke strikes a slice that is there")


@dataclass(frozen=True)
class Round:
    """One time through what was played along to.

    beats    from round to round
    strokes  as they were played
    """

    beats: float
    strokes: tuple[Stroke, ...]

    def __post_init__(self) -> None:
        within("a round's length in beats", self.beats, LEAST_BEATS, MOST_BEATS)
        if not 1 <= len(self.strokes) <= MOST_TILES:
            raise SliceError(f"a round has 1 to {MOST_TILES} strokes")


def quantized(
    played: Round, step: float, strength: float, lengths: Sequence[float], feels: bool = True
) -> Order:
    """The order that a round makes.

    step      beats from line to line of the grid that strokes are drawn to
    strength  0 as played … 1 on the grid
    lengths   beats that each piece lasts as it is laid
    feels     how hard it was struck says how loud it is
    """
    within("a step in beats", step, LEAST_BEATS, MOST_BEATS)
    within("a strength", strength, 0.0, 1.0)
    at: list[tuple[float, Stroke]] = []
    for stroke in played.strokes:
        if stroke.piece >= len(lengths):
            continue
        line = math.floor(stroke.beat / step + 0.5) * step
        beat = (stroke.beat + strength * (line - stroke.beat)) % played.beats
        # What falls on the end of the round begins the next.
        at.append((0.0 if played.beats - beat < LEAST_BEATS else beat, stroke))
    at.sort(key=lambda one: (one[0], -one[1].velocity))
    tiles: list[Tile] = []
    for beat, stroke in at:
        if tiles and beat - tiles[-1].beat < AT_ONCE_BEATS:
            tiles[-1] = tiles[-1].with_also(stroke.piece)
            continue
        beats = min(lengths[stroke.piece], stroke.beats or MOST_BEATS, played.beats - beat)
        level = DB_A_DECADE * math.log10(max(QUIETEST, stroke.velocity)) if feels else 0.0
        tile = Tile(
            beat, max(beats, LEAST_BEATS), stroke.piece, gain_db=max(-60.0, round(level, 2)),
            semitones=stroke.semitones,
        )  # fmt: skip
        tiles.append(tile)
    if not tiles:
        raise SliceError("nothing was struck that is a slice of this")
    return Order.of(played.beats, tiles)

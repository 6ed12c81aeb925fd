"""What is a new order? Tiles on a line of beats, each playing one piece of a loop.

Conventions
-----------
- Beats count from the order's one; tiles lie one after another and never over one another, with
  rests where there is none.
- What is done to an order gives another; the tiles that are meant are named by their index.
"""

import itertools
import math
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace

from zeroknot.core.errors import SliceError
from zeroknot.core.slicing.cut import Cuts
from zeroknot.core.slicing.limits import within
from zeroknot.core.slicing.piece import LOUDEST_DB, QUIETEST_DB
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.core.warp.warp_map import WarpMap

MOST_TILES = 2048
MOST_BEATS = 1024.0
MOST_HITS = 16
MOST_AT_ONCE = 8
LEAST_BEATS = 1 / 256
SAME_BEATS = 1e-6


@dataclass(frozen=True)
class Tile:
    """beat       of the order, on which it begins
    beats      how long it is
    piece      index of what it plays
    also       indices of what it plays beside that, at once
    gain_db    on top of the piece's level
    semitones  on top of its shift
    reverse    the other way round than the piece is played
    hits       how often it is struck within its length: a roll from 2 on
    rise_db    from the first of them to the last; the loudest is as loud as the tile
    climb      semitones from the first of them to the last
    muted      a rest that remembers what it was
    """

    beat: float
    beats: float
    piece: int
    gain_db: float = 0.0
    semitones: float = 0.0
    reverse: bool = False
    hits: int = 1
    rise_db: float = 0.0
    climb: float = 0.0
    muted: bool = False
    also: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        within("a tile's beat", self.beat, 0.0, MOST_BEATS)
        within("a tile's length in beats", self.beats, LEAST_BEATS, MOST_BEATS)
        within("a level in dB", self.gain_db, QUIETEST_DB, LOUDEST_DB)
        within("a shift in semitones", self.semitones, -STEEPEST_SHIFT, STEEPEST_SHIFT)
        within("a roll's hits", self.hits, 1, MOST_HITS)
        within("a roll's rise in dB", self.rise_db, -40.0, 40.0)
        within("a roll's climb in semitones", self.climb, -STEEPEST_SHIFT, STEEPEST_SHIFT)
        if min(self.pieces) < 0:
            raise SliceError("a tile plays a piece that is there")
        if len(set(self.pieces)) != len(self.pieces) or len(self.pieces) > MOST_AT_ONCE:
            raise SliceError(f"a tile plays up to {MOST_AT_ONCE} pieces at once, each of them once")

    @property
    def pieces(self) -> tuple[int, ...]:
        """All that it plays."""
        return (self.piece, *self.also)

    def with_also(self, piece: int) -> "Tile":
        """One piece more at once, where there is room for it."""
        if piece in self.pieces or len(self.pieces) == MOST_AT_ONCE:
            return self
        return replace(self, also=(*self.also, piece))

    def level_of(self, hit: int) -> float:
        """dB of one of its hits."""
        share = hit / max(1, self.hits - 1)
        return self.gain_db + self.rise_db * share - max(0.0, self.rise_db if self.hits > 1 else 0)

    @property
    def end(self) -> float:
        """The beat on which it ends."""
        return self.beat + self.beats


@dataclass(frozen=True)
class Order:
    """beats  from round to round
    tiles  one after another
    """

    beats: float
    tiles: tuple[Tile, ...] = ()

    def __post_init__(self) -> None:
        within("an order's length in beats", self.beats, LEAST_BEATS, MOST_BEATS)
        if len(self.tiles) > MOST_TILES:
            raise SliceError(f"an order has at most {MOST_TILES} tiles")
        for a, b in itertools.pairwise(self.tiles):
            if b.beat < a.end - SAME_BEATS:
                raise SliceError("tiles lie one after another, not over one another")
        if self.tiles and self.tiles[-1].end > self.beats + SAME_BEATS:
            raise SliceError("the last tile ends with the order")

    @classmethod
    def as_cut(cls, starts: Cuts, warp: WarpMap) -> "Order":
        """The pieces as they were recorded, each where it lies.

        The first begins with the one, wherever that was moved; what lies outside it is left out.
        """
        inside = (min(max(0.0, warp.beat_of_second(s)), warp.span) for s in starts[1:])
        edges = itertools.pairwise([0.0, *inside, warp.span])
        return cls(
            warp.span,
            tuple(Tile(a, b - a, i) for i, (a, b) in enumerate(edges) if b - a >= LEAST_BEATS),
        )

    @classmethod
    def of(cls, beats: float, tiles: Iterable[Tile]) -> "Order":
        """Tiles as they come: in order, and what lies over the next ends where that begins."""
        inside = sorted((t for t in tiles if t.beat < beats - SAME_BEATS), key=lambda t: t.beat)
        kept: list[Tile] = []
        for tile in inside:
            while kept and tile.beat - kept[-1].beat < LEAST_BEATS:
                kept.pop()
            if kept and kept[-1].end > tile.beat:
                kept[-1] = replace(kept[-1], beats=tile.beat - kept[-1].beat)
            end = min(tile.end, beats)
            kept.append(replace(tile, beats=max(LEAST_BEATS, end - tile.beat)))
        return cls(beats, tuple(t for t in kept if t.end <= beats + SAME_BEATS))

    def with_tiles(self, tiles: Iterable[Tile]) -> "Order":
        """The same length with other tiles."""
        return Order.of(self.beats, tiles)

    def changed(self, which: Collection[int], **fields: object) -> "Order":
        """Some tiles otherwise. Raises SliceError for values that cannot be."""
        return Order(
            self.beats,
            tuple(
                replace(t, **fields) if i in which else t  # type: ignore[arg-type]
                for i, t in enumerate(self.tiles)
            ),
        )

    def without(self, which: Collection[int]) -> "Order":
        """Rests where those were."""
        return Order(self.beats, tuple(t for i, t in enumerate(self.tiles) if i not in which))

    def rotated(self, by: float) -> "Order":
        """All tiles later by so many beats, round the end; what crosses it is cut in two."""
        moved: list[Tile] = []
        for tile in self.tiles:
            beat = (tile.beat + by) % self.beats
            before = min(tile.beats, self.beats - beat)
            over = tile.beats - before
            if before >= LEAST_BEATS:
                moved.append(replace(tile, beat=beat, beats=before))
            if over >= LEAST_BEATS:
                moved.append(replace(tile, beat=0.0, beats=over))
        return self.with_tiles(moved)

    def mirrored(self) -> "Order":
        """The last tile first; each still plays forward."""
        return self.with_tiles(replace(t, beat=self.beats - t.end) for t in self.tiles)

    def thinned(self, keep: int = 2) -> "Order":
        """Of every so many tiles one is heard, the first; the others rest."""
        return self.without([i for i in range(len(self.tiles)) if i % keep])

    def halved(self, which: Collection[int]) -> "Order":
        """Each of those twice in its place, at half the length: the resolution doubled."""
        tiles: list[Tile] = []
        for i, tile in enumerate(self.tiles):
            if i in which and tile.beats >= 2 * LEAST_BEATS:
                half = tile.beats / 2
                tiles += [replace(tile, beats=half),
                          replace(tile, beat=tile.beat + half, beats=half)]  # fmt: skip
            else:
                tiles.append(tile)
        return Order(self.beats, tuple(tiles))

    def merged(self, which: Collection[int]) -> "Order":
        """Each two of those that lie side by side become the first, twice as long."""
        tiles: list[Tile] = []
        taken = False
        for i, tile in enumerate(self.tiles):
            if taken:
                taken = False
                tiles[-1] = replace(tiles[-1], beats=tile.end - tiles[-1].beat)
                continue
            tiles.append(tile)
            taken = i in which and i + 1 in which
        return Order(self.beats, tuple(tiles))

    def repeated(self, which: Collection[int]) -> "Order":
        """Those once more right behind, over what lay there."""
        chosen = [self.tiles[i] for i in sorted(which)]
        if not chosen:
            return self
        return self._over(self._later(chosen, chosen[-1].end - chosen[0].beat))

    def copied(self, which: Collection[int], by: float) -> "Order":
        """Those once more so many beats later, over what lay there."""
        chosen = [self.tiles[i] for i in sorted(which)]
        return self._over(self._later(chosen, by))

    def moved(self, which: Collection[int], by: float) -> "Order":
        """Those so many beats later, over what lay there, as far as they fit in.

        Where they were is a rest.
        """
        chosen = [self.tiles[i] for i in sorted(which)]
        if chosen:
            by = max(-chosen[0].beat, min(by, self.beats - chosen[-1].end))
        return self.without(which)._over(self._later(chosen, by))

    def _later(self, tiles: Sequence[Tile], by: float) -> list[Tile]:
        """Tiles so many beats later, those that begin inside the order."""
        return [replace(t, beat=t.beat + by) for t in tiles if 0.0 <= t.beat + by < self.beats]

    def laid(self, tile: Tile) -> "Order":
        """One tile more, over what was there."""
        return self._over([tile])

    def stacked(self, which: Sequence[int]) -> "Order":
        """What those play, all at once where the first of them lies; the others rest."""
        first, *others = sorted(which)
        tile = self.tiles[first]
        for i in others:
            for piece in self.tiles[i].pieces:
                tile = tile.with_also(piece)
        tiles = [tile if i == first else t for i, t in enumerate(self.tiles) if i not in others]
        return Order(self.beats, tuple(tiles))

    def swapped(self, first: int, second: int) -> "Order":
        """What two tiles play, exchanged; their places and lengths stay."""
        tiles = list(self.tiles)
        a, b = tiles[first], tiles[second]
        tiles[first] = replace(b, beat=a.beat, beats=a.beats)
        tiles[second] = replace(a, beat=b.beat, beats=b.beats)
        return Order(self.beats, tuple(tiles))

    def levelled(self, which: Sequence[int], first_db: float, last_db: float) -> "Order":
        """A level line from the first of those to the last."""
        chosen = sorted(which)
        tiles = list(self.tiles)
        for at, i in enumerate(chosen):
            share = at / max(1, len(chosen) - 1)
            tiles[i] = replace(tiles[i], gain_db=first_db + share * (last_db - first_db))
        return Order(self.beats, tuple(tiles))

    def filled(self, beats: float, step: float) -> "Order":
        """The last beats struck in even steps by what is played there."""
        start = self.beats - beats
        tiles = [t for t in self.tiles if t.beat < start - SAME_BEATS]
        for k in range(round(beats / step)):
            at = start + k * step
            # What is struck last is what lay under the step, or leads up to it.
            under = [t for t in self.tiles if t.beat <= at + SAME_BEATS]
            if under:
                tiles.append(replace(under[-1], beat=at, beats=step, hits=1))
        return self.with_tiles(tiles)

    def only(self, beats_per_bar: float, wanted: Collection[int]) -> "Order":
        """Only what begins on some beats of each bar, the first being 1."""
        return Order(
            self.beats,
            tuple(
                t for t in self.tiles
                if math.floor(t.beat % beats_per_bar + SAME_BEATS) + 1 in wanted
            ),
        )  # fmt: skip

    def without_piece(self, piece: int) -> "Order":
        """Once a piece is gone: what played it alone rests, those after it are one less."""
        kept = []
        for tile in self.tiles:
            left = [p - (p > piece) for p in tile.pieces if p != piece]
            if left:
                kept.append(replace(tile, piece=left[0], also=tuple(left[1:])))
        return Order(self.beats, tuple(kept))

    def in_time(self, times: float) -> "Order":
        """Twice as fast (2) is twice in the same length, half as fast (0.5) its first half."""
        rounds = max(1, round(times))
        tiles = []
        for k in range(rounds):
            for t in self.tiles:
                beat, beats = (t.beat + k * self.beats) / times, t.beats / times
                if beat < self.beats and beats >= LEAST_BEATS:
                    tiles.append(replace(t, beat=beat, beats=min(beats, self.beats)))
        return self.with_tiles(tiles)

    def long(self, beats: float) -> "Order":
        """As long as that: cut off, or repeated until it is full."""
        rounds = math.ceil(beats / self.beats - SAME_BEATS)
        tiles = [
            replace(t, beat=t.beat + k * self.beats)
            for k in range(rounds) for t in self.tiles if t.beat + k * self.beats < beats
        ]  # fmt: skip
        return Order.of(beats, tiles)

    def on_grid(self, step: float) -> "Order":
        """Even tiles, each playing what begins nearest before it."""
        tiles = []
        for k in range(round(self.beats / step)):
            at = k * step
            under = [t for t in self.tiles if t.beat < at + step / 2 and t.end > at]
            if under:
                tiles.append(replace(under[-1], beat=at, beats=step))
        return self.with_tiles(tiles)

    def recut(self, before: Cuts, after: Cuts, warp: WarpMap) -> "Order":
        """The order of a loop that is cut otherwise since.

        A piece that fell in two is played as both, one after the other; one that was joined to the
        piece before it goes on where that is played right before it.
        """
        tiles: list[Tile] = []
        for tile in self.tiles:
            if tile.piece >= len(before):  # what is borrowed is numbered after the loop's own
                also = tuple(dict.fromkeys(_holding(i, before, after) for i in tile.also))
                tiles.append(replace(tile, piece=_holding(tile.piece, before, after), also=also))
                continue
            start = before[tile.piece]
            stop = before[tile.piece + 1] if tile.piece + 1 < len(before) else warp.end.second
            found = [i for i, s in enumerate(after) if start - 1e-6 <= s < stop - 1e-6]
            # Where its cut was moved, it begins at the one that is new.
            begins = bool(found) and (after[found[0]] == start or after[found[0]] not in before)
            if not begins:
                holds = max(0, sum(s <= start for s in after) - 1)
                last = tiles[-1] if tiles else None
                goes_on = (
                    last and last.piece == holds and abs(last.end - tile.beat) < SAME_BEATS
                    and not last.reverse
                )  # fmt: skip
                if last and goes_on:
                    tiles[-1] = replace(last, beats=last.beats + tile.beats)
                    continue
                found = [holds]
            besides = {_holding(i, before, after) for i in tile.also}
            tile = replace(tile, also=tuple(sorted(besides - set(found))))
            tiles += _shared_out(tile, found, [*after, warp.end.second], stop)
        return Order.of(self.beats, tiles)

    def _over(self, tiles: Sequence[Tile]) -> "Order":
        """Tiles laid over what is there: of that, what is left before and behind them stays."""
        kept: list[Tile] = []
        for own in self.tiles:
            parts = [own]
            for tile in tiles:
                parts = [p for part in parts for p in _around(part, tile.beat, tile.end)]
            kept += parts
        return self.with_tiles([*kept, *tiles])


def _holding(piece: int, before: Cuts, after: Cuts) -> int:
    """The piece of a new cut that plays what one of the old did."""
    if piece >= len(before):
        return piece - len(before) + len(after)
    return max(0, sum(s <= before[piece] + 1e-6 for s in after) - 1)


def _around(tile: Tile, start: float, stop: float) -> list[Tile]:
    """What is left of a tile outside a stretch; what begins inside it is gone."""
    if tile.end <= start + SAME_BEATS or tile.beat >= stop - SAME_BEATS:
        return [tile]
    if start - tile.beat >= LEAST_BEATS:
        return [replace(tile, beats=start - tile.beat)]
    return []


def _shared_out(tile: Tile, found: list[int], edges: list[float], stop: float) -> list[Tile]:
    """A tile as the parts that its piece fell into, each by its share of the time."""
    if len(found) == 1 or tile.hits > 1:
        return [replace(tile, piece=found[0])]
    shares = [min(edges[i + 1], stop) - edges[i] for i in found]
    parts = list(zip(found, shares, strict=True))
    if tile.reverse:
        parts.reverse()
    whole, beat, out = sum(shares), tile.beat, []
    for piece, share in parts:
        beats = tile.beats * share / whole
        if beats >= LEAST_BEATS:
            out.append(replace(tile, beat=beat, beats=beats, piece=piece))
        beat += beats
    return out

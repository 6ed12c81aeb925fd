"""What exactly is to be rendered for one round of a new order?

Conventions
-----------
- An order is voices: each a stretch of a *source*, which is a pass over the loop as the strand is
  laid, by another shift or at another speed. So pieces that sound alike are rendered once.
- Frames count from the order's one. A fade-in may lie before it: that is heard at the end of the
  round before.
- Where voices go on as it was recorded they are one: an order as it was cut is the pass itself,
  lead and tail and all, to the bit.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from zeroknot.core.order.order import Order, Tile
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.slicing.shape import Shape
from zeroknot.core.stretch.methods import method_named
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.core.units import frame
from zeroknot.core.warp.time_map import MOST_RATIO

ORDER_VERSION = 1
SHARPEST_SECONDS = 0.0005  # of a fade-in before which there is nothing
SURELY = 1.05  # times within the bounds of a stretch
APART_FRAMES = 64  # of silence between pads
NEARLY = 2  # frames by which a tile may miss where the one before it ends


Pad = tuple[int, int]  # frame with which it begins, and how many


@dataclass(frozen=True)
class Voice:
    """source   index of what it is a stretch of
    start    output frame of that source with which it begins (ends, in reverse)
    frames   how long it is
    at       frame of the order at which it begins
    gain_db  level
    pan      −1 left … 1 right
    reverse  from its end
    fade_in, fade_out  frames, within it
    shape    from where its fade-in ends; None where it is as it is
    """

    source: int
    start: int
    frames: int
    at: int
    gain_db: float = 0.0
    pan: float = 0.0
    reverse: bool = False
    fade_in: int = 0
    fade_out: int = 0
    shape: Shape | None = None


@dataclass(frozen=True)
class OrderPlan(Addressed):
    """One round of an order, ready to be rendered.

    rate         frames per second
    body_frames  of a round, exact
    channels     1 or 2
    sources      passes over the loop
    voices       by where they begin
    lead_frames, tail_frames  what sounds before the one and past the round's end
    version      of how voices are joined
    """

    rate: int
    body_frames: int
    channels: int
    sources: tuple[RenderPlan, ...]
    voices: tuple[Voice, ...]
    lead_frames: int = 0
    tail_frames: int = 0
    version: int = ORDER_VERSION

    @property
    def kind(self) -> str:
        """Who renders it."""
        return "order"

    @property
    def source(self) -> str:
        """SHA-256 of the recording."""
        return self.sources[0].source

    @property
    def frames(self) -> int:
        """Lead, body and tail together."""
        return self.lead_frames + self.body_frames + self.tail_frames

    @property
    def knots(self) -> tuple[object, ...]:
        """What its size in memory is counted by."""
        return (*self.voices, *(k for s in self.sources for k in s.knots))


def plan_order(
    *, base: RenderPlan, cut: Cut, order: Order, frame_of: Callable[[float], int], channels: int
) -> OrderPlan:
    """The plan of a round.

    base      the pass as the strand is laid
    frame_of  frame, from the round's one, of a beat of the order
    channels  of the loop; with a pan there are two
    """
    laying = _Laying(base, cut, frame_of)
    joined = laying.joined(order)
    body = max(1, frame_of(order.beats))
    begins, stops = laying.ends(joined, body)
    last = len(joined) - 1
    voices = [
        laying.faded(one, is_begun=i > 0 or not (begins and stops), is_ended=i < last or not stops)
        for i, one in enumerate(joined)
    ]
    lead = base.lead_frames if begins else 0
    if lead:
        voices.insert(0, replace(joined[0][0], start=-lead, at=-lead, frames=lead))
    if stops:
        voices[-1] = replace(voices[-1], frames=voices[-1].frames + base.tail_frames)
    return OrderPlan(
        rate=base.rate,
        body_frames=body,
        channels=2 if any(v.pan for v in voices) else channels,
        sources=tuple(laying.sources) or (base,),
        voices=tuple(voices),
        lead_frames=lead,
        tail_frames=max([0, *(v.at + v.frames - body for v in voices)]),
    )


def plan_pads(base: RenderPlan, cut: Cut, channels: int) -> tuple[OrderPlan, tuple[Pad, ...]]:
    """The plan of every piece by itself, one after another, as pads play them; and where each lies.

    base, channels  as of `plan_order`
    """
    laying = _Laying(base, cut, lambda beat: 0)
    voices: list[Voice] = []
    pads: list[Pad] = []
    end = 0
    for index, piece in enumerate(cut.pieces):
        voice = None if piece.muted else laying.alone(index, piece)
        if voice is None:
            pads.append((end, 0))
            continue
        voices.append(replace(voice, at=end))
        pads.append((end, voice.frames))
        end += voice.frames + APART_FRAMES
    return OrderPlan(
        rate=base.rate,
        body_frames=max(1, end),
        channels=2 if any(v.pan for v in voices) else channels,
        sources=tuple(laying.sources) or (base,),
        voices=tuple(voices),
    ), tuple(pads)


class _Laying:
    """base, cut and frame_of as of `plan_order`; collects the sources that voices need."""

    def __init__(self, base: RenderPlan, cut: Cut, frame_of: Callable[[float], int]):
        self.base, self.cut, self.frame_of = base, cut, frame_of
        self.sources: list[RenderPlan] = []
        zero, end = base.zero_second, base.end_second
        # The first begins with the one, wherever that was moved.
        self._edges = [zero, *(min(max(s, zero), end) for s in cut.starts[1:]), end]

    def joined(self, order: Order) -> list[tuple[Voice, Piece]]:
        """Every stroke of the order; what goes on as it was recorded is one voice."""
        found: list[tuple[Voice, Piece]] = []
        for tile in order.tiles:
            if tile.muted or tile.piece >= len(self.cut.pieces):
                continue
            piece = self.cut.pieces[tile.piece]
            for voice in () if piece.muted else self._strokes(tile, piece):
                if found and _goes_on(found[-1][0], voice):
                    last = found[-1][0]
                    found[-1] = replace(last, frames=last.frames + voice.frames), piece
                else:
                    found.append((voice, piece))
        return found

    def ends(self, joined: list[tuple[Voice, Piece]], body: int) -> tuple[bool, bool]:
        """Does the round begin as the pass does, and does it end so?"""
        if not joined:
            return False, False
        first, last = joined[0][0], joined[-1][0]
        begins = first.at == first.start == 0 and self._is_pass(first)
        stops = last.start + last.frames == self.base.body_frames and self._is_pass(last)
        return begins, stops and abs(last.at + last.frames - body) <= NEARLY

    def faded(self, one: tuple[Voice, Piece], is_begun: bool, is_ended: bool) -> Voice:
        """A voice with the fades of its piece, where it begins or ends otherwise than recorded."""
        voice, piece = one
        rate = self.base.rate
        if is_begun:
            fade = frame(piece.fade_in_ms / 1000.0 * rate)
            room = voice.start + self.sources[voice.source].lead_frames
            before = 0 if voice.reverse else min(fade, room)
            inside = min(fade, voice.frames // 2)
            if before:
                voice = replace(
                    voice, start=voice.start - before, at=voice.at - before,
                    frames=voice.frames + before, fade_in=before,
                )  # fmt: skip
            elif voice.reverse:
                voice = replace(voice, fade_in=inside)
            else:  # nothing was recorded before: its edge stays as sharp as can be
                voice = replace(voice, fade_in=min(inside, frame(SHARPEST_SECONDS * rate)))
        if is_ended:
            fade = frame(piece.fade_out_ms / 1000.0 * rate)
            voice = replace(voice, fade_out=min(fade, voice.frames - voice.fade_in))
        return voice

    def alone(self, index: int, piece: Piece) -> Voice | None:
        """A piece by itself, as long as it is, with its fades; None where nothing is left of it."""
        if piece.length == "filled":
            piece = replace(piece, length="laid")
        source, start, stop = self._stretch(index, piece, 0, piece.semitones)
        if stop <= start:
            return None
        voice = Voice(
            source,
            start,
            stop - start,
            0,
            piece.gain_db,
            piece.pan,
            reverse=piece.reverse,
            shape=piece.shape.heard,
        )
        return self.faded((voice, piece), is_begun=True, is_ended=True)

    def _is_pass(self, voice: Voice) -> bool:
        return not voice.reverse and self.sources[voice.source] == self.base

    def _strokes(self, tile: Tile, piece: Piece) -> Iterator[Voice]:
        """What a tile plays, stroke by stroke."""
        begin, end = self.frame_of(tile.beat), self.frame_of(tile.end)
        for k in range(tile.hits):
            share = k / max(1, tile.hits - 1)
            at = begin + (end - begin) * k // tile.hits
            room = begin + (end - begin) * (k + 1) // tile.hits - at
            if room < 1:
                continue
            semitones = piece.semitones + tile.semitones + share * tile.climb
            source, start, stop = self._stretch(tile.piece, piece, room, semitones)
            if stop <= start:
                continue
            frames = stop - start
            if frames > room + NEARLY and not piece.rings:
                frames = room
            reverse = piece.reverse != tile.reverse
            yield Voice(
                source=source,
                start=stop - frames if reverse else start,
                frames=frames,
                at=at,
                gain_db=round(piece.gain_db + tile.level_of(k), 3),
                pan=piece.pan,
                reverse=reverse,
                shape=piece.shape.heard,
            )

    def _stretch(
        self, index: int, piece: Piece, room: int, semitones: float
    ) -> tuple[int, int, int]:
        """Where a piece is found: source, first and last output frame of it."""
        start, stop = self._edges[index : index + 2]
        if piece.length == "laid":
            plan = self._shifted(self.base, semitones)
            return self._source(plan), plan.output_frame(start), plan.output_frame(stop)
        base, times = self.base, 1.0
        if piece.length == "filled" and stop > start:
            times = room / ((stop - start) * base.rate)
            times = min(max(times, SURELY / MOST_RATIO), MOST_RATIO / SURELY)
        body = max(1, frame((base.end_second - base.zero_second) * base.rate * times))
        plan = replace(
            base, knots=((base.zero_second, 0), (base.end_second, body)), body_frames=body,
            lead_from=base.zero_second, tail_to=base.end_second, gains=(), lengths_by=(),
            crossfade_s=0.0,
        )  # fmt: skip
        plan = self._shifted(plan, semitones)
        return self._source(plan), plan.output_frame(start), plan.output_frame(stop)

    def _shifted(self, plan: RenderPlan, semitones: float) -> RenderPlan:
        if not semitones or not method_named(plan.method).shifts:
            return plan
        shift = min(max(plan.semitones + semitones, -STEEPEST_SHIFT), STEEPEST_SHIFT)
        return replace(plan, semitones=round(shift, 6))

    def _source(self, plan: RenderPlan) -> int:
        if plan not in self.sources:
            self.sources.append(plan)
        return self.sources.index(plan)


def _goes_on(last: Voice, voice: Voice) -> bool:
    """Does a voice go on where the one before it stops, as it was recorded?"""
    return (
        last.source == voice.source
        and not last.reverse
        and not voice.reverse
        and last.shape is voice.shape is None
        and (last.gain_db, last.pan) == (voice.gain_db, voice.pan)
        and voice.start == last.start + last.frames
        and abs(voice.at - last.at - last.frames) <= NEARLY
    )

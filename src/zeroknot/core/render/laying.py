"""Which voices does an order come to? Its strokes, where their pieces are found, their fades.

Conventions as in `render.order_plan`.
"""

from collections.abc import Callable, Collection, Iterator
from dataclasses import replace
from typing import Any, NamedTuple, Protocol

from zeroknot.core.mixing.shape import Corners
from zeroknot.core.order.order import Order, Tile
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.voice import Voice
from zeroknot.core.slicing.cut import Borrowed, Cut
from zeroknot.core.slicing.piece import Bus, Piece
from zeroknot.core.slicing.shape import Shape
from zeroknot.core.stretch.methods import method_named
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.core.units import frame
from zeroknot.core.warp.time_map import MOST_RATIO

SHARPEST_SECONDS = 0.0005  # of a fade-in before which there is nothing
SURELY = 1.05  # times within the bounds of a stretch
NEARLY = 2  # frames by which a tile may miss where the one before it ends


BeatLine = tuple[tuple[float, float], ...]  # beats of the order, and values
STEP_FRAMES = 64  # over which a line steps


class Moves(Protocol):
    """What moves along the strokes of an order, whatever their pieces say."""

    def moved(self, shape: Shape, beat: float, end: float) -> tuple[Shape, BeatLine, BeatLine]:
        """The shape of a stroke between two beats of the order, [shape, cutoff, drive]: log2 of
        Hz and dB; () where a line stays as the shape has it."""


class Stroke(NamedTuple):
    """A voice before it is faded.

    piece, which  what it plays, and its number
    begins, ends  is it faded there? not where it goes on as it was recorded
    leads         does it begin with the one of its pass, which has a lead?
    """

    voice: Voice
    piece: Piece
    which: int
    begins: bool = True
    ends: bool = True
    leads: bool = False

    def sent(self, bus: Bus) -> "Stroke":
        """What of it is sent there."""
        gain_db = round(self.voice.gain_db + self.piece.sent(bus), 3)
        return self._replace(voice=replace(self.voice, gain_db=gain_db))


def choked(strokes: list[Stroke], body: int) -> list[Stroke]:
    """What rings on ends where another of its choke group begins, in the next round, too.

    body  frames of a round
    """
    begun: dict[int, list[int]] = {}
    for stroke in strokes:
        begun.setdefault(stroke.piece.choke, []).append(stroke.voice.at)
    found = []
    for stroke in strokes:
        voice, piece = stroke.voice, stroke.piece
        begins = begun[piece.choke] if piece.choke else ()
        later = [at if at > voice.at else at + body for at in begins]
        frames = min([voice.frames, *(at - voice.at for at in later)])
        if frames < voice.frames:
            release = max(0, voice.release - (voice.frames - frames))
            # In reverse what is heard is the end of its stretch, and stays that.
            start = voice.start + (voice.frames - frames if voice.reverse else 0)
            voice = replace(voice, start=start, frames=frames, release=release)
        found.append(stroke._replace(voice=voice))
    return found


class Laying:
    """base, cut and frame_of as of `plan_order`; collects the sources that voices need.

    tells_beats  every voice says on which beat it begins, not only those that go by beats
    """

    def __init__(
        self, base: RenderPlan, cut: Cut, frame_of: Callable[[float], int],
        tells_beats: bool = False, moves: Moves | None = None, bus: Bus | None = None,
    ):  # fmt: skip
        self.base, self.cut, self.frame_of = base, cut, frame_of
        self._tells_beats, self._moves, self._bus = tells_beats, moves, bus
        self.sources = [base]  # first: by it the order is known and measured
        zero, end = base.zero_second, base.end_second
        # The first begins with the one, wherever that was moved.
        self._edges = [zero, *(min(max(s, zero), end) for s in cut.starts[1:]), end]

    def strokes(
        self, order: Order, body: int, apart: Collection[int] = frozenset()
    ) -> list[Stroke]:
        """Every stroke of a round, joined, choked, and with its say about fades.

        body   frames of the round
        apart  pieces that go on from none, as if something had been done to them
        """
        found = choked(self._joined(order, apart), body)
        if not found:
            return []
        begins, stops = self._ends(found, body)
        if begins:
            found[0] = found[0]._replace(begins=not stops, leads=True)
        if stops:
            last = found[-1]
            frames = last.voice.frames + self.base.tail_frames
            found[-1] = last._replace(voice=replace(last.voice, frames=frames), ends=False)
        return found

    def _joined(self, order: Order, apart: Collection[int]) -> list[Stroke]:
        found: list[Stroke] = []
        for tile in order.tiles:
            known = [p for p in tile.pieces if p < self.cut.count]
            for index in () if tile.muted else known:
                piece = self.cut.all_pieces[index]
                for voice in self._struck(tile, index, piece):
                    last = found[-1] if found else None
                    is_apart = index in apart or (last and last.which in apart)
                    if self._bus and last and last.piece.sent(self._bus) != piece.sent(self._bus):
                        is_apart = True
                    if last and not is_apart and _goes_on(last.voice, voice):
                        frames = last.voice.frames + voice.frames
                        found[-1] = Stroke(replace(last.voice, frames=frames), piece, index)
                    else:
                        found.append(Stroke(voice, piece, index))
        return found

    def channels(self, voices: list[Voice], own: int) -> int:
        """Of what is heard: as many as the loop has, or two where some of it is panned or wide."""
        if any(v.is_panned for v in voices):
            return 2
        heard = {self.sources[v.source].source for v in voices}
        return max([own, *(b.channels for b in self.cut.borrowed if b.source in heard)])

    def _ends(self, strokes: list[Stroke], body: int) -> tuple[bool, bool]:
        """Does the round begin as the pass does, and does it end so?"""
        first, last = strokes[0].voice, strokes[-1].voice
        begins = first.at == first.start == 0 and self._is_pass(first)
        stops = last.start + last.frames == self.base.body_frames and self._is_pass(last)
        return begins, stops and abs(last.at + last.frames - body) <= NEARLY

    def room(self, voice: Voice) -> int:
        """Frames that were recorded before a voice."""
        return voice.start + self.sources[voice.source].lead_frames

    def faded(self, stroke: Stroke) -> Voice:
        """A voice with the fades of its piece, where it begins or ends otherwise than recorded."""
        voice, piece = stroke.voice, stroke.piece
        rate = self.base.rate
        if stroke.begins:
            fade = frame(piece.fade_in_ms / 1000.0 * rate)
            room = self.room(voice)
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
        if stroke.ends:
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
        frames = stop - start
        voice = self._voice(piece, 0.0, source=source, start=start, frames=frames, at=0)
        return self.faded(Stroke(voice, piece, index))

    def _is_pass(self, voice: Voice) -> bool:
        return not voice.reverse and self.sources[voice.source] == self.base

    def _struck(self, tile: Tile, index: int, piece: Piece) -> Iterator[Voice]:
        """What a tile plays of a piece, stroke by stroke."""
        if piece.muted:
            return
        release = frame(piece.shape.release_ms / 1000.0 * self.base.rate)
        begin, end = self.frame_of(tile.beat), self.frame_of(tile.end)
        for k in range(tile.hits):
            share = k / max(1, tile.hits - 1)
            at = begin + (end - begin) * k // tile.hits
            room = begin + (end - begin) * (k + 1) // tile.hits - at
            if room < 1:
                continue
            semitones = piece.semitones + tile.semitones + share * tile.climb
            source, start, stop = self._stretch(index, piece, room, semitones)
            if stop <= start:
                continue
            frames = stop - start
            if frames > room + NEARLY and not piece.rings:
                frames = min(frames, room + release)
            reverse = piece.reverse != tile.reverse
            yield self._voice(
                replace(piece, reverse=reverse, gain_db=0.0),
                tile.beat + tile.beats * k / tile.hits,
                source=source,
                start=stop - frames if reverse else start,
                frames=frames,
                at=at,
                gain_db=round(piece.gain_db + tile.level_of(k), 3),
                release=0 if piece.rings else max(0, frames - room) if release else 0,
            )

    def _voice(self, piece: Piece, beat: float, **where: Any) -> Voice:
        """A voice of a piece, somewhere; what of it goes by beats counts from there."""
        whole = piece.shape
        cutoff: BeatLine = ()
        drive: BeatLine = ()
        if self._moves:
            end = beat + where["frames"] / (self.frame_of(beat + 1.0) - self.frame_of(beat))
            whole, cutoff, drive = self._moves.moved(piece.shape, beat, end)
        shape = whole.heard
        voice = Voice(
            **{"gain_db": piece.gain_db, **where}, pan=piece.pan, reverse=piece.reverse,
            shape=shape, cutoff=self._corners(cutoff), drive=self._corners(drive),
        )  # fmt: skip
        if piece.sway:
            voice = replace(voice, sway=piece.sway, sway_beats=piece.sway_beats)
        if self._tells_beats or piece.sway or (shape and shape.wave):
            frames = self.frame_of(beat + 1.0) - self.frame_of(beat)
            voice = replace(voice, beat=round(beat, 6), beat_frames=float(frames))
        return voice

    def _corners(self, line: BeatLine) -> Corners:
        """The same on frames of the order; where it steps, over a moment."""
        found: list[tuple[int, float]] = []
        for beat, value in line:
            at = self.frame_of(beat)
            if found and found[-1][0] >= at:
                found[-1] = (at - STEP_FRAMES, found[-1][1])
            found.append((at, round(value, 6)))
        return tuple(found)

    def _stretch(
        self, index: int, piece: Piece, room: int, semitones: float
    ) -> tuple[int, int, int]:
        """Where a piece is found: source, first and last output frame of it."""
        if index >= len(self.cut.pieces):
            return self._borrowed(self.cut.borrowed[index - len(self.cut.pieces)], room, semitones)
        start, stop = self._edges[index : index + 2]
        base, times = self.base, 1.0
        if piece.method and base.kind == "pass":
            base = base.of_method(piece.method)
        if piece.length == "laid":
            plan = self._shifted(base, semitones)
            return self._source(plan), plan.output_frame(start), plan.output_frame(stop)
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

    def _borrowed(self, one: Borrowed, room: int, semitones: float) -> tuple[int, int, int]:
        """The same of what is borrowed: of its recording as a whole, at one speed."""
        rate, piece = self.base.rate, one.piece
        times = 1.0
        if piece.length == "filled" and room:
            times = room / ((one.stop - one.start) * rate)
        elif piece.length == "laid" and one.bpm:
            second = self.frame_of(one.bpm / 60.0) - self.frame_of(0.0)
            times = second / rate
        times = min(max(times, SURELY / MOST_RATIO), MOST_RATIO / SURELY)
        method = method_named(piece.method or one.method)
        body = max(1, frame(one.seconds * rate * times))
        plan = RenderPlan(
            source=one.source, rate=rate, knots=((0.0, 0), (one.seconds, body)), body_frames=body,
            lead_from=0.0, tail_to=one.seconds, method=method.key, version=method.version,
        )  # fmt: skip
        plan = self._shifted(plan, semitones)
        return self._source(plan), plan.output_frame(one.start), plan.output_frame(one.stop)

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
    """Does a voice sound as one with the one before it?"""
    return (
        follows(last, voice)
        and not last.is_shaped
        and not voice.is_shaped
        and not last.sway
        and not voice.sway
        and (last.gain_db, last.pan) == (voice.gain_db, voice.pan)
    )


def follows(last: Voice, voice: Voice) -> bool:
    """Does a voice go on where the one before it stops, as it was recorded?"""
    return (
        last.source == voice.source
        and not last.reverse
        and not voice.reverse
        and not last.release
        and voice.start == last.start + last.frames
        and abs(voice.at - last.at - last.frames) <= NEARLY
    )

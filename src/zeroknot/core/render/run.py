"""How does a plan become sound?

Conventions
-----------
- The axis of a render begins with the lead: axis frame = output frame + lead_frames.
- Pieces lie between anchors and are added up; the body's ends are neighbours, so what its first
  piece sounds before frame 0 is added at the body's end.
- Where nothing is stretched or shifted, samples are copied.
"""

import itertools
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy import ndimage

from zeroknot.core.audio import Audio, Samples
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.render.gain_envelope import envelope
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.kept_pieces import KeptPieces, Rendered, key_of
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.seam import crossfaded_end
from zeroknot.core.stretch.formants import with_colour_held
from zeroknot.core.stretch.lag import common_lag
from zeroknot.core.stretch.methods import method_named
from zeroknot.core.stretch.part import Part
from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.units import frame, pitch_ratio

Point = tuple[float, float]
BATCH = 16  # pieces held at once while a long stretch is rendered
ATTACK_BEFORE_SECONDS = 0.012
PEAK_OVER = 1.12  # just under 1 dB
DIP_SECONDS = 0.008


@dataclass(frozen=True)
class _Piece:
    part: Part
    start: Point
    end: Point


class Rendering(InBlocks):
    """One plan over one recording, rendered piece by piece as frames are asked for.

    sound    the recording at the plan's rate
    attacks  all that may have been heard in it; a method keeps what is sure enough for it
    threads  pieces rendered at once; has no say in the result
    kept     pieces that other plans over the recording may share; its own where none is given
    """

    def __init__(
        self, sound: Audio, attacks: Attacks, plan: RenderPlan, threads: int = 2,
        kept: KeptPieces | None = None,
    ):  # fmt: skip
        self.sound, self.plan = sound, plan
        self._threads = threads
        self._kept = kept or KeptPieces()
        self._method = method_named(plan.method)
        # Without a change there is nothing to do, except for what changes the sound anyway.
        changes = plan.semitones != 0.0 or self._method.always_changes
        self._is_copy = plan.time_map.is_copy(plan.rate) and not changes
        attacks = attacks.at_sensitivity(self._method.sensitivity)
        self._pieces = [] if self._is_copy else list(self._divided(attacks))

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self.plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: axis frames from `first` on."""
        begin = first - self.plan.lead_frames
        out = self._level(begin, count)
        if self.plan.gains:
            gain = envelope(self.plan.gains, self.plan.body_frames, self.plan.rate, begin, count)
            out *= gain.astype(np.float32)
        return out

    def _level(self, begin: int, count: int) -> Samples:
        """Output frames from `begin` on, before accents."""
        if self._is_copy:
            out = np.zeros((self.sound.channels, count), np.float32)
            self._copy(begin, out)
            return out
        if self._method.family != "keep":
            return self._summed(begin, count)
        body = self.plan.body_frames
        cuts = sorted({begin, begin + count, *(c for c in (0, body) if begin < c < begin + count)})
        return np.concatenate(
            [self._not_louder(a, b - a) for a, b in itertools.pairwise(cuts)], axis=1
        )

    def _not_louder(self, begin: int, count: int) -> Samples:
        """Output frames, dipped for a moment where they would peak over the recording's own peak.

        Relative to the recording, so that level stays linear.
        """
        out = self._summed(begin, count)
        limit = self._loudest * PEAK_OVER
        reach = round(DIP_SECONDS * self.plan.rate)
        around = [self._beside(begin, -reach), self._beside(begin + count, reach)]
        size = np.abs(np.concatenate([around[0], out, around[1]], axis=1)).max(axis=0)
        if size.max() <= limit:
            return out
        gain = np.minimum(1.0, limit / np.maximum(size, 1e-12))
        half = reach // 2
        gain = ndimage.minimum_filter1d(gain, 2 * half + 1, mode="nearest")
        window = np.hanning(2 * half + 3)[1:-1]
        gain = ndimage.convolve1d(gain, window / window.sum(), mode="nearest")
        return np.asarray(out * gain[reach : reach + count], np.float32)

    def _beside(self, at: int, reach: int) -> Samples:
        """What lies before (reach below 0) or behind an output frame; across the seam at an edge.

        Where pieces hardly sound past their anchors, the output at an edge is the recording itself
        and nothing beyond it has to be known.
        """
        body, count = self.plan.body_frames, abs(reach)
        start = at + min(reach, 0)
        if (at, reach < 0) in ((0, True), (body, False)):
            if self._method.reach_seconds < 2 * DIP_SECONDS or count > body:
                return np.zeros((self.sound.channels, count), np.float32)
            start = start % body if at == 0 else start - body
        return self._summed(start, count)

    @cached_property
    def _loudest(self) -> float:
        """The recording's peak within the pass."""
        plan = self.plan
        first, last = (frame(s * plan.rate) for s in (plan.lead_from, plan.tail_to))
        part = self.sound.samples[:, max(0, first) : max(0, last)]
        return float(max(part.max(initial=0.0), -part.min(initial=0.0)))

    @cached_property
    def _body(self) -> SourceView:
        """The recording between its one and its end, whose end and start are neighbours."""
        plan, samples = self.plan, self.sound.samples
        start, end = frame(plan.zero_second * plan.rate), frame(plan.end_second * plan.rate)
        if not plan.crossfade_s:
            return SourceView(samples, start, end, True)
        ending = crossfaded_end(samples, start, end, frame(plan.crossfade_s * plan.rate))
        return SourceView(samples, start, end, True, ending=ending)

    def _cut(self, from_second: float, to_second: float) -> SourceView:
        first, last = frame(from_second * self.plan.rate), frame(to_second * self.plan.rate)
        return SourceView(self.sound.samples, first, last, False)

    def _summed(self, begin: int, count: int) -> Samples:
        """Pieces added up: float32 [channels, count], output frames from `begin` on."""
        out = np.zeros((self.sound.channels, count), np.float32)
        wanted = [
            piece
            for piece in self._pieces
            if any(begin < b and a < begin + count for a, b in self._covered(piece))
        ]
        # Batches, so that a long render's pieces are not all held at once; in order, so that the
        # sum is the same on however many cores.
        for at in range(0, len(wanted), BATCH):
            batch = wanted[at : at + BATCH]
            for piece, rendered in zip(batch, self._all_rendered(batch), strict=True):
                self._add(piece, rendered, begin, out)
        return out

    def _divided(self, attacks: Attacks) -> list[_Piece]:
        plan = self.plan
        zero, end = plan.zero_second, plan.end_second
        ranges = [
            (plan.lead_from, zero, -plan.lead_frames, 0, False),
            (zero, end, 0, plan.body_frames, True),
            (end, plan.tail_to, plan.body_frames, plan.body_frames + plan.tail_frames, False),
        ]
        lag = self._lag(attacks)
        pieces = []
        for from_second, to_second, start, stop, is_circle in ranges:
            if stop <= start:
                continue
            # What was hit a moment before the one belongs to the one.
            early = ATTACK_BEFORE_SECONDS if is_circle else 0.0
            inside = (attacks.seconds >= from_second - early) & (attacks.seconds < to_second)
            view = self._body if is_circle else self._cut(from_second, to_second)
            if plan.settings.formants > 0.0 and plan.semitones != 0.0:
                held = pitch_ratio(plan.semitones * plan.settings.formants)
                view = with_colour_held(view, plan.rate, held)
            part = Part(
                view=view,
                rate=plan.rate,
                time_map=plan.time_map,
                start=start,
                end=stop,
                attacks=np.maximum(attacks.seconds[inside], from_second),
                strengths=attacks.strengths[inside],
                semitones=plan.semitones,
                lag=lag,
            )
            points = [(source, output) for source, output in part.anchors.tolist()]
            pieces += [_Piece(part, a, b) for a, b in itertools.pairwise(points)]
        return pieces

    def _lag(self, attacks: Attacks) -> float:
        """Seconds by which a loop's attacks are heard late, whatever the tempo.

        Where knots say of attacks when they are to be heard, there is none.
        """
        plan = self.plan
        if len(plan.knots) > 2:
            return 0.0
        first, last = np.searchsorted(attacks.seconds, (plan.zero_second, plan.end_second))
        return common_lag(attacks.seconds[first:last], plan.zero_second, plan.end_second)

    def _covered(self, piece: _Piece) -> list[tuple[int, int]]:
        """Output frames a piece may sound in, with room for its join."""
        room = int(self._method.reach_seconds * self.plan.rate)
        end = piece.end[1]
        if self._method.rings_on:
            end = piece.part.attack_after(end)
        first, last = int(piece.start[1]) - room, int(end) + room
        if not piece.part.view.is_circle:
            return [(first, last)]
        body = self.plan.body_frames
        turns = range(first // body, -(-last // body))
        return [(max(0, first - k * body), min(body, last - k * body)) for k in turns]

    def _all_rendered(self, pieces: list[_Piece]) -> list[Rendered]:
        """Pieces that were kept or rendered now, on as many cores as were given."""
        keys = [key_of(self.plan, p.part, p.start, p.end) for p in pieces]
        found = [self._kept.get(key) for key in keys]
        missing = [p for p, f in zip(pieces, found, strict=True) if f is None]
        if len(missing) > 1 and self._threads > 1:
            with ThreadPoolExecutor(self._threads) as pool:
                fresh = iter(list(pool.map(self._render, missing)))
        else:
            fresh = (self._render(piece, self._threads) for piece in missing)
        result = [next(fresh) if f is None else f for f in found]
        for key, rendered in zip(keys, result, strict=True):
            self._kept.keep(key, rendered)
        return result

    def _render(self, piece: _Piece, threads: int = 1) -> Rendered:
        part = piece.part if threads == 1 else replace(piece.part, threads=threads)
        return self._method.render_piece(part, piece.start, piece.end, self.plan.settings)

    def _add(self, piece: _Piece, rendered: tuple[int, Samples], begin: int, out: Samples) -> None:
        start, sound = rendered
        if not piece.part.view.is_circle:
            _mix_in(out, sound, start - begin)
            return
        # Round the circle: what lies outside the body comes in at its other end.
        body, at = self.plan.body_frames, 0
        while at < sound.shape[1]:
            place = (start + at) % body
            taken = min(sound.shape[1] - at, body - place)
            _mix_in(out, sound[:, at : at + taken], place - begin)
            at += taken

    def _copy(self, begin: int, out: Samples) -> None:
        plan = self.plan
        zero, end = frame(plan.zero_second * plan.rate), frame(plan.end_second * plan.rate)
        lead = self._cut(plan.lead_from, plan.zero_second)
        tail = self._cut(plan.end_second, plan.tail_to)
        count = out.shape[1]
        for view, start, stop, origin in (
            (lead, -plan.lead_frames, 0, zero),
            (self._body, 0, plan.body_frames, zero),
            (tail, plan.body_frames, plan.body_frames + plan.tail_frames, end - plan.body_frames),
        ):
            a, b = max(begin, start), min(begin + count, stop)
            if b > a:
                out[:, a - begin : b - begin] = view.read(origin + a, b - a)


def _mix_in(out: Samples, sound: Samples, at: int) -> None:
    """Add `sound` to `out` from index `at` on, as far as they overlap."""
    a, b = max(0, at), min(out.shape[1], at + sound.shape[1])
    if b > a:
        out[:, a:b] += sound[:, a - at : b - at]

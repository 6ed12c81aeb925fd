"""What exactly is to be rendered for one pass of a strand?

Conventions
-----------
- A pass has three parts on one axis: lead (before frame 0), body, tail (past the body's end).
- A plan names the source by its hash and holds everything that has a say in the result, so its
  digest is the render's address. It holds no project, revision or strand.
- A plan is of a kind (`kind`), which says who renders it and how it is read again. Only what is
  not as it is by itself goes into its text, so a new field changes no address.
- Output frames count from the first downbeat, rounded by `units.frame`.
"""

import itertools
import math
from bisect import bisect_right
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from zeroknot.core.apart.parts import APART_VERSION, OneOfTwo, Parts
from zeroknot.core.errors import StretchError
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.gain_envelope import Gains
from zeroknot.core.stretch.methods import METHODS, NOTES, method_named
from zeroknot.core.stretch.settings import STEEPEST_SHIFT, StretchSettings
from zeroknot.core.timeline.mirrored import Tempo
from zeroknot.core.units import frame
from zeroknot.core.warp.time_map import TimeMap, refuse_beyond_limits
from zeroknot.core.warp.warp_map import WarpMap

RAMP_STEP_BEATS = 0.125  # a ramp is laid in straight pieces this long: under 0.1 ms off
LONGEST_LEAD_BEATS = 8.0
ATTACK_AT_END_SECONDS = 0.03
AS_IT_IS = StretchSettings()
Kind = Literal["pass", "notes"]


@dataclass(frozen=True)
class RenderPlan(Addressed):
    """One pass, ready to be rendered.

    source       SHA-256 of the recording's bytes
    rate         frames per second of the output (the source is converted to it first)
    knots        (source second, output frame), rising; frame 0 and body_frames among them
    body_frames  exact length of the pass
    lead_from    source second from which the lead sounds; the zero knot's where there is none
    tail_to      source second to which the tail sounds; the end knot's where there is none
    method       key in METHODS
    version      of that method's code
    settings     of the method: only those it has a use for
    semitones    shift, length kept
    crossfade_s  source seconds over which the body's end goes over into what leads to its start
    gains        (output frame of a hit, dB from it until the next), rising
    lengths_by   (source second, output frame) by which notes last as long as they do; by the knots
                 where there are none
    by_note      semitones that notes of each pitch class move beside the shift, C first; or ()
    parts        "whole"; "apart": tones and hits are laid each in their own way, and hits are not
                 shifted; or only "tones", only "hits"
    apart_by     version of what tells them apart; 0 where nothing does
    hits_by      version of Strike, by which hits that stand apart are laid; 0 where none are
    notes        of a MIDI loop, where a person changed them: (start, end, pitch, velocity, part),
                 seconds of the source
    """

    source: str
    rate: int
    knots: tuple[tuple[float, int], ...]
    body_frames: int
    lead_from: float
    tail_to: float
    method: str
    version: int
    settings: StretchSettings = AS_IT_IS
    semitones: float = 0.0
    crossfade_s: float = 0.0
    gains: Gains = ()
    lengths_by: tuple[tuple[float, int], ...] = ()
    by_note: tuple[int, ...] = ()
    parts: Parts = "whole"
    apart_by: int = 0
    hits_by: int = 0
    notes: tuple[tuple[float, float, int, int, int], ...] = ()

    def __post_init__(self) -> None:
        if not abs(self.semitones) <= STEEPEST_SHIFT:
            raise StretchError(
                f"a shift of {self.semitones:g} st is outside "
                f"{-STEEPEST_SHIFT:g} to {STEEPEST_SHIFT:g}"
            )

    @property
    def kind(self) -> Kind:
        """Who renders it: notes are played, all else is a pass over a recording."""
        return "notes" if self.method == NOTES.key else "pass"

    @property
    def recordings(self) -> tuple[str, ...]:
        """SHA-256 of every recording that it needs."""
        return (self.source,)

    @cached_property
    def time_map(self) -> TimeMap:
        """Source seconds to output frames, through the knots."""
        return TimeMap.of_points(self.knots)

    @property
    def zero_second(self) -> float:
        """Source second of the one."""
        return next(s for s, f in self.knots if f == 0)

    @property
    def end_second(self) -> float:
        """Source second of the body's end."""
        return next(s for s, f in self.knots if f == self.body_frames)

    @property
    def heard_shift(self) -> float:
        """Semitones by which the body sounds higher, on the whole, than it was recorded."""
        if method_named(self.method).shifts:
            return self.semitones
        seconds = self.end_second - self.zero_second
        return 12.0 * math.log2(seconds * self.rate / self.body_frames)

    @cached_property
    def lead_frames(self) -> int:
        """Frames before the one."""
        return max(0, -self.output_frame(self.lead_from))

    @cached_property
    def tail_frames(self) -> int:
        """Frames past the body's end."""
        return max(0, self.output_frame(self.tail_to) - self.body_frames)

    @property
    def frames(self) -> int:
        """Lead, body and tail together."""
        return self.lead_frames + self.body_frames + self.tail_frames

    def of_parts(self, parts: Parts) -> "RenderPlan":
        """The same of some parts only. Where nothing is shifted or stretched nothing has to be told
        apart, and what is struck is never shifted."""
        shift = 0.0 if parts == "hits" else self.semitones
        is_changed = shift != 0.0 or not self.time_map.is_copy(self.rate)
        if self.kind == "notes" or (parts == "apart" and not is_changed):
            parts = "whole"
        by = APART_VERSION if parts != "whole" else 0
        hits_by = METHODS["strike"].version if parts == "apart" and self._strikes_hits else 0
        return replace(self, parts=parts, apart_by=by, hits_by=hits_by, semitones=shift)

    def one_of_two(self, parts: OneOfTwo) -> "RenderPlan":
        """Of a plan by which both are laid apart, that of one of them."""
        plan = self.of_parts(parts)
        return plan.of_method("strike") if parts == "hits" and self._strikes_hits else plan

    @property
    def _strikes_hits(self) -> bool:
        """Are its hits laid by Strike, where they stand apart? By a method that aims at another
        sound they are changed like the rest."""
        return method_named(self.method).family == "keep"

    def of_method(self, key: str) -> "RenderPlan":
        """The same by another method. Raises StretchError where there is none of that name."""
        method = method_named(key)
        return replace(
            self, method=method.key, version=method.version,
            settings=self.settings.told(method.uses),
            semitones=self.semitones if method.shifts else 0.0,
        )  # fmt: skip

    def output_frame(self, second: float) -> int:
        """Where a second of the source is heard, through the knots."""
        i = min(max(bisect_right(self.knots, (second, math.inf)) - 1, 0), len(self.knots) - 2)
        (start, at), (end, next_at) = self.knots[i : i + 2]
        return frame(at + (second - start) * ((next_at - at) / (end - start)))


def plan_pass(
    *,
    source: str,
    rate: int,
    warp: WarpMap,
    tempo_map: Tempo,
    start_beat: float,
    lead_from: float,
    tail_to: float,
    settings: StretchSettings = AS_IT_IS,
    semitones: float = 0.0,
    method: str = "weave",
    crossfade_s: float = 0.0,
    gains: tuple[tuple[float, float], ...] = (),
    lengths_by: WarpMap | None = None,
    by_note: tuple[int, ...] = (),
    parts: Parts = "whole",
    notes: tuple[tuple[float, float, int, int, int], ...] = (),
) -> RenderPlan:
    """The plan of the pass whose zero knot lies on a beat of the project.

    gains       (source second of a hit, dB from it until the next), rising
    lengths_by  the map by which notes keep their lengths; None where they end as they are moved
    by_note     semitones that notes of each pitch class move beside the shift; () for none
    Raises StretchError where a part would be longer or shorter than 8 times.
    """
    chosen = method_named(method)
    zero_frame = tempo_map.frame_of_beat(start_beat, rate)
    body_frames = tempo_map.frame_of_beat(start_beat + warp.span, rate) - zero_frame
    laid = _Laid(tempo_map, start_beat, rate, lead_from, tail_to)
    plan = RenderPlan(
        source=source,
        rate=rate,
        knots=laid.points(warp),
        body_frames=body_frames,
        lead_from=lead_from,
        tail_to=tail_to,
        method=chosen.key,
        version=chosen.version,
        settings=settings.told(chosen.uses),
        semitones=semitones if chosen.shifts else 0.0,
        crossfade_s=crossfade_s,
        lengths_by=laid.points(lengths_by) if lengths_by and lengths_by != warp else (),
        by_note=by_note if any(by_note) else (),
        notes=notes,
    )
    refuse_beyond_limits(plan.knots, rate)
    plan = plan.of_parts(parts)
    return replace(plan, gains=_on_frames(gains, plan)) if gains else plan


@dataclass(frozen=True)
class _Laid:
    """Where a pass lies: on a beat of a tempo map, from its lead to its tail."""

    tempo_map: Tempo
    start_beat: float
    rate: int
    lead_from: float
    tail_to: float

    def points(self, warp: WarpMap) -> tuple[tuple[float, int], ...]:
        """A warp map as (source second, output frame), bent as the tempo bends."""
        tempo_map, start_beat, rate = self.tempo_map, self.start_beat, self.rate
        first = min(0.0, warp.beat_of_second(self.lead_from))
        last = max(warp.span, warp.beat_of_second(self.tail_to))
        beats = {0.0, warp.span, *(k.beat for k in warp.knots if first < k.beat < last)}
        begin, finish = start_beat + first, start_beat + last
        steady = tempo_map.is_steady_between(begin, finish)
        if not steady:
            edges = [begin, *tempo_map.breaks_between(begin, finish), finish]
            for a, b in itertools.pairwise(edges):
                beats.add(a - start_beat)
                if not tempo_map.is_steady_between(a, b):
                    beats.update((np.arange(a, b, RAMP_STEP_BEATS) - start_beat).tolist())
            # The outer segments go on at the tempo they end with.
            beats.update((first, last))
        zero_frame = tempo_map.frame_of_beat(start_beat, rate)
        body_frames = tempo_map.frame_of_beat(start_beat + warp.span, rate) - zero_frame
        bpm = tempo_map.bpm_at(start_beat)
        points: list[tuple[float, int]] = []
        stays = 0  # so many of the points do
        for beat in sorted(beats):
            if beat == warp.span:
                output = body_frames
            elif steady:
                # Counted from the pass itself: every pass at one tempo then has the same plan.
                output = frame(beat * 60.0 / bpm * rate)
            else:
                output = tempo_map.frame_of_beat(start_beat + beat, rate) - zero_frame
            point = warp.second_of_beat(beat), output
            if beat in (0.0, warp.span):
                # The one and the end stay; what lies nearer before them than a frame yields.
                while len(points) > stays and not rises(points[-1], point):
                    points.pop()
                stays = len(points) + 1
            if not points or rises(points[-1], point):
                points.append(point)
        return tuple(points)


def _on_frames(gains: tuple[tuple[float, float], ...], plan: RenderPlan) -> Gains:
    """Gains where their hits are heard; of two on one frame the later holds."""
    found = {
        plan.output_frame(second): db
        for second, db in gains
        if plan.lead_from - 1e-6 <= second < plan.end_second
    }
    return tuple(sorted(found.items()))


def rises(earlier: tuple[float, int], later: tuple[float, int]) -> bool:
    """Is a point past another in the source and in the output?"""
    return later[0] > earlier[0] and later[1] > earlier[1]


def plan_ratio(
    *, source: str, rate: int, source_frames: int, duration_ratio: float, method: str,
    settings: StretchSettings = AS_IT_IS, semitones: float = 0.0, parts: Parts = "whole",
) -> RenderPlan:  # fmt: skip
    """The plan of a whole recording as one pass, `duration_ratio` times as long."""
    body = frame(duration_ratio * source_frames)
    if body < 1:
        raise StretchError(
            f"a ratio of {duration_ratio:g} leaves nothing of {source_frames} samples"
        )
    seconds = source_frames / rate
    chosen = method_named(method)
    plan = RenderPlan(
        source=source,
        rate=rate,
        knots=((0.0, 0), (seconds, body)),
        body_frames=body,
        lead_from=0.0,
        tail_to=seconds,
        method=chosen.key,
        version=chosen.version,
        settings=settings.told(chosen.uses),
        semitones=semitones if chosen.shifts else 0.0,
    )
    refuse_beyond_limits(plan.knots, rate)
    return plan.of_parts(parts)


def plan_as_written(
    source: str, rate: int, seconds: float, settings: StretchSettings = AS_IT_IS
) -> RenderPlan:
    """The plan of a MIDI loop at its own tempo, from the file's start until it has rung out."""
    return plan_ratio(
        source=source, rate=rate, source_frames=max(1, frame(seconds * rate)), duration_ratio=1.0,
        method=NOTES.key, settings=settings,
    )  # fmt: skip


def lead_and_tail(
    warp: WarpMap, sounding: tuple[float, float], attacks: tuple[float, ...], with_lead: bool
) -> tuple[float, float]:
    """From where does the lead sound, and to where the tail?

    sounding  first and last second of the recording that are not silence
    attacks   source seconds, rising
    returns   source seconds (lead_from, tail_to)

    The lead is what sounds before the first downbeat, eight beats at most. The tail is what rings
    past the end: it stops where the next hit begins, for that hit belongs to another pass.
    """
    zero, end = warp.zero.second, warp.end.second
    lead_from = zero
    if with_lead and sounding[0] < zero:
        lead_from = max(sounding[0], warp.second_of_beat(-LONGEST_LEAD_BEATS))
    tail_to = max(end, min(sounding[1], end + warp.body_seconds))
    for attack in attacks:
        if attack > end - ATTACK_AT_END_SECONDS:
            tail_to = max(end, min(tail_to, attack - 0.002))
            break
    if tail_to - end < 0.005:
        tail_to = end
    return lead_from, tail_to

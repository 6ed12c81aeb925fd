"""What is heard of a project, and when? Its clips as events on whole song frames."""

import contextlib
import math
from collections.abc import Iterator, Mapping
from dataclasses import replace

from zeroknot.core.errors import StretchError
from zeroknot.core.loop import Loop
from zeroknot.core.mixing.sheet import Event, Sheet, TrackLevel
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.units import gain_of_db
from zeroknot.document.project import QUIETEST_DB, Clip, Project, Strand
from zeroknot.studio.placement import Placement

HAND_TRACK = "hand"
_SLACK = 1e-6  # beats


class SheetMaker:
    """Builds a sheet and keeps the plans its events point to."""

    def __init__(self, project: Project, loops: Mapping[str, Loop]):
        self._project, self._loops = project, loops
        self._plans: dict[tuple[Strand, object], RenderPlan] = {}
        self.plans: dict[str, RenderPlan] = {}

    def arrangement(self) -> Sheet:
        """Every clip that is not muted, on its track."""
        project = self._project
        solo = any(t.solo for t in project.tracks)
        tracks = tuple(
            TrackLevel(t.id, 0.0 if t.muted or (solo and not t.solo) else gain(t.level_db))
            for t in project.tracks
        )
        events = [e for c in project.clips if not c.muted for e in self._events(c)]
        events.sort(key=lambda e: (e.at, e.id))
        return Sheet(project.rate, tuple(events), tracks, gain(project.master_db))

    def hand(self, strand: Strand, end_beat: float, level: float = 1.0) -> tuple[Event, ...]:
        """A strand repeated from beat 0 on, as one long clip on a track of its own.

        level  linear gain on top of the strand's own
        """
        clip = Clip(id=HAND_TRACK, strand=strand.id, track=HAND_TRACK, beat=0.0, length=end_beat)
        return tuple(replace(e, gain=e.gain * level) for e in self._events(clip, strand))

    def _events(self, clip: Clip, strand: Strand | None = None) -> Iterator[Event]:
        project = self._project
        strand = strand or project.strand(clip.strand)
        frames_of = project.tempo_map.frame_of_beat
        end_beat = clip.beat + project.length_of(clip, strand)
        clip_start = frames_of(clip.beat, project.rate)
        clip_end = frames_of(end_beat, project.rate)
        level = gain(strand.gain_db) * gain(clip.gain_db)
        fade_in = round(clip.fade_in_ms * project.rate / 1000)
        fade_out = round(clip.fade_out_ms * project.rate / 1000)
        passes = list(self._passes(clip, strand, end_beat))
        if not passes:
            return  # none of it could be laid at its tempo: `why_silent` says so
        for k, zero, plan in passes:
            is_first, is_last = k == passes[0][0], k == passes[-1][0]
            starts_whole = is_first and abs(zero - clip_start) <= 1
            start = zero - plan.lead_frames if starts_whole else max(zero, clip_start)
            end = zero + plan.body_frames + plan.tail_frames
            if not clip.is_whole:
                end = min(end, clip_end)
            frames = end - start
            if frames <= 0:
                continue
            is_cut = end == clip_end and not clip.is_whole
            yield Event(
                id=f"{clip.id}:{k}",
                track=clip.track,
                strand=strand.id,
                digest=plan.digest,
                at=start,
                start=start - zero + plan.lead_frames,
                frames=frames,
                gain=level,
                fade_in=min(fade_in, frames // 2) if is_first else 0,
                fade_out=min(fade_out, frames // 2) if is_last or is_cut else 0,
            )

    def _passes(
        self, clip: Clip, strand: Strand, end_beat: float
    ) -> Iterator[tuple[int, int, RenderPlan]]:
        """The passes that a clip shows: number, song frame of the one, plan."""
        project, loop = self._project, self._loops[strand.loop]
        tempo, rate = project.tempo_map, project.rate
        origin = clip.beat - clip.slip
        if strand.follows:
            first = math.floor(clip.slip / strand.span + _SLACK)
            count = math.ceil((end_beat - origin) / strand.span - _SLACK)
            for k in range(first, count):
                beat = origin + k * strand.span
                with contextlib.suppress(StretchError):
                    yield k, tempo.frame_of_beat(beat, rate), self._plan(strand, loop, beat)
            return
        plan = self._plan(strand, loop, 0.0)
        period = plan.body_frames
        zero = tempo.frame_of_beat(origin, rate)
        first = max(0, tempo.frame_of_beat(clip.beat, rate) - zero) // period
        count = -(-(tempo.frame_of_beat(end_beat, rate) - zero - 1) // period)
        for k in range(first, max(count, first + 1)):
            yield k, zero + k * period, plan

    def _plan(self, strand: Strand, loop: Loop, beat: float) -> RenderPlan:
        tempo = self._project.tempo_map
        key: tuple[Strand, object] = (strand, beat)
        if strand.follows and tempo.is_steady_between(
            beat - strand.span * 9, beat + strand.span * 3
        ):
            rate = self._project.rate
            zero = tempo.frame_of_beat(beat, rate)
            body = tempo.frame_of_beat(beat + strand.span, rate) - zero
            key = (strand, (tempo.bpm_at(beat), body))
        if key not in self._plans:
            plan = Placement.of(self._project, strand, loop, beat).plan
            self._plans[key] = plan
            self.plans[plan.digest] = plan
        return self._plans[key]


def gain(level_db: float) -> float:
    """Linear gain of a level that may be all the way down."""
    return 0.0 if level_db <= QUIETEST_DB else gain_of_db(level_db)

"""What is heard of a project, and when? Its clips as events on whole song frames."""

import contextlib
import itertools
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

from zeroknot.core.errors import StretchError
from zeroknot.core.loop import Loop
from zeroknot.core.mixing.sheet import Event, Sheet, TrackLevel, fades_within
from zeroknot.core.render.any_plan import PassPlan
from zeroknot.core.render.plan import LONGEST_LEAD_BEATS
from zeroknot.core.units import gain_of_db
from zeroknot.document.project import FADE_MS, FARTHEST_BEAT, Clip, Project
from zeroknot.document.strand import QUIETEST_DB, Strand
from zeroknot.studio.placement import Placement

HAND_TRACK = "hand"
_SLACK = 1e-6  # beats
ONE_PASS = Clip(id="pass", strand="", track="", beat=0.0)

KEY_CROSSFADE_SECONDS = 0.005  # over which a pass goes into another key


@dataclass(frozen=True)
class Pass:
    """One time round, in parts where the song's key moves it.

    number  in its clip
    zero    song frame of the one
    parts   (song frame from which it sounds, plan), rising; the first from its beginning on
    """

    number: int
    zero: int
    parts: tuple[tuple[int, PassPlan], ...]


class Joined(NamedTuple):
    """Does the clip before, or behind, go on as if both were one?"""

    before: bool = False
    behind: bool = False


APART = Joined()


@dataclass(frozen=True, eq=False)
class LaidClip:
    """What of a clip is heard, and what that was made from."""

    clip: Clip
    strand: Strand
    loop: Loop
    joined: Joined
    events: tuple[Event, ...]
    plans: tuple[PassPlan, ...]

    def is_of(self, clip: Clip, strand: Strand, loop: Loop, joined: Joined) -> bool:
        """Was it made from these very values?"""
        same = self.clip is clip and self.strand is strand and self.loop is loop
        return same and self.joined == joined


class SheetMaker:
    """Lays a project's clips out as events, and keeps the plans these point to.

    before  one of the same project, of which what is as it was is taken over
    """

    def __init__(
        self, project: Project, loops: Mapping[str, Loop], before: "SheetMaker | None" = None
    ):
        self.project, self.loops = project, loops
        self._plans: dict[tuple[object, object], PassPlan] = {}
        self._own = {strand.id: strand for strand in project.strands}
        self._others: dict[int, Strand] = {}  # kept, so that none is taken for another
        if before and not before.project.is_laid_as(project):
            before = None
        self._joined = joined_clips(project)
        self.laid = {clip.id: self._laid(clip, before) for clip in project.clips if not clip.muted}
        self.plans = {plan.digest: plan for laid in self.laid.values() for plan in laid.plans}

    def arrangement(self) -> Sheet:
        """Every clip that is not muted, on its track."""
        events = [event for laid in self.laid.values() for event in laid.events]
        events.sort(key=lambda e: (e.at, e.id))
        return Sheet(self.project.rate, tuple(events), self.tracks(), gain(self.project.master_db))

    def tracks(self) -> tuple[TrackLevel, ...]:
        tracks = self.project.tracks
        solo = any(t.solo for t in tracks)
        return tuple(
            TrackLevel(t.id, 0.0 if t.muted or (solo and not t.solo) else gain(t.level_db))
            for t in tracks
        )

    def hand(self, strand: Strand, end_beat: float, level: float = 1.0) -> tuple[Event, ...]:
        """A strand repeated from beat 0 on, as one long clip on a track of its own.

        level  linear gain on top of the strand's own
        """
        length = min(end_beat, FARTHEST_BEAT)
        clip = Clip(id=HAND_TRACK, strand=strand.id, track=HAND_TRACK, beat=0.0, length=length)
        laid = self._laid_of(clip, strand)
        self.plans |= {plan.digest: plan for plan in laid.plans}
        return tuple(replace(e, gain=e.gain * level) for e in laid.events)

    def laid_as(self, clip: Clip, strand: Strand) -> LaidClip:
        """A clip that the project does not have, of a strand as it is given."""
        return self._laid_of(clip, strand)

    def _laid(self, clip: Clip, before: "SheetMaker | None") -> LaidClip:
        strand = self.project.strand(clip.strand)
        known = before.laid.get(clip.id) if before else None
        joined = self._joined.get(clip.id, APART)
        if known and known.is_of(clip, strand, self.loops[strand.loop], joined):
            return known
        return self._laid_of(clip, strand, joined)

    def _laid_of(self, clip: Clip, strand: Strand, joined: Joined = APART) -> LaidClip:
        loop = self.loops[strand.loop]
        passes = list(self._passes(clip, strand, loop))
        plans = {plan.digest: plan for one in passes for _, plan in one.parts}
        events = tuple(self._events(clip, strand, passes, joined))
        return LaidClip(clip, strand, loop, joined, events, tuple(plans.values()))

    def _events(
        self, clip: Clip, strand: Strand, passes: list[Pass], joined: Joined
    ) -> Iterator[Event]:
        project = self.project
        frames_of = project.tempo_map.frame_of_beat
        clip_start = frames_of(clip.beat, project.rate)
        clip_end = frames_of(clip.beat + project.length_of(clip, strand), project.rate)
        level = gain(strand.gain_db) * gain(clip.gain_db)
        fade_in = 0 if joined.before else round(clip.fade_in_ms * project.rate / 1000)
        fade_out = 0 if joined.behind else round(clip.fade_out_ms * project.rate / 1000)
        crossfade = round(KEY_CROSSFADE_SECONDS * project.rate)
        # Where none of it could be laid at its tempo, there is none: `why_silent` says so.
        for one in passes:
            is_first, is_last = one is passes[0], one is passes[-1]
            starts_whole = is_first and abs(one.zero - clip_start) <= 1 and not joined.before
            for i, (since, plan) in enumerate(one.parts):
                begin = one.zero - plan.lead_frames if starts_whole else max(one.zero, clip_start)
                end = one.zero + plan.body_frames + plan.tail_frames
                # What goes on behind it rings on, too, as if both were one.
                rings_on = joined.behind and one.zero + plan.body_frames <= clip_end + 1
                if not clip.is_whole and not rings_on:
                    end = min(end, clip_end)
                is_cut = end == clip_end and not clip.is_whole
                # Where the key moves it, it goes over from one part into the next.
                goes_over = i + 1 < len(one.parts) and one.parts[i + 1][0] < end
                comes_over = i > 0 and since - crossfade > begin
                start = since - crossfade if comes_over else begin
                end = one.parts[i + 1][0] if goes_over else end
                frames = end - start
                if frames <= 0:
                    continue
                begins = crossfade if comes_over else fade_in if is_first else 0
                ends = fade_out if is_last or is_cut else 0
                fades = fades_within(frames, begins, crossfade if goes_over else ends)
                yield Event(
                    id=f"{clip.id}:{one.number}" + (f":{i}" if i else ""),
                    track=clip.track,
                    strand=strand.id,
                    digest=plan.digest,
                    at=start,
                    start=start - one.zero + plan.lead_frames,
                    frames=frames,
                    gain=level,
                    fade_in=fades[0],
                    fade_out=fades[1],
                )

    def _passes(self, clip: Clip, strand: Strand, loop: Loop) -> Iterator[Pass]:
        """The passes that a clip shows."""
        project = self.project
        tempo, rate = project.tempo_map, project.rate
        end_beat = clip.beat + project.length_of(clip, strand)
        origin = clip.beat - clip.slip
        if strand.follows:
            first = math.floor(clip.slip / strand.round_beats + _SLACK)
            count = math.ceil((end_beat - origin) / strand.round_beats - _SLACK)
            for k in range(first, count):
                beat = origin + k * strand.round_beats
                with contextlib.suppress(StretchError):
                    parts = self._parts(clip, strand, loop, beat)
                    yield Pass(k, tempo.frame_of_beat(beat, rate), parts)
            return
        with contextlib.suppress(StretchError):
            period = self._parts(clip, strand, loop, origin)[0][1].body_frames
            zero = tempo.frame_of_beat(origin, rate)
            first = max(0, tempo.frame_of_beat(clip.beat, rate) - zero) // period
            count = -(-(tempo.frame_of_beat(end_beat, rate) - zero - 1) // period)
            for k in range(first, max(count, first + 1)):
                at = zero + k * period
                beat = tempo.beat_of_second(at / rate)
                yield Pass(k, at, self._parts(clip, strand, loop, beat))

    def _parts(
        self, clip: Clip, strand: Strand, loop: Loop, beat: float
    ) -> tuple[tuple[int, PassPlan], ...]:
        """A pass whose one lies on a beat, by the keys that it sounds in."""
        begin = beat - LONGEST_LEAD_BEATS
        moves = [begin]
        if strand.in_key:
            # What rings past its end was struck before the change, and stays as it was.
            last = beat + self.project.length_of(ONE_PASS, strand) - _SLACK
            moves += self.project.key_map.breaks_between(begin, last, strand.in_key.along)
        frame_of = self.project.tempo_map.frame_of_beat
        return tuple(
            (frame_of(at, self.project.rate), self._plan(clip, strand, loop, beat, at))
            for at in moves
        )

    def _plan(
        self, clip: Clip, strand: Strand, loop: Loop, beat: float, key_beat: float
    ) -> PassPlan:
        placed = Placement.of(self.project, strand, loop, beat, clip.shift, key_beat)
        # What is in hand, or on the coil, may be heard otherwise than the strand of that id.
        is_own = self._own.get(strand.id) is strand
        if not is_own:
            self._others[id(strand)] = strand
        key = strand.id if is_own else id(strand), placed.law
        if key not in self._plans:
            self._plans[key] = placed.heard
        return self._plans[key]


def joined_clips(project: Project) -> dict[str, Joined]:
    """Clips that are parts of one: the next plays on where this one ends, as loud and as high."""
    found: dict[str, Joined] = {}
    rows: dict[str, list[Clip]] = {}
    for clip in project.clips:
        if not clip.muted:
            rows.setdefault(clip.track, []).append(clip)
    for row in rows.values():
        for clip, following in itertools.pairwise(sorted(row, key=lambda c: c.beat)):
            if not is_continued(project, clip, following):
                continue
            found[clip.id] = found.get(clip.id, APART)._replace(behind=True)
            found[following.id] = APART._replace(before=True)
    return found


def is_continued(project: Project, clip: Clip, following: Clip) -> bool:
    """Does what one clip plays go on in another as if nothing lay between them?"""
    same = ("strand", "track", "shift", "gain_db", "muted")
    if any(getattr(clip, name) != getattr(following, name) for name in same):
        return False
    if clip.fade_out_ms != FADE_MS or following.fade_in_ms != FADE_MS:
        return False  # somebody wants to hear a fade there
    if clip.is_whole and following.is_whole:
        return False  # placed one after the other, each begins with what leads to it
    if abs(project.clip_end(clip) - following.beat) > _SLACK:
        return False
    strand = project.strand(clip.strand)
    later = clip.slip + following.beat - clip.beat - following.slip
    if not strand.follows:  # its passes lie by where the first begins
        return abs(later) < _SLACK
    turns = later / strand.round_beats
    return abs(turns - round(turns)) * strand.round_beats < _SLACK


def gain(level_db: float) -> float:
    """Linear gain of a level that may be all the way down."""
    return 0.0 if level_db <= QUIETEST_DB else gain_of_db(level_db)

"""What is heard of a project, and when? Its clips as events on whole song frames."""

import contextlib
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

from zeroknot.core.errors import StretchError
from zeroknot.core.loop import Loop
from zeroknot.core.mixing.desk.strip import send_id
from zeroknot.core.mixing.sheet import Event, Sheet, TrackLevel
from zeroknot.core.render.any_plan import PassPlan
from zeroknot.core.render.plan import LONGEST_LEAD_BEATS
from zeroknot.core.slicing.piece import BUSES, Bus
from zeroknot.core.units import gain_of_db
from zeroknot.document.desk import Line
from zeroknot.document.project import FARTHEST_BEAT, Clip, Project
from zeroknot.document.strand import QUIETEST_DB, Strand
from zeroknot.studio.beside import ALONE, SLACK, Beside, beside
from zeroknot.studio.clip_shape import ClipShape
from zeroknot.studio.moving import Moving
from zeroknot.studio.placement import Placement

HAND_TRACK = "hand"
_Planned = tuple[PassPlan, tuple[tuple[Bus, PassPlan], ...]]
ONE_PASS = Clip(id="pass", strand="", track="", beat=0.0)

KEY_CROSSFADE_SECONDS = 0.005  # over which a pass goes into another key


@dataclass(frozen=True)
class Pass:
    """One time round, in parts where the song's key moves it.

    number  in its clip
    zero    song frame of the one
    parts   of it, rising; the first from its beginning on
    """

    number: int
    zero: int
    parts: tuple["PassPart", ...]


class PassPart(NamedTuple):
    """since  song frame from which it sounds
    plan   what does
    sent   what its slices send beside that, and where
    """

    since: int
    plan: PassPlan
    sent: tuple[tuple[Bus, PassPlan], ...] = ()


class _Heard(NamedTuple):
    """Part of a pass as it is heard: from a song frame on, for so many.

    comes, goes   frames over which it comes over from the part before, and goes into the next
    begins, ends  does it where the clip does?
    """

    of: Pass
    part: int
    plan: PassPlan
    at: int
    frames: int
    comes: int
    goes: int
    begins: bool
    ends: bool


@dataclass(frozen=True, eq=False)
class LaidClip:
    """What of a clip is heard, and what that was made from."""

    clip: Clip
    strand: Strand
    loop: Loop
    beside: Beside
    lines: tuple[Line, ...]
    events: tuple[Event, ...]
    plans: tuple[PassPlan, ...]

    def is_of(
        self, clip: Clip, strand: Strand, loop: Loop, beside: Beside, lines: tuple[Line, ...]
    ) -> bool:
        """Was it made from these very values?"""
        same = self.clip is clip and self.strand is strand and self.loop is loop
        return same and self.beside == beside and self.lines == lines


class SheetMaker:
    """Lays a project's clips out as events, and keeps the plans these point to.

    before  one of the same project, of which what is as it was is taken over
    """

    def __init__(
        self, project: Project, loops: Mapping[str, Loop], before: "SheetMaker | None" = None
    ):
        self.project, self.loops = project, loops
        self._plans: dict[tuple[object, object], _Planned] = {}
        self._own = {strand.id: strand for strand in project.strands}
        self._others: dict[int, Strand] = {}  # kept, so that none is taken for another
        if before and not before.project.is_laid_as(project):
            before = None
        self._beside = beside(project)
        moving = ((track.id, Moving(track)) for track in project.tracks if track.lines)
        self._moving = {id_: one for id_, one in moving if one.lines}
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
        by = self._beside.get(clip.id, ALONE)
        if known and known.is_of(clip, strand, self.loops[strand.loop], by, self._lines(clip)):
            return known
        return self._laid_of(clip, strand, by)

    def _laid_of(self, clip: Clip, strand: Strand, by: Beside = ALONE) -> LaidClip:
        loop = self.loops[strand.loop]
        passes = list(self._passes(clip, strand, loop, by))
        parts = [part for one in passes for part in one.parts]
        plans = {part.plan.digest: part.plan for part in parts}
        plans |= {plan.digest: plan for part in parts for _, plan in part.sent}
        events = tuple(self._events(clip, strand, passes, by))
        lines = self._lines(clip)
        return LaidClip(clip, strand, loop, by, lines, events, tuple(plans.values()))

    def _lines(self, clip: Clip) -> tuple[Line, ...]:
        moving = self._moving.get(clip.track)
        return moving.lines if moving else ()

    def _heard(
        self, clip: Clip, strand: Strand, passes: list[Pass], by: Beside
    ) -> Iterator[_Heard]:
        """What is heard of each pass."""
        start, end = self._frame(clip, strand, by)
        is_cut_off = not clip.is_whole or by.goes.seconds > 0
        crossfade = round(KEY_CROSSFADE_SECONDS * self.project.rate)
        # Where none of it could be laid at its tempo, there is none: `why_silent` says so.
        for one in passes:
            is_first, is_last = one is passes[0], one is passes[-1]
            leads = not by.before and not by.comes.seconds
            starts_whole = is_first and abs(one.zero - start) <= 1 and leads
            for i, (since, plan, _) in enumerate(one.parts):
                begin = one.zero - plan.lead_frames if starts_whole else max(one.zero, start)
                stop = one.zero + plan.body_frames + plan.tail_frames
                # What goes on behind it rings on, too, as if both were one.
                rings_on = by.behind and one.zero + plan.body_frames <= end + 1
                if is_cut_off and not rings_on:
                    stop = min(stop, end)
                is_cut = stop == end and is_cut_off
                # Where the key moves it, it goes over from one part into the next.
                goes_over = i + 1 < len(one.parts) and one.parts[i + 1].since < stop
                comes_over = i > 0 and since - crossfade > begin
                at = since - crossfade if comes_over else begin
                stop = one.parts[i + 1].since if goes_over else stop
                if stop > at:
                    yield _Heard(
                        one, i, plan, at, stop - at, crossfade if comes_over else 0,
                        crossfade if goes_over else 0, is_first and not comes_over,
                        (is_last or is_cut) and not goes_over,
                    )  # fmt: skip

    def _events(
        self, clip: Clip, strand: Strand, passes: list[Pass], by: Beside
    ) -> Iterator[Event]:
        level = gain(strand.gain_db) * gain(clip.gain_db)
        heard = list(self._heard(clip, strand, passes, by))
        first = min((h.at for h in heard), default=0)
        last = max((h.at + h.frames for h in heard), default=0)
        shape = ClipShape.of(self.project, clip, by, first, last)
        for one in heard:
            begins = shape.edges[0] if one.begins else one.comes
            ends = shape.edges[1] if one.ends else one.goes
            fade_in, fade_out, corners = shape.within(one.at, one.frames, begins, ends)
            event = Event(
                id=f"{clip.id}:{one.of.number}" + (f":{one.part}" if one.part else ""),
                track=clip.track,
                strand=strand.id,
                digest=one.plan.digest,
                at=one.at,
                start=one.at - one.of.zero + one.plan.lead_frames,
                frames=one.frames,
                gain=level,
                fade_in=fade_in,
                fade_out=fade_out,
                shape=corners,
            )
            yield event
            for bus, plan in one.of.parts[one.part].sent:
                if sent := _sent(event, bus, plan, one.of.zero):
                    yield sent

    def _frame(self, clip: Clip, strand: Strand, by: Beside) -> tuple[int, int]:
        """Song frames between which it plays: past its borders where it goes over there."""
        tempo, rate = self.project.tempo_map, self.project.rate
        end = clip.beat + self.project.length_of(clip, strand)
        return (
            tempo.frame_of_beat(clip.beat, rate) - round(by.comes.seconds * rate) // 2,
            tempo.frame_of_beat(end, rate) + (round(by.goes.seconds * rate) + 1) // 2,
        )

    def _passes(
        self, clip: Clip, strand: Strand, loop: Loop, by: Beside
    ) -> Iterator[Pass]:  # fmt: skip
        """The passes that a clip shows."""
        tempo, rate = self.project.tempo_map, self.project.rate
        start, end = self._frame(clip, strand, by)
        origin = clip.beat - clip.slip
        if strand.follows:
            begins, ends = clip.beat, clip.beat + self.project.length_of(clip, strand)
            if by.comes.seconds:
                begins = tempo.beat_of_second(start / rate)
            if by.goes.seconds:
                ends = tempo.beat_of_second(end / rate)
            first = math.floor((begins - origin) / strand.round_beats + SLACK)
            count = math.ceil((ends - origin) / strand.round_beats - SLACK)
            for k in range(first, count):
                beat = origin + k * strand.round_beats
                with contextlib.suppress(StretchError):
                    parts = self._parts(clip, strand, loop, beat)
                    yield Pass(k, tempo.frame_of_beat(beat, rate), parts)
            return
        with contextlib.suppress(StretchError):
            period = self._parts(clip, strand, loop, origin)[0].plan.body_frames
            zero = tempo.frame_of_beat(origin, rate)
            first = (start - zero) // period
            count = -(-(end - zero - 1) // period)
            for k in range(first, max(count, first + 1)):
                at = zero + k * period
                beat = tempo.beat_of_second(at / rate)
                yield Pass(k, at, self._parts(clip, strand, loop, beat))

    def _parts(self, clip: Clip, strand: Strand, loop: Loop, beat: float) -> tuple[PassPart, ...]:
        """A pass whose one lies on a beat, by the keys that it sounds in."""
        begin = beat - LONGEST_LEAD_BEATS
        moves = [begin]
        if strand.in_key:
            # What rings past its end was struck before the change, and stays as it was.
            last = beat + self.project.length_of(ONE_PASS, strand) - SLACK
            moves += self.project.key_map.breaks_between(begin, last, strand.in_key.along)
        frame_of = self.project.tempo_map.frame_of_beat
        return tuple(
            PassPart(frame_of(at, self.project.rate), *self._plan(clip, strand, loop, beat, at))
            for at in moves
        )

    def _plan(
        self, clip: Clip, strand: Strand, loop: Loop, beat: float, key_beat: float
    ) -> tuple[PassPlan, tuple[tuple[Bus, PassPlan], ...]]:
        base, shift, strokes = strand, clip.shift, None
        if moving := self._moving.get(clip.track):
            strand = moving.strand(strand, beat)
            shift += moving.shift(beat)
            strokes = moving.strokes(beat)
        placed = Placement.of(
            self.project, strand, loop, beat, shift, key_beat, clip.reverse, strokes
        )
        # What is in hand, or on the coil, may be heard otherwise than the strand of that id.
        is_own = strand is base and self._own.get(strand.id) is strand
        if not is_own:
            self._others[id(strand)] = strand
        key = strand.id if is_own else id(strand), placed.law
        if key not in self._plans:
            sent = ((bus, placed.sent(bus)) for bus in BUSES)
            self._plans[key] = placed.heard, tuple((bus, plan) for bus, plan in sent if plan)
        return self._plans[key]


def _sent(event: Event, bus: Bus, plan: PassPlan, zero: int) -> Event | None:
    """What slices send while an event sounds, as far as they do."""
    first, last = zero - plan.lead_frames, zero + plan.body_frames + plan.tail_frames
    skipped = max(0, first - event.at)
    frames = min(event.at + event.frames, last) - event.at - skipped
    if frames <= 0:
        return None
    return replace(
        event.within(skipped, frames),
        id=f"{event.id}>{bus}",
        track=send_id(event.track, bus),
        digest=plan.digest,
        start=event.at + skipped - first,
    )


def gain(level_db: float) -> float:
    """Linear gain of a level that may be all the way down."""
    return 0.0 if level_db <= QUIETEST_DB else gain_of_db(level_db)

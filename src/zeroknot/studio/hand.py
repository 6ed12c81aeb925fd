"""What is in hand? A strand, or a loop that is not a strand yet.

Taking a loop in hand makes a strand only when it is first changed or placed.
"""

import math
import uuid
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import StretchError
from zeroknot.core.listening.attack import SENSITIVITY, Attacks
from zeroknot.core.listening.reading import LONGEST_LOOP_SECONDS, Reading
from zeroknot.core.loop import Loop
from zeroknot.core.render.plan import LONGEST_LEAD_BEATS, RenderPlan, lead_and_tail, plan_pass
from zeroknot.core.stretch.auto import AUTO, Case, Choice, choose
from zeroknot.core.stretch.methods import NOTES
from zeroknot.core.timeline.metre_map import Metre
from zeroknot.core.timeline.tempo_map import FASTEST_BPM, SLOWEST_BPM, TempoMap
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.time_map import MOST_RATIO
from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.document.project import YARNS, Project, Strand, yarn_of
from zeroknot.store.loops import LoopStore

SURELY = 1.05  # times within the bounds of a stretch: no rounding reaches them
SHA_DIGITS = 64
SAME_TEMPO = 0.03
OWN_TIME_BPM = 120.0
KNOT_SETS = ("unstraightened", "ends")  # without the layer; with the zero knot and end knot alone
SAME_PULSE_SECONDS = 1e-6


@dataclass(frozen=True)
class Hand:
    """is_new: the strand is not in the project yet."""

    strand: Strand
    loop: Loop
    is_new: bool


def new_id() -> str:
    return uuid.uuid4().hex[:12]


def in_hand(project: Project, loops: LoopStore, name: str) -> Hand:
    """The strand of that id, the loop's own strand, or a strand as it would be made.

    name  a strand's id or a loop's SHA-256
    """
    if len(name) != SHA_DIGITS:
        strand = project.strand(name)
        return Hand(strand, loops.get(strand.loop), False)
    loop = loops.get(name)
    for strand in project.strands:
        if strand.loop == loop.sha:
            return Hand(strand, loop, False)
    return Hand(fresh_strand(project, loop), loop, True)


def fresh_strand(project: Project, loop: Loop) -> Strand:
    """A loop as a project first treats it: by its reading, or filling whole bars without one."""
    metre = project.metre_map.metre_at(1)
    reading = loop.reading
    if reading:
        warp = WarpMap.between(reading.downbeat_s, reading.end_s, beats_of(reading, metre))
        if loop.is_midi and reading == loop.hearing.best:
            warp = _with_tempo_changes(warp, loop.hearing.beats)
    else:
        warp = _unread(loop.seconds, metre.beats_per_bar, project.tempo_map.bpm_at(0.0))
    return Strand(
        id=new_id(),
        name=loop.name,
        loop=loop.sha,
        reading=reading,
        knots=warp.knots,
        yarn=_yarn(project, loop.sha),
    )


def _yarn(project: Project, sha: str) -> int:
    """The loop's own dye, or the next that no other loop of the project has."""
    taken = {s.yarn for s in project.strands if s.loop != sha}
    own = yarn_of(sha)
    return next((y % YARNS for y in range(own, own + YARNS) if y % YARNS not in taken), own)


def _with_tempo_changes(warp: WarpMap, beats: tuple[float, ...]) -> WarpMap:
    """A MIDI loop's own tempo events as knots, on the pulses where they make a difference.

    beats  seconds of its pulses
    """
    per_pulse = warp.span / len(beats)
    knots = [warp.zero]
    places = [*beats, warp.end.second]
    for i in range(1, len(beats)):
        bend = (places[i + 1] - places[i]) - (places[i] - places[i - 1])
        if abs(bend) > SAME_PULSE_SECONDS:
            knots.append(Knot(places[i], i * per_pulse))
    return WarpMap((*knots, warp.end))


def _unread(seconds: float, beats_per_bar: float, bpm: float) -> WarpMap:
    """A recording nobody can read: on whole bars; one under a bar as it is, on whole beats."""
    bars = round(seconds * bpm / 60.0 / beats_per_bar)
    if bars >= 1:
        return WarpMap.between(0.0, seconds, bars * beats_per_bar)
    beats = max(1, math.ceil(seconds * bpm / 60.0))
    return WarpMap.between(0.0, beats * 60.0 / bpm, beats)


def beats_of(reading: Reading, metre: Metre) -> float:
    """Quarter notes of one pass: the one place where a reading's pulses become beats.

    A reading that counts as many pulses a bar as the project's metre has its pulses; any other
    counts quarters.
    """
    return quarters_of(reading.pulses, reading.beats_per_bar, metre)


def quarters_of(pulses: int, pulses_per_bar: int, metre: Metre) -> float:
    """Quarter notes of so many pulses, as `beats_of` counts them."""
    same = pulses_per_bar == metre.pulses_per_bar
    return pulses * (metre.beats_per_pulse if same else 1.0)


def pulses_heard(strand: Strand, loop: Loop) -> NDArray[np.float64]:
    """Seconds of the pulses of a strand's reading, one after another, as they were played."""
    reading, warp = strand.reading, strand.base
    pulses = reading.pulses if reading else max(1, round(warp.span))
    period = warp.body_seconds / pulses
    beats = loop.hearing.beats
    if len(beats) > 2:
        heard = (beats[-1] - beats[0]) / (len(beats) - 1)
        is_followed = loop.is_midi or loop.seconds > LONGEST_LOOP_SECONDS
        if is_followed and abs(heard / period - 1) < SAME_TEMPO:
            return np.asarray(beats)
    return _followed(loop.hearing.attacks, period, max(loop.seconds, warp.end.second))


@lru_cache(maxsize=16)
def _followed(
    attacks: tuple[tuple[float, float, float], ...], period: float, until: float
) -> NDArray[np.float64]:
    from zeroknot.core.listening.beats import followed  # its compiler takes a while to load

    table = np.asarray([a for a in attacks if a[2] >= 1.0 - SENSITIVITY]).reshape(-1, 3)
    return followed(Attacks(table[:, 0], table[:, 1], table[:, 2]), period, until)


def with_other_knots(strand: Strand, which: str) -> Strand:
    """A strand with fewer of its knots: to hear what they do."""
    if which == "unstraightened":
        return strand.changed(straighten=None)
    ends = WarpMap((strand.base.zero, strand.base.end))
    return strand.changed(straighten=None, knots=ends.knots)


def plan_at(project: Project, strand: Strand, loop: Loop, beat: float) -> RenderPlan:
    """The plan of a strand's pass whose one lies on a beat of the project."""
    lead_from, tail_to = sounding_of(strand, loop)
    choice = stretch_of(project, strand, loop, beat)
    warp, tempo_map = strand.warp, project.tempo_map
    if not strand.follows:
        # As long as it was, whatever the project's tempo is: at any tempo, laid on as many beats.
        warp = warp.with_span(warp.body_seconds * OWN_TIME_BPM / 60.0)
        beat, tempo_map = 0.0, TempoMap.steady(OWN_TIME_BPM)
    return plan_pass(
        source=loop.sha,
        rate=project.rate,
        warp=warp,
        tempo_map=tempo_map,
        start_beat=beat,
        lead_from=lead_from,
        tail_to=tail_to,
        settings=choice.settings,
        method=choice.method,
        crossfade_s=crossfade_of(strand, loop),
    )


def why_silent(project: Project, strand: Strand, loop: Loop, beat: float) -> str | None:
    """Why a pass on a beat cannot be laid at the tempo there, so is not heard; None if it can."""
    if is_surely_laid(project, strand, beat):
        return None
    try:
        plan_at(project, strand, loop, beat)
    except StretchError as error:
        return f"{error}; {what_could_be_laid(project, strand, beat)}"
    return None


def what_could_be_laid(project: Project, strand: Strand, beat: float) -> str:
    """The spans at the tempo there and the tempos at its span that a strand can be laid at."""
    fewest, most = strand.paces
    if most > MOST_RATIO**2 * fewest:
        return "its knots lie too unevenly for any: move them"
    if not _is_steady_around(project, strand, beat):
        return "change its span, its knots or the tempo there"
    second = project.tempo_map.bpm_at(beat) / 60.0
    least = strand.span * second / (fewest * MOST_RATIO)
    longest = strand.span * second * MOST_RATIO / most
    slowest = max(SLOWEST_BPM, 60.0 * most / MOST_RATIO)
    fastest = min(FASTEST_BPM, 60.0 * fewest * MOST_RATIO)
    words = f"at {second * 60.0:g} BPM it can be laid on {inwards(least, longest)} beats"
    if slowest <= fastest:
        words += f", or as it is at {inwards(slowest, fastest)} BPM"
    return words


def inwards(least: float, most: float) -> str:
    """A range in words, of hundredths that lie within it, so that what is said can be typed."""
    return f"{math.ceil(least * 100) / 100:g} to {math.floor(most * 100) / 100:g}"


def is_surely_laid(project: Project, strand: Strand, beat: float) -> bool:
    """Is every stretch of a pass well within its bounds? Asked of every clip after every edit.

    False says nothing: the plan knows.
    """
    if not strand.follows:
        return True
    if not _is_steady_around(project, strand, beat):
        return False
    fewest, most = strand.paces
    second = project.tempo_map.bpm_at(beat) / 60.0
    return fewest / second > SURELY / MOST_RATIO and most / second < MOST_RATIO / SURELY


def _is_steady_around(project: Project, strand: Strand, beat: float) -> bool:
    first, last = beat - LONGEST_LEAD_BEATS - strand.span, beat + 3 * strand.span
    return project.tempo_map.is_steady_between(first, last)


def sounding_of(strand: Strand, loop: Loop) -> tuple[float, float]:
    """Seconds of the recording from which the lead sounds, and to which the tail does."""
    # A note past the end belongs to another pass and is not played: nothing ends the tail early.
    attacks = () if loop.is_midi else loop.hearing.attack_seconds()
    lead_from, tail_to = lead_and_tail(strand.warp, loop.hearing.sounding, attacks, strand.lead)
    return lead_from, strand.warp.end.second if crossfade_of(strand, loop) else tail_to


def crossfade_of(strand: Strand, loop: Loop) -> float:
    """Seconds of the recording over which a pass goes over into the next; notes have no seam."""
    return 0.0 if loop.is_midi else strand.crossfade_ms / 1000.0


def stretch_of(project: Project, strand: Strand, loop: Loop, beat: float) -> Choice:
    """The method and settings of a pass: as the strand says, or as Auto chooses."""
    if loop.is_midi:
        voice = strand.settings.voice or loop.claims.voice
        return Choice(NOTES.key, replace(strand.settings, voice=voice), "it is MIDI")
    if strand.method != AUTO:
        return Choice(strand.method, strand.settings, "")
    return choose(case_of(project, strand, loop, beat), strand.settings)


def case_of(project: Project, strand: Strand, loop: Loop, beat: float) -> Case:
    """What Auto and strain go by."""
    ratio = 1.0
    if strand.follows:
        frames = project.tempo_map.frame_of_beat
        body = frames(beat + strand.span, project.rate) - frames(beat, project.rate)
        ratio = body / project.rate / strand.warp.body_seconds
    return Case(
        sound=loop.hearing.sound,
        density=len(loop.hearing.attack_seconds()) / max(loop.seconds, 0.1),
        ratio=ratio,
        semitones=strand.settings.semitones,
    )

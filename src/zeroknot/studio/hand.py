"""What is in hand? A strand, or a loop that is not a strand yet.

Taking a loop in hand makes a strand only when it is first changed or placed.
"""

import math
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.groove.hit import Hit
from zeroknot.core.harmony.fit import HEARD, SAID
from zeroknot.core.harmony.profile import NO_TONES, Profile
from zeroknot.core.listening.attack import SENSITIVITY, Attacks
from zeroknot.core.listening.beats import followed
from zeroknot.core.listening.known_beats import beats_between
from zeroknot.core.listening.reading import LONGEST_LOOP_SECONDS, Reading
from zeroknot.core.listening.sound_kind import UNPITCHED
from zeroknot.core.loop import Loop
from zeroknot.core.timeline.metre_map import Metre
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.document.key import InKey
from zeroknot.document.offshoot import Offshoot
from zeroknot.document.project import Project
from zeroknot.document.stored import strand_value
from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.store.loops import LoopStore
from zeroknot.studio.known import (
    Begin,
    Compare,
    FindZeros,
    Listen,
    Measure,
    Read,
    as_they_are,
    no_tones,
    nothing_begun,
    nothing_compared,
    nothing_measured,
    nothing_read,
)

SHA_DIGITS = 64
ITSELF = "~"
LONGEST_HAND = SHA_DIGITS + len(ITSELF)  # of the names that something is in hand by
FOLLOWED_WITHIN = 0.03  # of the reading's pulse: then what was heard are its pulses
# Without the groove; without the straightening; with the zero knot and end knot alone.
KNOT_SETS = ("ungrooved", "unstraightened", "ends")
SAME_PULSE_SECONDS = 1e-6


def has_notes(strand: Strand, loop: Loop) -> bool:
    """Does it sound notes that have a say in harmony? Drums do not, nor do the hits of a mix."""
    return loop.sound not in UNPITCHED and strand.parts != "hits"


@dataclass(frozen=True)
class Hand:
    """is_new   the strand is not in the project yet
    measure  tells a loop's hits
    listen   tells how much each pitch class sounds in it
    begin    tells where its attacks begin
    compare  tells how unlike its pieces sound
    zeros    tells where it crosses zero
    score    tells the notes of a MIDI loop
    """

    strand: Strand
    loop: Loop
    is_new: bool
    measure: Measure = nothing_measured
    listen: Listen = no_tones
    begin: Begin = nothing_begun
    compare: Compare = nothing_compared
    zeros: FindZeros = as_they_are
    score: Read = nothing_read

    @property
    def shelved(self) -> str:
        """As of its strand."""
        return self.strand.shelved

    @property
    def hits(self) -> tuple[Hit, ...]:
        """Every hit of the loop: those that a groove of it goes by, or as they are measured."""
        laid = self.strand.groove
        return laid.hits if laid else self.measure(self.loop)

    @property
    def tones(self) -> Profile:
        """How much each pitch class sounds: as the strand follows the key by, or as is heard."""
        if not has_notes(self.strand, self.loop):
            return NO_TONES
        in_key = self.strand.in_key
        return in_key.profile if in_key else self.tones_anew

    @property
    def tones_anew(self) -> Profile:
        """The same as is heard now, whatever the strand follows the key by.

        Nothing is listened to again for that: what was not heard in sound (MIDI) stays as it came.
        """
        if not has_notes(self.strand, self.loop):
            return NO_TONES
        if self.loop.hearing.tones:
            return self.loop.hearing.tones
        in_key = self.strand.in_key
        return in_key.profile if in_key else self.listen(self.loop)

    @property
    def in_key_anew(self) -> InKey | None:
        """By what it would follow the key if it came into the song now."""
        before, found = self.strand.in_key, in_key_of(self.loop, self.tones_anew)
        if before is None or found is None:
            return found
        return found.changed(prefers=before.prefers, along=before.along and found.own is not None)


def new_id() -> str:
    return uuid.uuid4().hex[:12]


def in_hand(project: Project, loops: LoopStore, name: str) -> Hand:
    """The strand of that id, the loop's own strand, or a strand as it would be made.

    What was printed here is made again from its recordings: no stretch of a stretch.

    name  a strand's id, an offshoot's, or a loop's SHA-256; with ITSELF before it, the loop or the
          offshoot whatever the project has made of it
    """
    if name.startswith(ITSELF):
        strand = of_itself(project, loops, name[len(ITSELF) :])
        return Hand(strand, loops.get(strand.loop), True)
    if len(name) != SHA_DIGITS:
        strand, is_new = _named(project, name)
        return Hand(strand, loops.get(strand.loop), is_new)
    loop = loops.get(name)
    for strand in project.strands:
        if strand.shelved == loop.sha:
            return Hand(strand, loops.get(strand.loop), False)
    again = made_again(loop, loops)
    if again is not None:
        again = again.changed(yarn=project.dye_of(loop.sha))
        return Hand(again, loops.get(again.loop), True)
    return Hand(fresh_strand(project, loop), loop, True)


def of_itself(project: Project, loops: LoopStore, name: str) -> Strand:
    """A new strand of what an offshoot, a print or a loop is made by."""
    if project.grew(name):
        return _grown(project.offshoot(name)).changed(id=new_id())
    loop = loops.get(name)
    return made_again(loop, loops) or fresh_strand(project, loop)


def _named(project: Project, name: str) -> tuple[Strand, bool]:
    """The strand of that id, or the one that an offshoot is in the project; is it new there?"""
    if not project.grew(name):
        return project.strand(name), False
    grown = _grown(project.offshoot(name))
    there = next((s for s in project.strands if s.id == grown.id), None)
    return (grown, True) if there is None else (there, False)


def _grown(offshoot: Offshoot) -> Strand:
    return offshoot.strand.changed(name=offshoot.name, printed=offshoot.kept)


def made_again(loop: Loop, loops: LoopStore) -> Strand | None:
    """The strand that a print was made of, new; None where it is no print, or a recording of it is
    not here."""
    told = loop.recipe.made_by.get("strand") if loop.recipe else None
    if not isinstance(told, Mapping):
        return None
    try:
        strand = strand_value(told)
        _ = strand.warp, strand.played
    except (ZeroKnotError, ValueError):  # written by another version
        return None
    if not all(loops.has(sha) for sha in strand.sources):
        return None
    return strand.changed(
        id=new_id(), name=loop.name[:LONGEST_NAME], printed=loop.sha, follows=True, rounds=(),
    )  # fmt: skip


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
        yarn=project.dye_of(loop.sha),
    )


def in_key_of(loop: Loop, profile: Profile) -> InKey | None:
    """What a strand of a loop follows the key by; None where it has no notes."""
    if not any(profile):
        return None
    return InKey(profile=profile, key=loop.key, leeway=leeway_of(loop))


def leeway_of(loop: Loop) -> float:
    """How far its own key is gone by, as of `core.harmony.fit.shift_into`."""
    return HEARD if loop.key_from == "heard" else SAID


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
    is_take = loop.is_midi or loop.seconds > LONGEST_LOOP_SECONDS
    if is_take and len(beats) > 2:
        heard = (beats[-1] - beats[0]) / (len(beats) - 1)
        if abs(heard / period - 1) < FOLLOWED_WITHIN:
            return np.asarray(beats)
    until = max(loop.seconds, warp.end.second)
    if is_take:
        return _followed(loop.hearing.attacks, period, until)
    return _between(loop.hearing.attacks, warp.zero.second, warp.end.second, pulses, until)


Row = tuple[float, float, float]


@lru_cache(maxsize=16)
def _followed(attacks: tuple[Row, ...], period: float, until: float) -> NDArray[np.float64]:
    return followed(_usual(attacks), period, until)


@lru_cache(maxsize=16)
def _between(
    attacks: tuple[Row, ...], start: float, end: float, pulses: int, until: float
) -> NDArray[np.float64]:
    return beats_between(_usual(attacks), start, end, pulses, until)


def _usual(attacks: tuple[Row, ...]) -> Attacks:
    table = np.asarray([a for a in attacks if a[2] >= 1.0 - SENSITIVITY]).reshape(-1, 3)
    return Attacks(table[:, 0], table[:, 1], table[:, 2])


def with_other_knots(strand: Strand, which: str) -> Strand:
    """A strand with fewer of its knots: to hear what they do."""
    if which == "ungrooved":
        return strand.changed(groove=None)
    if which == "unstraightened":
        return strand.changed(straighten=None)
    ends = WarpMap((strand.base.zero, strand.base.end))
    return strand.changed(straighten=None, groove=None, knots=ends.knots)

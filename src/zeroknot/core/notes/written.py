"""Which notes does a MIDI loop play, once a person has changed them?

Conventions
-----------
- A note keeps the seconds of its recording, as cuts do: it stays where it is whatever tempo, groove
  or key become. It is edited in beats.
"""

import math
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace

from zeroknot.core.errors import SliceError
from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.listening.notes import SoundedNote
from zeroknot.core.slicing.limits import within
from zeroknot.core.warp.warp_map import WarpMap

MOST_NOTES = 20_000
MOST_PARTS = 64
LEAST_BEATS = 1 / 128
HIGHEST_PITCH = 127
USUAL_VELOCITY = 96
SECOND_DIGITS = 7


@dataclass(frozen=True)
class WrittenNote:
    """start, end  seconds of the recording
    pitch     MIDI note number
    velocity  1…127
    part      number of the part that plays it
    """

    start: float
    end: float
    pitch: int
    velocity: int = USUAL_VELOCITY
    part: int = 0

    def __post_init__(self) -> None:
        within("a note's begin in seconds", self.start, 0.0, 36_000.0)
        if not self.start < self.end <= 36_000.0:
            raise SliceError("a note ends after it begins")
        within("a pitch", self.pitch, 0, HIGHEST_PITCH)
        within("a velocity", self.velocity, 1, 127)
        within("a part", self.part, 0, MOST_PARTS - 1)


@dataclass(frozen=True)
class LaidNote:
    """The same in beats of a pass: `beat`, `beats` long."""

    beat: float
    beats: float
    pitch: int
    velocity: int = USUAL_VELOCITY
    part: int = 0


Notes = tuple[WrittenNote, ...]
Laid = tuple[LaidNote, ...]


@dataclass(frozen=True)
class Score:
    """What a MIDI file has written.

    notes  by their begin
    names  of its parts
    drums  numbers of those that play drums
    """

    notes: Notes
    names: tuple[str, ...]
    drums: frozenset[int]


def score_of(loop: MidiLoop) -> Score:
    """Everything written in it."""
    drums = frozenset(i for i, part in enumerate(loop.parts) if part.voice == "drums")
    return Score(notes_of(loop), tuple(part.name for part in loop.parts[:MOST_PARTS]), drums)


def notes_of(loop: MidiLoop) -> Notes:
    """As its file has them, by their begin."""
    found = (
        WrittenNote(n.start, max(n.end, n.start + 1e-4), n.pitch, n.velocity, number)
        for number, part in enumerate(loop.parts[:MOST_PARTS])
        for n in part.notes
    )
    return tuple(sorted(found, key=lambda n: (n.start, n.pitch, n.end)))


def with_notes(loop: MidiLoop, notes: Iterable[tuple[float, float, int, int, int]]) -> MidiLoop:
    """The loop with other notes on its parts. `notes` are the fields of WrittenNote, in order."""
    told = list(notes)
    parts = tuple(
        replace(part, notes=tuple(SoundedNote(*n[:4]) for n in told if n[4] == number))
        for number, part in enumerate(loop.parts)
    )
    return replace(loop, parts=parts)


def in_order(notes: Iterable[LaidNote]) -> Laid:
    """By their begin, the lower first."""
    return tuple(sorted(notes, key=lambda n: (round(n.beat, 6), n.pitch, n.beats)))


def in_beats(notes: Notes, warp: WarpMap) -> Laid:
    """Notes as they are laid."""
    return tuple(
        LaidNote(beat, warp.beat_of_second(n.end) - beat, n.pitch, n.velocity, n.part)
        for n in notes
        for beat in (warp.beat_of_second(n.start),)
    )


def in_seconds(notes: Laid, warp: WarpMap) -> Notes:
    """The other way round, by their begin; what lies before the recording begins with it."""
    found = []
    for n in notes:
        # What is laid on one beat is one moment, so that notes keep their order.
        start = round(max(0.0, warp.second_of_beat(n.beat)), SECOND_DIGITS)
        end = round(warp.second_of_beat(n.beat + n.beats), SECOND_DIGITS)
        found.append(WrittenNote(start, max(end, start + 1e-4), n.pitch, n.velocity, n.part))
    return tuple(sorted(found, key=lambda n: (n.start, n.pitch, n.end)))


def moved(
    notes: Laid, which: Collection[int], by: float, semitones: int, span: float, copies: bool
) -> Laid:
    """Some so many beats later and semitones higher, as far as all of them go.

    copies  what was there stays
    """
    chosen = [notes[i] for i in sorted(which)]
    if not chosen:
        return notes
    by = max(
        -min(n.beat for n in chosen), min(by, span - LEAST_BEATS - max(n.beat for n in chosen))
    )
    most = HIGHEST_PITCH - max(n.pitch for n in chosen)
    semitones = max(-min(n.pitch for n in chosen), min(semitones, most))
    there = [replace(n, beat=n.beat + by, pitch=n.pitch + semitones) for n in chosen]
    stay = [n for i, n in enumerate(notes) if copies or i not in which]
    return in_order([*stay, *there])


def changed(notes: Laid, which: Collection[int], **fields: float) -> Laid:
    """Some with another length in beats or velocity; each in its place."""
    return tuple(
        replace(n, **fields) if i in which else n  # type: ignore[arg-type]
        for i, n in enumerate(notes)
    )


def lengthened(notes: Laid, which: Collection[int], by: float) -> Laid:
    """Some longer by so many beats; none is shorter than can be heard."""
    return tuple(
        replace(n, beats=max(LEAST_BEATS, n.beats + by)) if i in which else n
        for i, n in enumerate(notes)
    )


def struck(notes: Laid, which: Sequence[int], first: float, last: float) -> Laid:
    """Velocities in a line from the first of those to the last, by where they begin."""
    chosen = sorted(which, key=lambda i: notes[i].beat)
    if not chosen:
        return notes
    start, stop = notes[chosen[0]].beat, notes[chosen[-1]].beat
    out = list(notes)
    for i in chosen:
        share = (notes[i].beat - start) / (stop - start) if stop > start else 1.0
        velocity = round(first + share * (last - first))
        out[i] = replace(notes[i], velocity=min(127, max(1, velocity)))
    return tuple(out)


def on_grid(notes: Laid, which: Collection[int], step: float, strength: float) -> Laid:
    """Some drawn to the nearest lines of a grid; each as long as it was.

    strength  0 as they are … 1 on the grid
    """
    return tuple(
        replace(n, beat=n.beat + strength * (math.floor(n.beat / step + 0.5) * step - n.beat))
        if i in which
        else n
        for i, n in enumerate(notes)
    )

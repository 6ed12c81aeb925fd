"""How does a plan over a MIDI loop become sound? Its notes are moved, transposed and played.

Conventions
-----------
- The axis is that of `run.Rendering`: axis frame = output frame + lead_frames.
- A note's start and end lie where the time map puts them; what it is played with does not stretch.
- What is still held or rings at the end of the body is the tail.
"""

import math
from bisect import bisect_right
from collections.abc import Iterator, Sequence

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.formats.midi import MidiLoop, MidiPart
from zeroknot.core.listening.notes import SoundedNote
from zeroknot.core.notes.written import with_notes
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.synth.kit import CHOKED
from zeroknot.core.synth.note import PlayedNote
from zeroknot.core.synth.sounding import lasts, sounded
from zeroknot.core.synth.voices import Floats, level_of, velocity_of
from zeroknot.core.units import frame, gain_of_db
from zeroknot.core.warp.time_map import TimeMap

EARLY_SECONDS = 0.012  # what is struck a moment before the one belongs to it
END_FADE_SECONDS = 0.005


class NotesRendering(InBlocks):
    """One plan over one MIDI loop, sounded as frames are asked for."""

    def __init__(self, loop: MidiLoop, plan: RenderPlan):
        self.plan = plan
        if plan.notes:
            loop = with_notes(loop, plan.notes)
        notes = [n for part in loop.parts for n in _played(part, plan)]
        self._notes = sorted(notes, key=lambda n: (n.at, n.voice, n.pitch))

    @property
    def notes(self) -> list[PlayedNote]:
        """All that it plays, on frames from the one, by where they begin."""
        return list(self._notes)

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self.plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [2, count]: axis frames from `first` on."""
        out = np.zeros((2, count), np.float64)
        begin = first - self.plan.lead_frames
        for note in self._notes:
            if note.at >= begin + count:
                break
            # What has rung out by then need not be made to sound again for every block.
            if note.at + lasts(note.voice, note.pitch, note.frames, self.plan.rate) <= begin:
                continue
            sound = sounded(note.voice, note.pitch, note.velocity, note.frames, self.plan.rate)
            a, b = max(begin, note.at), min(begin + count, note.at + sound.shape[1])
            if b > a:
                out[:, a - begin : b - begin] += sound[:, a - note.at : b - note.at]
        self._end(begin, out)
        return np.ascontiguousarray(out, np.float32)

    def _end(self, begin: int, out: np.ndarray) -> None:
        """The axis ends in silence, whatever would sound on."""
        end = self.plan.body_frames + self.plan.tail_frames
        fade = int(END_FADE_SECONDS * self.plan.rate)
        places = np.arange(max(begin, end - fade), min(begin + out.shape[1], end))
        if places.size:
            out[:, places - begin] *= 0.5 - 0.5 * np.cos(np.pi * (end - places - 0.5) / fade)


def _played(part: MidiPart, plan: RenderPlan) -> Iterator[PlayedNote]:
    """A part's notes on the frames of the output."""
    is_drums = part.voice == "drums"
    voice = part.voice if is_drums else plan.settings.voice or part.voice
    shift = 0.0 if is_drums else plan.semitones
    by_note = (0,) * 12 if is_drums or not plan.by_note else plan.by_note
    inside = [
        n for n in part.notes
        if plan.lead_from <= n.start < plan.end_second - EARLY_SECONDS
        or plan.zero_second - EARLY_SECONDS <= n.start < plan.zero_second
    ]  # fmt: skip
    if not inside:
        return
    # A hit just before the one is played on it; the same hit at the end belongs to the next pass.
    starts = np.asarray([n.start for n in inside])
    early = (starts < plan.zero_second) & (starts >= plan.zero_second - EARLY_SECONDS)
    starts = np.where(early & (starts < plan.lead_from), plan.zero_second, starts)
    at = [frame(x) for x in plan.time_map.output_of(starts).tolist()]
    lasting = _lasting(inside, starts, at, plan)
    held = _until_choked(part, [n.pitch for n in inside], at, plan) if is_drums else None
    for i, note in enumerate(inside):
        frames = held[i] if held else lasting[i]
        yield PlayedNote(
            at[i],
            frames,
            note.pitch + shift + by_note[note.pitch % 12],
            _struck(note.velocity, at[i], plan),
            voice,
        )


def _lasting(
    notes: Sequence[SoundedNote], starts: Floats, at: Sequence[int], plan: RenderPlan
) -> list[int]:
    """Frames until each note is let go."""
    ends = np.asarray([note.end for note in notes])
    if not plan.lengths_by:
        return [
            max(1, frame(e) - a) for e, a in zip(plan.time_map.output_of(ends), at, strict=True)
        ]
    by = TimeMap.of_points(plan.lengths_by)
    return [max(1, frame(x)) for x in (by.output_of(ends) - by.output_of(starts)).tolist()]


def _struck(velocity: int, at: int, plan: RenderPlan) -> int:
    """A velocity with the accent that holds at an output frame."""
    which = bisect_right(plan.gains, (at + 1, math.inf)) - 1
    if which < 0:
        return velocity
    return velocity_of(gain_of_db(plan.gains[which][1]) * level_of(velocity))


def _until_choked(
    part: MidiPart, numbers: Sequence[int], at: Sequence[int], plan: RenderPlan
) -> list[int]:
    """Frames until the next hit of the same pair of plates, round the circle; 1 for the rest."""
    hats = sorted({a for n, a in zip(numbers, at, strict=True) if n in CHOKED})
    found = []
    for number, place in zip(numbers, at, strict=True):
        if number not in CHOKED:
            found.append(1)
            continue
        later = bisect_right(hats, place)
        following = hats[later] if later < len(hats) else hats[0] + plan.body_frames
        found.append(max(1, following - place))
    return found

"""A groove as a MIDI file, and the other way round.

Conventions
-----------
- One note a step and register: 36 low, 38 middle, 42 high (bass drum, snare and closed hat of the
  General MIDI percussion key map); a groove whose registers are not told apart is on 42.
- Offsets are ticks at 960 a quarter note, accents velocities by 40 dB a decade round 64.
- One empty bar stands in front, so that what is early on the first downbeat has room.
- A text event says the grid. Other MIDI files are read, too: their grid is the likeliest, and their
  velocities count against the mean of their register.
"""

import io
import math
import re
from typing import BinaryIO

import mido

from zeroknot.core.errors import FormatError, GrooveError
from zeroknot.core.formats.midi import DRUM_CHANNEL, MidiLoop, read_midi
from zeroknot.core.groove.groove import (
    GRIDS,
    MOST_ACCENT_DB,
    MOST_BEATS,
    Groove,
    Played,
)
from zeroknot.core.groove.hit import Register
from zeroknot.core.groove.notes import struck_notes
from zeroknot.core.groove.take import grids_of, played_of, taken
from zeroknot.core.warp.warp_map import WarpMap

TICKS = 960  # a quarter note
NOTES: dict[Register, int] = {"low": 36, "middle": 38, "high": 42}
USUAL_VELOCITY = 64
USUAL_BEATS_PER_BAR = 4.0
SHORTEST_TICKS = 60
TOLD = re.compile(r"groove: (\d+) steps a quarter, (told apart|all together)")
EMPTY_SHARE = 0.7  # of a bar without a note at the beginning: it stands in front


def write_groove(groove: Groove, beats_per_bar: float = USUAL_BEATS_PER_BAR) -> bytes:
    """A MIDI file of format 0 that holds a groove once.

    beats_per_bar  quarter notes of the empty bar in front
    """
    bar = round(beats_per_bar * TICKS)
    rows = [(r, groove.of(r)) for r in groove.registers] or [("high", groove.steps)]
    events: list[tuple[int, int, mido.Message]] = []
    for register, steps in rows:
        for number, step in enumerate(steps):
            if not step.hits:
                continue
            at = bar + round((number + step.offset) / groove.per_beat * TICKS)
            velocity = round(USUAL_VELOCITY * 10.0 ** (step.accent_db / 40.0))
            said = {"channel": DRUM_CHANNEL, "note": NOTES[register]}
            velocity = min(127, max(1, velocity))
            events.append((at, 1, mido.Message("note_on", velocity=velocity, **said)))
            events.append((at + SHORTEST_TICKS, 0, mido.Message("note_off", **said)))
    how = "told apart" if groove.registers else "all together"
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=_plain(groove.name) or "groove"))
    track.append(mido.MetaMessage("text", text=f"groove: {groove.per_beat} steps a quarter, {how}"))
    quarters = round(beats_per_bar)
    if quarters == beats_per_bar:
        track.append(mido.MetaMessage("time_signature", numerator=quarters, denominator=4))
    now = 0
    for tick, _, event in sorted(events, key=lambda e: e[:2]):
        track.append(event.copy(time=tick - now))
        now = tick
    end = bar + round(groove.beats * TICKS)
    track.append(mido.MetaMessage("end_of_track", time=max(0, end - now)))
    out = io.BytesIO()
    mido.MidiFile(type=0, ticks_per_beat=TICKS, tracks=[track]).save(file=out)
    return out.getvalue()


def read_groove(file: BinaryIO, name: str = "") -> Groove:
    """The groove that a MIDI file holds.

    name  for one that has none
    Raises FormatError with a sentence that says why it holds none.
    """
    loop = read_midi(file)
    hits = struck_notes(loop)
    if not hits:
        raise FormatError("this MIDI file holds no notes that a groove could be taken from")
    said, called = _told(file)
    bar = loop.metre.beats_per_bar if loop.metre else USUAL_BEATS_PER_BAR
    whole = WarpMap.between(0.0, 1.0, loop.tempos[0][2] / 60.0)
    if len(loop.tempos) > 1:
        raise FormatError("the tempo changes within this MIDI file; bring it in as a loop instead")
    first = bar if whole.beat_of_second(hits[0].second) >= EMPTY_SHARE * bar else 0.0
    until = (
        max(loop.last_quarter, whole.beat_of_second(loop.seconds)) if said else loop.last_quarter
    )
    beats = max(1, math.ceil((until - first) / bar - 1e-6)) * bar
    if said:
        beats = max(1.0, round(until - first, 6))
    if beats > MOST_BEATS:
        raise FormatError(f"a groove has at most {MOST_BEATS} quarter notes, this has {beats:g}")
    try:
        if said is None:
            played = played_of(hits, whole, first, beats)
            per_beat = grids_of(played)[0].per_beat
        else:
            per_beat, played = said[0], _as_written(loop, whole, first)
        made = taken(played, per_beat, beats, name=called or name, origin="from a MIDI file")
    except GrooveError as error:
        raise FormatError(str(error)) from error
    if said and said[1] == "all together":
        made = made.with_rows({"low": (), "middle": (), "high": ()})
    return made


def _as_written(loop: MidiLoop, whole: WarpMap, first: float) -> tuple[Played, ...]:
    """Notes of a file that was written here, to the tick."""
    registers = {note: register for register, note in NOTES.items()}
    found = []
    for note in loop.drums:
        if note.pitch in registers:
            beat = round((whole.beat_of_second(note.start) - first) * TICKS) / TICKS
            accent = 40.0 * math.log10(note.velocity / USUAL_VELOCITY)
            accent = min(max(accent, -MOST_ACCENT_DB), MOST_ACCENT_DB)
            found.append(Played(beat, note.velocity / 127.0, registers[note.pitch], accent))
    return tuple(found)


def _told(file: BinaryIO) -> tuple[tuple[int, str] | None, str]:
    """The grid and whether registers are told apart, where the file says so; its name."""
    file.seek(0)
    said, name = None, ""
    for event in mido.merge_tracks(mido.MidiFile(file=file, clip=True).tracks):
        if event.type == "track_name" and not name:
            name = "".join(c for c in event.name if c.isprintable()).strip()[:300]
        if event.type == "text":
            match = TOLD.fullmatch(event.text)
            if match and int(match[1]) in GRIDS:
                said = int(match[1]), match[2]
    return said, name


def _plain(text: str) -> str:
    """A name as MIDI files hold it."""
    return text.encode("latin-1", "replace").decode("latin-1")

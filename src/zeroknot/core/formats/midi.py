"""Which notes does a MIDI file hold?

Source: Standard MIDI Files 1.0: tempo is microseconds a quarter note (500 000, or 120 BPM, where
none is given), a time signature's denominator a power of two. Parsing is mido's.
"""

import io
from dataclasses import dataclass
from typing import BinaryIO

import mido

from zeroknot.core.errors import FormatError
from zeroknot.core.harmony.key import Key, KeyNameError
from zeroknot.core.listening.notes import SoundedNote
from zeroknot.core.timeline.metre_map import DENOMINATORS, MOST_PULSES, Metre

DRUM_CHANNEL = 9
IDLE_MICROSECONDS = 500_000
LARGEST_BYTES = 16 * 1024 * 1024


@dataclass(frozen=True)
class MidiLoop:
    """notes     sounding ones by their start; seconds under the file's own tempo events
    drums     those of channel 10
    seconds       to the last event
    last_quarter  where the last note is let go, in quarter notes
    tempo_bpm     quarters a minute of the first tempo event; None where there is none
    metre, key    of the first such event; None where there is none
    """

    notes: tuple[SoundedNote, ...]
    drums: tuple[SoundedNote, ...]
    seconds: float
    last_quarter: float
    tempo_bpm: float | None
    metre: Metre | None
    key: str | None


def read_midi(file: BinaryIO) -> MidiLoop:
    """Every note of a format 0 or 1 file. Raises FormatError with a sentence that says why not."""
    file.seek(0)
    data = file.read(LARGEST_BYTES + 1)
    if len(data) > LARGEST_BYTES:
        raise FormatError("the MIDI file has over 16 MB; it cannot be a loop")
    try:
        midi = mido.MidiFile(file=io.BytesIO(data), clip=True)
        events = mido.merge_tracks(midi.tracks)
    except (OSError, EOFError, ValueError, IndexError, KeyError) as error:
        raise FormatError(
            "the file begins like MIDI but cannot be read: it is damaged or cut off"
        ) from error
    if midi.ticks_per_beat <= 0:
        raise FormatError("the MIDI file counts frames a second instead of beats; save it by beats")
    tempo, tick, second = IDLE_MICROSECONDS, 0, 0.0
    first_tempo: float | None = None
    metre: Metre | None = None
    key: str | None = None
    open_notes: dict[tuple[int, int], list[tuple[float, int]]] = {}
    found: list[tuple[bool, SoundedNote]] = []
    last_quarter = 0.0
    for event in events:
        tick += event.time
        second += mido.tick2second(event.time, midi.ticks_per_beat, tempo)
        if event.type == "set_tempo":
            tempo = event.tempo
            first_tempo = first_tempo or mido.tempo2bpm(tempo)
        elif event.type == "time_signature" and metre is None:
            if event.denominator in DENOMINATORS and 1 <= event.numerator <= MOST_PULSES:
                metre = Metre(event.numerator, event.denominator)
        elif event.type == "key_signature" and key is None:
            key = _key(event.key)
        elif event.type in ("note_on", "note_off"):
            which = event.channel, event.note
            if event.type == "note_on" and event.velocity > 0:
                open_notes.setdefault(which, []).append((second, event.velocity))
            elif open_notes.get(which):
                start, velocity = open_notes[which].pop(0)
                note = SoundedNote(start, max(second, start + 0.001), event.note, velocity)
                found.append((event.channel == DRUM_CHANNEL, note))
                last_quarter = tick / midi.ticks_per_beat
    for (channel, pitch), started in open_notes.items():  # never let go: they end with the file
        for start, velocity in started:
            note = SoundedNote(start, max(second, start + 0.001), pitch, velocity)
            found.append((channel == DRUM_CHANNEL, note))
    found.sort(key=lambda n: (n[1].start, n[1].pitch))
    return MidiLoop(
        notes=tuple(n for is_drum, n in found if not is_drum),
        drums=tuple(n for is_drum, n in found if is_drum),
        seconds=second,
        last_quarter=last_quarter or tick / midi.ticks_per_beat,
        tempo_bpm=first_tempo,
        metre=metre,
        key=key,
    )


def _key(text: str) -> str | None:
    try:
        return str(Key.parse(text))
    except KeyNameError:
        return None

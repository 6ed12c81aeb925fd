"""Which notes does a MIDI file hold?

Source: Standard MIDI Files 1.0: tempo is microseconds a quarter note (500 000, or 120 BPM, where
none is given), a time signature's denominator a power of two. Parsing is mido's.
"""

import io
from bisect import bisect_right
from collections import deque
from dataclasses import dataclass, field
from typing import BinaryIO

import mido

from zeroknot.core.errors import FormatError
from zeroknot.core.harmony.key import Key, KeyNameError
from zeroknot.core.listening.notes import SoundedNote
from zeroknot.core.synth.choose import voice_by_pitch, voice_said
from zeroknot.core.timeline.metre_map import DENOMINATORS, MOST_PULSES, Metre

DRUM_CHANNEL = 9
IDLE_MICROSECONDS = 500_000
SUSTAIN, PEDAL_DOWN = 64, 64  # controller, and the value from which the pedal is down
LARGEST_BYTES = 512 * 1024
MOST_NOTES = 20_000
LONGEST_WAIT = 0x0FFF_FFFF  # ticks from event to event, as the standard bounds them


@dataclass(frozen=True)
class MidiPart:
    """What one instrument plays.

    name     of the track; "" where it has none
    program  0…127; None where the file gives none
    voice    key in VOICES of what plays it here
    is_said  whether the file itself asks for that voice
    notes    sounding ones by their start; seconds under the file's own tempo events
    """

    name: str
    program: int | None
    voice: str
    is_said: bool
    notes: tuple[SoundedNote, ...]


@dataclass(frozen=True)
class MidiLoop:
    """parts         one an instrument, in the file's order
    seconds       to the last event
    last_quarter  where the last note is let go, in quarter notes
    tempo_bpm     quarters a minute of the first tempo event; None where there is none
    metre, key    of the first such event; None where there is none
    tempos        (quarter, second, quarters a minute) from where each tempo holds, rising
    """

    parts: tuple[MidiPart, ...]
    seconds: float
    last_quarter: float
    tempo_bpm: float | None
    metre: Metre | None
    key: str | None
    tempos: tuple[tuple[float, float, float], ...]

    def second_of_quarter(self, quarter: float) -> float:
        """When a moment counted in quarter notes is, under the file's own tempo events."""
        at = bisect_right(self.tempos, quarter, key=lambda tempo: tempo[0])
        from_quarter, second, bpm = self.tempos[at - 1]
        return second + (quarter - from_quarter) * 60.0 / bpm

    @property
    def notes(self) -> tuple[SoundedNote, ...]:
        """All that have a pitch, by their start."""
        return self._of(is_drums=False)

    @property
    def drums(self) -> tuple[SoundedNote, ...]:
        """Notes of the drum channel, by their start."""
        return self._of(is_drums=True)

    def _of(self, is_drums: bool) -> tuple[SoundedNote, ...]:
        found = (n for p in self.parts if (p.voice == "drums") == is_drums for n in p.notes)
        return tuple(sorted(found, key=lambda n: (n.start, n.pitch)))


@dataclass
class _Channel:
    """A channel of one track while it is read."""

    number: int
    track: str
    program: int | None = None
    is_held: bool = False  # by the pedal
    open: dict[int, deque[tuple[float, int]]] = field(default_factory=dict)
    let_go: list[tuple[int, float, int]] = field(default_factory=list)  # under the pedal
    notes: list[SoundedNote] = field(default_factory=list)

    def end(self, pitch: int, start: float, velocity: int, second: float) -> None:
        self.notes.append(SoundedNote(start, max(second, start + 0.001), pitch, velocity))

    def pedal_up(self, second: float) -> None:
        self.is_held = False
        for pitch, start, velocity in self.let_go:
            self.end(pitch, start, velocity, second)
        self.let_go.clear()


def read_midi(file: BinaryIO) -> MidiLoop:
    """Every note of a format 0 or 1 file. Raises FormatError with a sentence that says why not."""
    file.seek(0)
    data = file.read(LARGEST_BYTES + 1)
    if len(data) > LARGEST_BYTES:
        raise FormatError("the MIDI file has over 512 kB; it cannot be a loop")
    try:
        midi = mido.MidiFile(file=io.BytesIO(data), clip=True)
        events = _in_time_order(midi)
    except Exception as error:  # mido has no bounds on what it raises for bytes that are none
        raise FormatError(
            "the file begins like MIDI but cannot be read: it is damaged or cut off"
        ) from error
    if midi.type == 2:
        raise FormatError(
            "this MIDI file holds independent patterns (format 2); save it as format 0 or 1"
        )
    if midi.ticks_per_beat <= 0:
        raise FormatError("the MIDI file counts frames a second instead of beats; save it by beats")
    tempo, tick, second = IDLE_MICROSECONDS, 0, 0.0
    first_tempo: float | None = None
    metre: Metre | None = None
    key: str | None = None
    channels: dict[tuple[int, int], _Channel] = {}
    tracks: dict[int, str] = {}
    last_quarter = 0.0
    tempos = [(0.0, 0.0, mido.tempo2bpm(tempo))]
    for at, track, event in events:
        second += mido.tick2second(at - tick, midi.ticks_per_beat, tempo)
        tick = at
        if event.type == "set_tempo":
            tempo = event.tempo or tempo  # of no length a beat cannot be
            quarter = tick / midi.ticks_per_beat
            if tempos[-1][0] == quarter:  # of two at once the last one holds
                tempos.pop()
            tempos.append((quarter, second, mido.tempo2bpm(tempo)))
            first_tempo = first_tempo or mido.tempo2bpm(tempo)
        elif event.type == "time_signature" and metre is None:
            if event.denominator in DENOMINATORS and 1 <= event.numerator <= MOST_PULSES:
                metre = Metre(event.numerator, event.denominator)
        elif event.type == "key_signature" and key is None:
            key = _key(event.key)
        elif event.type == "track_name":
            tracks.setdefault(track, "".join(c for c in event.name if c.isprintable()).strip())
        elif event.type in ("program_change", "control_change", "note_on", "note_off"):
            which = track, event.channel
            channel = channels.setdefault(which, _Channel(event.channel, tracks.get(track, "")))
            if _tell(channel, event, second):
                last_quarter = tick / midi.ticks_per_beat
    for channel in channels.values():  # never let go: they end with the file
        channel.pedal_up(second)
        for pitch, started in channel.open.items():
            for start, velocity in started:
                channel.end(pitch, start, velocity, second)
    count = sum(len(channel.notes) for channel in channels.values())
    if count > MOST_NOTES:
        raise FormatError(
            f"the MIDI file holds {count} notes, over {MOST_NOTES}; cut a loop out of it first"
        )
    return MidiLoop(
        parts=tuple(_part(c) for c in channels.values() if c.notes),
        seconds=second,
        last_quarter=last_quarter or tick / midi.ticks_per_beat,
        tempo_bpm=first_tempo,
        metre=metre,
        key=key,
        tempos=tuple(tempos),
    )


def _in_time_order(midi: mido.MidiFile) -> list[tuple[int, int, mido.Message]]:
    """(time in ticks, number of the track, event), rising; as written where times are equal."""
    found = []
    for number, track in enumerate(midi.tracks):
        tick = 0
        for event in track:
            if event.time > LONGEST_WAIT:
                raise ValueError("a wait between two events has more than four bytes")
            tick += event.time
            found.append((tick, number, event))
    return sorted(found, key=lambda e: e[0])


def _tell(channel: _Channel, event: mido.Message, second: float) -> bool:
    """One event of a channel; whether a key was let go."""
    if event.type == "program_change":
        if channel.program is None:
            channel.program = event.program
    elif event.type == "control_change":
        if event.control == SUSTAIN:
            if event.value >= PEDAL_DOWN:
                channel.is_held = True
            else:
                channel.pedal_up(second)
    elif event.type == "note_on" and event.velocity > 0:
        channel.open.setdefault(event.note, deque()).append((second, event.velocity))
    elif channel.open.get(event.note):
        start, velocity = channel.open[event.note].popleft()
        if channel.is_held:
            channel.let_go.append((event.note, start, velocity))
        else:
            channel.end(event.note, start, velocity, second)
        return True
    return False


def _part(channel: _Channel) -> MidiPart:
    notes = tuple(sorted(channel.notes, key=lambda n: (n.start, n.pitch)))
    said = voice_said(channel.program, channel.number == DRUM_CHANNEL, channel.track)
    voice = said or voice_by_pitch([n.pitch for n in notes])
    return MidiPart(channel.track, channel.program, voice, said is not None, notes)


def _key(text: str) -> str | None:
    try:
        return str(Key.parse(text))
    except KeyNameError:
        return None

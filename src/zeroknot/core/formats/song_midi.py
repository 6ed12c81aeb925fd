"""Notes of a song as a MIDI file: one track each, behind one with the tempo and the metres.

Source: Standard MIDI Files 1.0, format 1; drums are on channel 10, as General MIDI has them.
"""

import io
from collections.abc import Sequence

import mido

from zeroknot.core.formats.midi import DRUM_CHANNEL
from zeroknot.core.formats.midi_tempo import TICKS, write_time
from zeroknot.core.synth.note import PlayedNote
from zeroknot.core.timeline.metre_map import MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap

CHANNELS = [c for c in range(16) if c != DRUM_CHANNEL]
HIGHEST = 127


def write_song(
    tempo_map: TempoMap,
    metre_map: MetreMap,
    rate: int,
    end_beat: float,
    tracks: Sequence[tuple[str, Sequence[PlayedNote]]],
) -> bytes:
    """A MIDI file of format 1.

    tracks  name and notes, on song frames at so many a second; cents are rounded away
    """
    file = mido.MidiFile(file=io.BytesIO(write_time(tempo_map, metre_map, end_beat)))
    for number, (name, notes) in enumerate(tracks):
        told: list[tuple[int, int, mido.Message]] = []
        for note in notes:
            start, stop = (
                max(0, round(tempo_map.beat_of_second(frame / rate) * TICKS))
                for frame in (note.at, note.at + note.frames)
            )
            is_drum = note.voice == "drums"
            channel = DRUM_CHANNEL if is_drum else CHANNELS[number % len(CHANNELS)]
            pitch = min(HIGHEST, max(0, round(note.pitch)))
            on = mido.Message("note_on", channel=channel, note=pitch, velocity=note.velocity)
            off = mido.Message("note_off", channel=channel, note=pitch)
            told += [(start, 1, on), (max(start + 1, stop), 0, off)]
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=_latin(name))])
        now = 0
        for tick, _, message in sorted(told, key=lambda e: e[:2]):
            track.append(message.copy(time=tick - now))
            now = tick
        end = max(0, round(end_beat * TICKS) - now)
        track.append(mido.MetaMessage("end_of_track", time=end))
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _latin(name: str) -> str:
    """As a MIDI file can hold it."""
    return name.encode("latin-1", "replace").decode("latin-1")

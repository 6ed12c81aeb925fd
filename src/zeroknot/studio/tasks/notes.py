"""What a song's MIDI tracks play, as a MIDI file."""

import json
from dataclasses import replace
from functools import partial
from pathlib import Path

from zeroknot.core.formats.song_midi import write_song
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.notes_of import notes_of
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.reverse import ReversePlan
from zeroknot.core.synth.note import PlayedNote
from zeroknot.core.timeline.metre_map import Metre, MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.studio.tasks.sources import midi_of

EARLY_FRAMES = 64  # a note so little before its pass begins is in it


def song_midi(folder: Path, told: str) -> bytes:
    """A MIDI file of format 1 of what `song_notes` told."""
    song = json.loads(told)
    notes = {}
    for digest, text in song["plans"].items():
        plan = plan_of_text(text)
        assert isinstance(plan, RenderPlan | OrderPlan | ReversePlan)
        notes[digest] = notes_of(plan, partial(midi_of, folder))
    tracks = []
    for name, played in song["tracks"]:
        found: list[PlayedNote] = []
        for digest, zero, first, end in played:
            for note in notes[digest]:
                at = zero + note.at
                if first - EARLY_FRAMES <= at < end:
                    frames = max(1, min(note.frames, end - at))
                    found.append(replace(note, at=at, frames=frames))
        tracks.append((name, sorted(found, key=lambda n: (n.at, n.pitch))))
    tempo = TempoMap(tuple(TempoPoint(**point) for point in song["tempo"]))
    metres = MetreMap(tuple(MetreChange(bar, Metre.parse(m)) for bar, m in song["metres"]))
    return write_song(tempo, metres, song["rate"], song["end"], tracks)

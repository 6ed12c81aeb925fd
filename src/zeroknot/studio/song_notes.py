"""The notes of a song's MIDI tracks: told as JSON when a mix is ordered, written as it is made."""

import json
from dataclasses import asdict

from zeroknot.document.project import Project
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import SongRange


def song_notes(project: Project, maker: SheetMaker, where: SongRange) -> str:
    """What the MIDI tracks of a stretch play, to be written by `tasks.notes.song_midi`; "" where
    there is none."""
    first, end = where.frames(project)
    clips = {clip.id for clip in where.clips(project)}
    plans: dict[str, str] = {}
    tracks = []
    for track in project.tracks:
        played = []
        for clip in project.clips_on(track.id):
            laid = maker.laid.get(clip.id)
            if laid is None or clip.id not in clips or not laid.loop.is_midi:
                continue
            for event in laid.events:
                plan = maker.plans[event.digest]
                plans[event.digest] = plan.text
                zero = event.at - event.start + plan.lead_frames
                stop = min(event.at + event.frames, end)
                played.append((event.digest, zero, max(first, event.at), stop))
        if played:
            tracks.append((track.name, played))
    if not tracks:
        return ""
    return json.dumps({
        "rate": project.rate,
        "tempo": [asdict(point) for point in project.tempo],
        "metres": [(change.bar, str(change.metre)) for change in project.metres],
        "end": where.end,
        "plans": plans,
        "tracks": tracks,
    })  # fmt: skip

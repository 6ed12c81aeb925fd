"""How much does each pitch class sound in a loop? Measured once, then read from the cache."""

import json
from pathlib import Path

from zeroknot.core.harmony.profile import Profile
from zeroknot.core.harmony.tones import VERSION, profile_of, profile_of_notes
from zeroknot.store.audio_store import AudioStore, write_whole
from zeroknot.studio.tasks.sources import decoded, midi_of


def tones_of(folder: Path, sha: str) -> Profile:
    """Twelve shares, C first; all 0 where nothing has a pitch."""
    midi = midi_of(folder, sha)
    if midi:
        return profile_of_notes(midi)
    place = AudioStore(folder).cache / "tones" / sha[:2] / f"{sha}-{VERSION}.json"
    if not place.exists():
        write_whole(place, json.dumps(profile_of(decoded(folder, sha))).encode())
    return tuple(json.loads(place.read_bytes()))

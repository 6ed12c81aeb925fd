"""Which hits does a loop have? Measured once, then read from the cache."""

import json
from pathlib import Path

from zeroknot.core.groove.hit import Hit
from zeroknot.core.groove.measure import VERSION, measured
from zeroknot.core.groove.notes import struck_notes
from zeroknot.core.listening.attacks import VERSION as ATTACKS_VERSION
from zeroknot.store.audio_store import AudioStore, write_whole
from zeroknot.studio.tasks.sources import attacks_of, decoded, midi_of


def hits_of(folder: Path, sha: str) -> tuple[Hit, ...]:
    """Every hit of a loop, in order."""
    midi = midi_of(folder, sha)
    if midi:
        return struck_notes(midi)
    name = f"{sha}-{ATTACKS_VERSION}-{VERSION}.json"
    place = AudioStore(folder).cache / "hits" / sha[:2] / name
    if not place.exists():
        write_whole(
            place, json.dumps(measured(decoded(folder, sha), attacks_of(folder, sha))).encode()
        )
    return tuple(Hit(*hit) for hit in json.loads(place.read_bytes()))

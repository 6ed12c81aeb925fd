"""Where do the attacks of a recording begin? Measured once, then read from the cache."""

from pathlib import Path

import numpy as np

from zeroknot.core.slicing.onset import BEFORE_SECONDS, begins
from zeroknot.store.audio_store import AudioStore, write_whole
from zeroknot.studio.tasks.sources import attacks_of, decoded

VERSION = 1
LONGEST_SECONDS = 600.0  # of a recording in which that is looked for
LEAST_SURE = 0.03


def begun_in(folder: Path, sha: str) -> tuple[tuple[float, float], ...]:
    """(second at which it is cut, how sure the attack is) of each attack, by their seconds."""
    place = AudioStore(folder).cache / "begun" / sha[:2] / f"{sha}-{VERSION}"
    if not place.exists():
        attacks = attacks_of(folder, sha)
        attacks = attacks.taken(attacks.sureness >= LEAST_SURE)
        sound = decoded(folder, sha)
        seconds = attacks.seconds - BEFORE_SECONDS
        if sound.seconds <= LONGEST_SECONDS:
            seconds = begins(sound, attacks.seconds)
        write_whole(place, np.stack([seconds, attacks.sureness], axis=1).tobytes())
    table = np.frombuffer(place.read_bytes()).reshape(-1, 2)
    return tuple((float(second), float(sure)) for second, sure in table)

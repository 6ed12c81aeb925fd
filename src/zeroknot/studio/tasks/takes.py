"""Where in a take are loops, and how do their seams sound?"""

from functools import lru_cache
from pathlib import Path

import numpy as np

from zeroknot.core.listening.picture import COARSE, picture_of
from zeroknot.core.listening.seams import (
    FoundLoop,
    TakePicture,
    at_zero_crossing,
    loops_in,
    seam_of,
)
from zeroknot.core.render.seam import Seam, crossfaded_end, seam_between
from zeroknot.core.units import frame
from zeroknot.store.audio_store import AudioStore, write_whole
from zeroknot.store.cache import note_use
from zeroknot.studio.tasks.sources import attacks_of, decoded, source_at

PICTURE_VERSION = 1  # of a take's picture in the cache


def loops_in_take(
    folder: Path, sha: str, pulses: tuple[float, ...], first_bar: int, per_bar: int
) -> tuple[FoundLoop, ...]:
    """Loops that a take holds, best first."""
    picture = take_picture(folder, sha)
    return loops_in(picture, attacks_of(folder, sha), np.asarray(pulses), first_bar, per_bar)


def edges_of_range(
    folder: Path, sha: str, rate: int, start_s: float, end_s: float
) -> tuple[tuple[float, float], float]:
    """Both edges at the nearest rise through zero, and how the seam sounds."""
    sound = source_at(folder, sha, rate)
    crossing = at_zero_crossing(sound, start_s), at_zero_crossing(sound, end_s)
    return crossing, seam_of(take_picture(folder, sha), start_s, end_s)


def seams_of_pass(
    folder: Path, sha: str, rate: int, start_s: float, end_s: float, tail_to: float,
    crossfade_s: float,
) -> tuple[Seam, Seam]:  # fmt: skip
    """The seam as recorded, and as it is crossfaded.

    tail_to  second to which it rings on past its end
    """
    sound = source_at(folder, sha, rate)
    start, end = frame(start_s * rate), frame(end_s * rate)
    recorded = seam_between(sound.samples, start, end, rate, frame(tail_to * rate) - end)
    if not crossfade_s:
        return recorded, recorded
    ending = crossfaded_end(sound.samples, start, end, frame(crossfade_s * rate))
    heard = seam_between(sound.samples, start, end, rate, ending=ending)
    return recorded, heard


@lru_cache(maxsize=4)
def take_picture(folder: Path, sha: str) -> TakePicture:
    """What a take looks like from afar, made once and kept."""
    place = AudioStore(folder).cache / "takes" / sha[:2] / f"{sha}-{PICTURE_VERSION}"
    if not place.exists():
        picture = picture_of(decoded(folder, sha))
        head = np.asarray([COARSE * picture.hop_seconds, picture.colours.shape[1]], np.float32)
        write_whole(place, head.tobytes() + picture.colours.tobytes())
    note_use(place)
    table = np.frombuffer(place.read_bytes(), np.float32)
    return TakePicture(table[2:].reshape(-1, int(table[1])), float(table[0]))

"""What does a recording look like?"""

from pathlib import Path

from zeroknot.core.audio import Audio
from zeroknot.core.overview import PEAK_BINS, peaks
from zeroknot.store.audio_store import peaks_path, write_whole
from zeroknot.studio.tasks.sources import decoded


def write_source_peaks(folder: Path, sha: str) -> None:
    """Peaks of a recording at its own rate, into the cache."""
    write_peaks(folder, sha, decoded(folder, sha))


def write_peaks(folder: Path, sha: str, sound: Audio) -> None:
    for frames_per_bin in PEAK_BINS:
        place = peaks_path(folder, sha, frames_per_bin)
        write_whole(place, peaks(sound, frames_per_bin).tobytes())

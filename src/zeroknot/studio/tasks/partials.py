"""What sounds at each moment of a loop? Measured once, then read from the cache."""

import io
from pathlib import Path

import numpy as np

from zeroknot.core.harmony.clash import VERSION, Partials, partials_of
from zeroknot.core.listening.chroma import spectral_peaks
from zeroknot.store.audio_store import AudioStore, write_whole
from zeroknot.studio.tasks.sources import decoded


def partials_in(folder: Path, sha: str) -> Partials:
    """The strongest partials of each moment."""
    place = AudioStore(folder).cache / "partials" / sha[:2] / f"{sha}-{VERSION}.npz"
    if not place.exists():
        found = partials_of(spectral_peaks(decoded(folder, sha)))
        data = io.BytesIO()
        np.savez(
            data, notes=found.notes, amplitudes=found.amplitudes, hop=np.asarray(found.hop_seconds)
        )
        write_whole(place, data.getvalue())
    with np.load(io.BytesIO(place.read_bytes())) as kept:
        return Partials(kept["notes"], kept["amplitudes"], float(kept["hop"]))

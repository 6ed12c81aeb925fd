"""Rendered loops that several benchmarks use."""

from pathlib import Path

import numpy as np
import soundfile

from zeroknot.core.audio import Audio

LOOPS = Path(__file__).resolve().parents[1] / "tests" / "fixtures"
SECONDS = 8.0


def eight_seconds(name: str) -> Audio:
    """A rendered stereo loop, repeated to eight seconds."""
    samples, rate = soundfile.read(LOOPS / f"{name}.flac", dtype="float32", always_2d=True)
    frames = round(SECONDS * rate)
    rounds = -(-frames // samples.shape[0])
    return Audio(np.ascontiguousarray(np.tile(samples, (rounds, 1))[:frames].T), rate)

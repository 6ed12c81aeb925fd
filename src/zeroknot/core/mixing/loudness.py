"""How loud is a sound to the ear?

ITU-R BS.1770 integrated loudness (by pyloudnorm); where a sound is shorter than one gating block
of 0.4 s, its RMS level on the same scale.
"""

import warnings

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.units import SILENCE_DB

BLOCK_SECONDS = 0.4
SINE_OFFSET_DB = 0.691  # BS.1770: added so that a full-scale 997 Hz sine on one channel reads −3.01


def loudness(samples: Samples, rate: int) -> float:
    """LUFS of samples [channels, frames]; −120 for silence."""
    if samples.shape[1] < BLOCK_SECONDS * rate + 1:
        power = float(np.square(samples, dtype=np.float64).mean(axis=1).sum())
        return max(SILENCE_DB, 10 * np.log10(power) - SINE_OFFSET_DB) if power > 0 else SILENCE_DB
    import pyloudnorm  # brings much of SciPy along: only where loudness is asked for

    meter = pyloudnorm.Meter(rate, block_size=BLOCK_SECONDS)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # silence has no loudness and says so
        value = float(meter.integrated_loudness(samples.T.astype(np.float64)))
    return value if np.isfinite(value) else SILENCE_DB

"""How does a sound become whole numbers of few bits without distortion?

By noise of triangular density, two steps wide, added before rounding: the error then is noise of
constant power, whatever the sound (Lipshitz, Wannamaker and Vanderkooy, "Quantization and dither: a
theoretical survey", JAES 40, 1992). The noise is drawn by a seed: the same sound, the same file.
"""

import numpy as np

from zeroknot.core.audio import Samples

SEED = 0x5EED


class Dither:
    """bits  of the whole numbers, 2 … 24"""

    def __init__(self, bits: int, seed: int = SEED):
        self._scale = float(2 ** (bits - 1))
        self._rng = np.random.default_rng(seed)

    def feed(self, sound: Samples) -> Samples:
        """More of it, on the steps of those bits: float32 [channels, n], −1 … under 1."""
        noise = self._rng.random(sound.shape) - self._rng.random(sound.shape)
        steps = np.rint(sound.astype(np.float64) * self._scale + noise)
        steps = np.clip(steps, -self._scale, self._scale - 1)
        return np.asarray(steps / self._scale, np.float32)

"""How is a sound panned? By equal power, as Web Audio's StereoPannerNode does.

Source: Web Audio API, W3C Recommendation (2021), "StereoPanner algorithm". What has one channel is
first taken as the same on both, so that in the middle nothing changes.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples


def panned(sound: Samples, pan: float | NDArray[np.float64], channels: int) -> Samples:
    """float32 [channels, n]

    sound     float32 [1 or 2, n]
    pan       −1 left … 1 right: one, or float64 [n]
    channels  of what is given: 1 only where nothing is panned
    """
    if channels == 1:
        return sound[:1]
    left, right = (sound[0], sound[-1])
    if isinstance(pan, float) and not pan:
        return np.stack([left, right])
    is_left = np.asarray(pan) <= 0.0
    angle = np.where(is_left, np.asarray(pan) + 1.0, pan) * (np.pi / 2)
    sine, cosine = np.sin(angle).astype(np.float32), np.cos(angle).astype(np.float32)
    return np.stack(
        [
            np.where(is_left, left + right * cosine, left * cosine),
            np.where(is_left, right * sine, right + left * sine),
        ]
    ).astype(np.float32)

"""How is a sound panned? By equal power, as Web Audio's StereoPannerNode does.

Source: Web Audio API, W3C Recommendation (2021), "StereoPanner algorithm". What has one channel is
first taken as the same on both, so that in the middle nothing changes.
"""

import math

import numpy as np

from zeroknot.core.audio import Samples


def panned(sound: Samples, pan: float, channels: int) -> Samples:
    """float32 [channels, n]

    sound     float32 [1 or 2, n]
    pan       −1 left … 1 right
    channels  of what is given: 1 only where nothing is panned
    """
    if channels == 1:
        return sound[:1]
    left, right = (sound[0], sound[-1])
    if not pan:
        return np.stack([left, right])
    angle = (pan + 1.0 if pan < 0 else pan) * math.pi / 2
    kept, crossed = np.float32(math.sin(angle)), np.float32(math.cos(angle))
    if pan < 0:
        return np.stack([left + right * crossed, right * kept])
    return np.stack([left * crossed, right + left * kept])

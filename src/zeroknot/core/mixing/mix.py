"""How do the events of a sheet sound together?

The sums are those of the browser's gain nodes: an event's render times its fades and gain, summed
on its track, times the track's gain, summed, times the master's. A mono render sounds the same on
both sides.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.sheet import Sheet

ReadRender = Callable[[str, int, int], Samples]


def mix(sheet: Sheet, read: ReadRender, first: int, frames: int) -> Samples:
    """Song frames first…first + frames of the whole arrangement.

    read     (digest, axis frame, count) to float32 [channels, count]
    returns  float32 [2, frames]
    """
    gains = {t.id: t.gain for t in sheet.tracks}
    out = np.zeros((2, frames))
    for event in sheet.events:
        a, b = max(first, event.at), min(first + frames, event.at + event.frames)
        gain = gains.get(event.track, 0.0) * event.gain * sheet.master
        if b <= a or gain == 0.0:
            continue
        sound = read(event.digest, event.start + a - event.at, b - a)
        shape = envelope(event.frames, event.fade_in, event.fade_out, a - event.at, b - a)
        out[:, a - first : b - first] += sound * (gain * shape)
    return out.astype(np.float32)


def envelope(
    frames: int, fade_in: int, fade_out: int, first: int, count: int
) -> NDArray[np.float64]:
    """Linear fades at both ends of so many frames: float64 [count], from its `first` on."""
    at = np.arange(first, first + count, dtype=np.float64)
    shape = np.ones(count)
    if fade_in:
        shape *= np.clip(at / fade_in, 0.0, 1.0)
    if fade_out:
        shape *= np.clip((frames - at) / fade_out, 0.0, 1.0)
    return shape

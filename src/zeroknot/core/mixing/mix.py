"""How do the events of a sheet sound together?

The sums are those of the browser's gain nodes: an event's render times its fades and gain, summed
on its track, times the track's gain, summed, times the master's. A mono render sounds the same on
both sides.
"""

from collections.abc import Callable

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.sheet import Event, Sheet

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
        out[:, a - first : b - first] += sound * (gain * _envelope(event, a - event.at, b - a))
    return out.astype(np.float32)


def _envelope(event: Event, first: int, count: int) -> np.ndarray:
    at = np.arange(first, first + count, dtype=np.float64)
    envelope = np.ones(count)
    if event.fade_in:
        envelope *= np.clip(at / event.fade_in, 0.0, 1.0)
    if event.fade_out:
        envelope *= np.clip((event.frames - at) / event.fade_out, 0.0, 1.0)
    return envelope

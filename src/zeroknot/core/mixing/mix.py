"""How do the events of a sheet sound together?

The sums are those of the browser's gain nodes: an event's render times its fades and gain, summed
on its track, times the track's gain, summed, times the master's. A mono render sounds the same on
both sides.
"""

from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.shape import Corners, along
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
        shape = envelope(event, a - event.at, b - a)
        out[:, a - first : b - first] += sound * (gain * shape)
    return out.astype(np.float32)


class Shaped(Protocol):
    """What comes and goes: an event, or what a plan has placed."""

    @property
    def frames(self) -> int:
        """How long it is."""

    @property
    def fade_in(self) -> int:
        """Frames over which it comes."""

    @property
    def fade_out(self) -> int:
        """Frames over which it goes."""

    @property
    def shape(self) -> Corners:
        """What it is turned up and down by beside that."""


def envelope(of: Shaped, first: int, count: int) -> NDArray[np.float64]:
    """Fades and shape of something: float64 [count], from its frame `first` on."""
    at = np.arange(first, first + count, dtype=np.float64)
    level = along(of.shape, at)
    if of.fade_in:
        level *= np.clip(at / of.fade_in, 0.0, 1.0)
    if of.fade_out:
        level *= np.clip((of.frames - at) / of.fade_out, 0.0, 1.0)
    return level

"""How does a groove sound by itself? A short tick a step, high ones higher, as loud as it says.

Conventions
-----------
- One pass, from its one to its end, so that it can be played beside a loop that is laid by it.
"""

from dataclasses import dataclass

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.groove.hit import REGISTERS, Register
from zeroknot.core.render.addressed import Addressed
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.units import gain_of_db

HERTZ: dict[Register, float] = {"low": 660.0, "middle": 990.0, "high": 1760.0}
SECONDS, DECAY_SECONDS, RISE_SECONDS = 0.03, 0.006, 0.0005
LEVEL_DB = -10.0

Strike = tuple[int, float, int]  # frame, dB, register as an index into REGISTERS


@dataclass(frozen=True)
class ClickPlan(Addressed):
    """rate         frames per second
    channels     that it is handed out in
    body_frames  of the pass
    strikes      (frame, dB, register as an index into REGISTERS), rising
    version      of how they sound
    """

    rate: int
    channels: int
    body_frames: int
    strikes: tuple[Strike, ...]
    version: int = 1

    @property
    def kind(self) -> str:
        """Who renders it."""
        return "clicks"

    @property
    def frames(self) -> int:
        """There is neither lead nor tail."""
        return self.body_frames

    @property
    def lead_frames(self) -> int:
        """Frames before the one: none."""
        return 0

    @property
    def knots(self) -> tuple[Strike, ...]:
        """What its size in memory is counted by."""
        return self.strikes


class ClickRendering(InBlocks):
    """A groove's ticks, made as frames are asked for."""

    def __init__(self, plan: ClickPlan):
        self.plan = plan

    @property
    def size(self) -> int:
        """Frames of the body: there is nothing else."""
        return self.plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: frames from `first` on."""
        return _clicked(self.plan, first, count)


def _clicked(plan: ClickPlan, first: int, count: int) -> Samples:
    out = np.zeros(count)
    size = round(SECONDS * plan.rate)
    for at, db, register in plan.strikes:
        if at + size <= first or at >= first + count:
            continue
        tick = _tick(HERTZ[REGISTERS[register]], size, plan.rate) * gain_of_db(LEVEL_DB + db)
        a, b = max(first, at), min(first + count, at + size, plan.body_frames)
        if b > a:
            out[a - first : b - first] += tick[a - at : b - at]
    return np.ascontiguousarray(np.repeat(out[None], plan.channels, axis=0), np.float32)


def _tick(hertz: float, size: int, rate: int) -> np.ndarray:
    t = np.arange(size) / rate
    sound = np.sin(2 * np.pi * hertz * t) * np.exp(-t / DECAY_SECONDS)
    return np.asarray(sound * np.minimum(1.0, t / RISE_SECONDS))

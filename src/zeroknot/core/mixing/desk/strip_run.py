"""How does a sound go through a strip, piece by piece?"""

from collections.abc import Callable

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.desk import compressor
from zeroknot.core.mixing.desk.sections import SECTIONS, Values, run_sections, sections_of
from zeroknot.core.mixing.desk.sound import OFF_DB
from zeroknot.core.mixing.desk.strip import NEUTRAL, STEP, Lane, Strip

Floats = NDArray[np.float64]
LEAST_DRIVE = 1e-3  # below which the soft limit is a straight line
FILTER_VALUES = (
    "low_cut_hz", "low_hz", "low_db", "bell1_hz", "bell1_db", "bell1_q", "bell2_hz", "bell2_db",
    "bell2_q", "high_hz", "high_db", "high_cut_hz",
)  # fmt: skip


class StripRun:
    """A strip with what it remembers; pieces may follow one another from anywhere in the song."""

    def __init__(self, strip: Strip, rate: int):
        self.strip, self.rate = strip, rate
        self._lanes = {name: Points(name, lane) for name, lane in strip.lanes}
        self._still = {**NEUTRAL, **dict(strip.values)}
        self._states = np.zeros((len(SECTIONS), 2, 2))
        self._held = np.zeros(1)
        self._compresses = strip.is_on("ratio") or strip.is_on("makeup_db")

    def filtered(self, sound: Samples | Floats, first: int) -> Floats:
        """After its filters: float64 [2, n].

        sound  float [2, n]
        first  song frame of its first
        """
        out = np.array(sound, np.float64)
        steps, into = _steps(first, out.shape[1])
        values = self._values(FILTER_VALUES, first // STEP, steps)
        run_sections(out, sections_of(self.strip, values, self.rate), self._states, into)
        return out

    def finished(self, sound: Floats, key: Floats, first: int) -> Floats:
        """After its compressor, its drive, its level and its balance; in place: float64 [2, n].

        sound  float64 [2, n] as `filtered` gave it
        key    float64 [2, n] that the compressor goes by; may be the sound itself
        """
        count = sound.shape[1]
        steps, into = _steps(first, count)
        if self._compresses:
            values = self._values(compressor.ROWS, first // STEP, steps)
            rows = np.stack(np.broadcast_arrays(*values.values()), axis=-1)
            compressor.compress(sound, key, rows, self.rate, self._held, into)
        if self.strip.is_on("drive_db"):
            self._drive(sound, first)
        for side, gain in zip(sound, (_left, _right), strict=True):
            turn(side, self._steps(gain, first, count), into)
        return sound

    def send(self, name: str, sound: Floats, to: Floats, first: int) -> None:
        """Add what is sent to "room" or "echo" to what others send: float64 [2, n] both."""
        gains = self._steps(lambda of: amplitude(of(f"{name}_db")), first, sound.shape[1])
        for side, whole in zip(sound, to, strict=True):
            add(whole, side, gains, first % STEP)

    def sends(self, name: str) -> bool:
        """Is anything sent to "room" or "echo"?"""
        return self.strip.moves(f"{name}_db") or self._still[f"{name}_db"] > OFF_DB

    def _steps(
        self, gain: Callable[[Callable[[str], Floats]], Floats], first: int, count: int
    ) -> Floats:
        """A gain at each step, and at the one after: float64 [steps + 1], [1] where it stays.

        gain  of what a value is at each step, float64 [steps], to float64 [steps]
        """
        k, steps = first // STEP, _steps(first, count)[0] + 1
        return np.asarray(gain(lambda name: self._value(name, k, steps)))

    def _drive(self, sound: Floats, first: int) -> None:
        count = sound.shape[1]
        steps, into = _steps(first, count)
        amount = amplitude(self._value("drive_db", first // STEP, steps), -np.inf) - 1.0
        if amount.size > 1:
            amount = np.repeat(amount, STEP)[into : into + count]
        driven = np.maximum(amount, LEAST_DRIVE)
        soft = np.tanh(driven * sound) / np.tanh(driven)
        sound[:] = np.where(amount < LEAST_DRIVE, sound, soft)

    def _values(self, names: tuple[str, ...], k: int, steps: int) -> Values:
        return {name: self._value(name, k, steps) for name in names}

    def _value(self, name: str, k: int, steps: int) -> Floats:
        lane = self._lanes.get(name)
        if lane is None:
            return np.asarray([self._still[name]])
        return lane.at(np.arange(k, k + steps) * STEP)


class Points:
    """A lane to be looked up at many frames."""

    def __init__(self, name: str, lane: Lane):
        self._frames = np.asarray([frame for frame, _ in lane], np.float64)
        self._values = np.asarray([value for _, value in lane], np.float64)
        self._in_octaves = name.endswith("_hz")

    def at(self, frames: NDArray[np.int64]) -> Floats:
        """float64 [n], in Hz where it moves by octaves."""
        after = np.searchsorted(self._frames, frames, side="right")
        a, b = np.maximum(after - 1, 0), np.minimum(after, self._frames.size - 1)
        way = self._frames[b] - self._frames[a]
        share = np.where(way > 0, (frames - self._frames[a]) / np.where(way > 0, way, 1.0), 0.0)
        found = self._values[a] + (self._values[b] - self._values[a]) * share
        return np.asarray(np.exp2(found) if self._in_octaves else found)


@numba.njit(cache=True, nogil=True)
def turn(sound, gains, into):  # type: ignore[no-untyped-def]
    """Turn a sound, float64 [n], up or down in place, straight from step to step.

    gains  float64 [steps + 1], or [1] where it stays
    into   frames that the first step has gone already
    """
    if gains.size == 1:
        for i in range(sound.size):
            sound[i] *= gains[0]
        return
    for i in range(sound.size):
        k, way = divmod(into + i, STEP)
        sound[i] *= gains[k] + (gains[k + 1] - gains[k]) * way / STEP


@numba.njit(cache=True, nogil=True)
def add(whole, sound, gains, into):  # type: ignore[no-untyped-def]
    """Add a sound, float64 [n], to what is there already, turned as `turn` does."""
    if gains.size == 1:
        for i in range(sound.size):
            whole[i] += sound[i] * gains[0]
        return
    for i in range(sound.size):
        k, way = divmod(into + i, STEP)
        whole[i] += sound[i] * (gains[k] + (gains[k + 1] - gains[k]) * way / STEP)


def amplitude(db: Floats, off: float = OFF_DB) -> Floats:
    """Linear, 0 where it is all the way down: float64 [...] of any shape."""
    return np.where(db <= off, 0.0, 10.0 ** (db / 20.0))


def _steps(first: int, count: int) -> tuple[int, int]:
    """Steps that so many frames lie in, and frames that the first of them has gone already."""
    into = first % STEP
    return max(1, -(-(into + count) // STEP)), into


def _level(of: Callable[[str], Floats]) -> Floats:
    return np.asarray((1.0 - np.clip(of("muted"), 0.0, 1.0)) * amplitude(of("level_db")))


def _left(of: Callable[[str], Floats]) -> Floats:
    return np.asarray(_level(of) * np.cos(np.clip(of("pan"), 0.0, 1.0) * np.pi / 2))


def _right(of: Callable[[str], Floats]) -> Floats:
    return np.asarray(_level(of) * np.cos(np.clip(-of("pan"), 0.0, 1.0) * np.pi / 2))

"""How fast does a struck sound die away when it is made longer? As fast as before.

A plucked string that is played at half the tempo does not ring twice as long: it has died away
further when the next one comes. Between two attacks that are heard in a band, its level falls on
as it fell in the recording; where nothing new begins at the end, nothing is changed, since coming
back to the recording's own level would be heard.
"""

import itertools
from dataclasses import dataclass
from functools import cached_property

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.warp.time_map import Floats

JUMP = 0.5  # nepers of power by which an attack rises in a band
GRID_SECONDS = 0.005
FEWEST = 10  # places between two attacks
LOUD = 6.0  # nepers of power under the loudest, where the fall is measured
FALL_TO, RISE_TO = -2.0, 0.25  # nepers: 17 dB down, 2 up
STEEPEST = 30.0  # nepers of power a second
AUDIBLE = 1e-3  # of the power of all bands together
RESET_SHARE = 0.1  # of a window, before an attack

Times = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class BandLevels:
    """How loud a band of the recording is.

    sources  int64 [frames] source frames it was looked at
    power    float32 [frames]
    window   source frames that are looked at together
    unit     power of a sound whose mean square is 1, all bands together
    """

    sources: Times
    power: Samples
    window: int
    unit: float

    def slope(self, view: SourceView, rate: int, start: float, stop: float) -> float:
        """Nepers of power a second by which it falls between two source frames; 0 where it does not
        or where it is too short or too faint to tell."""
        count = int((stop - start) // (GRID_SECONDS * rate))
        if count < FEWEST:
            return 0.0
        level = self._along(start + GRID_SECONDS * rate * np.arange(count))
        falls = (level[2:] - level[:-2])[level[1:-1] > level.max() - LOUD]
        if falls.size < FEWEST:
            return 0.0
        # The middle one: `median` takes ten times as long over so few.
        slope = max(float(np.sort(falls)[falls.size // 2]) / (2.0 * GRID_SECONDS), -STEEPEST)
        if slope >= 0.0:
            return 0.0
        sound = view.read(int(start), int(stop - start)).ravel()
        of_all = self.unit * float(sound @ sound) / int(stop - start)
        return slope if np.exp(level).mean() >= AUDIBLE * of_all else 0.0

    def jumps_at(self, source: float) -> bool:
        """Is an attack heard in this band?"""
        ahead = (self.sources - source) / self.window
        before = self.power[(ahead >= -1.0) & (ahead <= -0.5)]
        after = self.power[(ahead >= 0.0) & (ahead <= 0.75)]
        if not before.size or not after.size:
            return False
        return bool(after.max() > np.exp(JUMP) * before.max() + 1e-20)

    @cached_property
    def _curve(self) -> tuple[Times, Floats]:
        """Source frames, rising, and nepers of power there."""
        rising = np.argsort(self.sources, kind="stable")
        level = np.log(self.power[rising] + 1e-7 * float(self.power.max()) + 1e-20)
        return self.sources[rising], level

    def _along(self, frames: NDArray[np.floating]) -> Floats:
        return np.asarray(np.interp(frames, *self._curve))


def own_decay(
    levels: BandLevels,
    fixed: Floats,
    ends: Floats,
    time_map: tuple[Floats, Floats],
    ratio: float,
    view: SourceView,
    rate: int,
) -> tuple[Floats, Floats]:
    """Gains that let a band fall as fast as it was recorded.

    fixed     float64 [n, 2]: anchors and the attacks between them, (source, output frame)
    ends      float64 [n] source frames where sounds end
    time_map  source frames, output frames: float64 [points] each
    ratio     the output is read as many times as fast afterwards
    returns   output frames, nepers there: float64 [points] each, straight between them
    """
    jumping = [(*point, levels.jumps_at(point[0])) for point in fixed.tolist()]
    own = [p for i, p in enumerate(jumping) if p[2] or i in (0, len(fixed) - 1)]
    sources, outputs = time_map
    frames, gains = [own[0][1]], [0.0]
    for (source, output, _), (source_next, output_next, begins_anew) in itertools.pairwise(own):
        if not begins_anew:
            continue
        inside = ends[(ends > source) & (ends < source_next)]
        stop = float(inside[0]) if inside.size else source_next
        start = source + 0.4 * levels.window
        until = stop - (0.3 if inside.size else 0.6) * levels.window
        slope = levels.slope(view, rate, start, until)
        if slope == 0.0:
            continue
        reset = output_next - RESET_SHARE * levels.window
        at = outputs[(outputs > output) & (outputs < reset)]
        at = np.concatenate([[output], at, [reset]])
        where = np.interp(at, outputs, sources)
        stopped = float(np.interp(stop, sources, outputs))
        lasted = np.minimum(at, stopped) - output
        longer = lasted / ratio - (np.minimum(where, stop) - source)
        frames += [*at, output_next]
        gains += [*np.clip(0.5 * slope * longer / rate, FALL_TO, RISE_TO), 0.0]
    return np.asarray(frames), np.asarray(gains)


def lay_down(sound: Samples, first: int, frames: Floats, nepers: Floats) -> None:
    """Gains laid over a sound, in place; straight in nepers between points, none outside them.

    sound   float32 [channels, n], whose first frame is `first`
    frames  rising, float64 [points]
    """
    if nepers.any():
        _gain_kernel(sound, first, frames, nepers)


@numba.njit(cache=True, nogil=True)
def _gain_kernel(sound, first, frames, nepers):  # type: ignore[no-untyped-def]
    channels, count = sound.shape
    for i in range(frames.size - 1):
        length = frames[i + 1] - frames[i]
        if length <= 0.0 or (nepers[i] == 0.0 and nepers[i + 1] == 0.0):
            continue
        begin = max(0, int(np.ceil(frames[i])) - first)
        end = min(count, int(np.ceil(frames[i + 1])) - first)
        slope = (nepers[i + 1] - nepers[i]) / length
        step = np.exp(slope)
        for c in range(channels):
            gain = np.exp(nepers[i] + slope * (first + begin - frames[i]))
            for k in range(begin, end):
                sound[c, k] *= gain
                gain *= step

"""How fast does a struck sound die away when it is made longer? As fast as before.

A plucked string that is played at half the tempo does not ring twice as long: it has died away
further when the next one comes. Between two attacks that are heard in a band, its level falls on
as it fell in the recording; where nothing new begins at the end, nothing is changed, since coming
back to the recording's own level would be heard.
"""

import itertools
from dataclasses import dataclass

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
        sound = view.read(int(start), int(stop - start))
        of_all = self.unit * float(np.square(sound, dtype=np.float64).sum(axis=0).mean())
        if np.exp(level).mean() < AUDIBLE * of_all:
            return 0.0
        falls = np.gradient(level, GRID_SECONDS)[level > level.max() - LOUD]
        return float(np.clip(np.median(falls), -STEEPEST, 0.0)) if falls.size >= FEWEST else 0.0

    def jumps_at(self, source: float) -> bool:
        """Is an attack heard in this band?"""
        ahead = (self.sources - source) / self.window
        before = self.power[(ahead >= -1.0) & (ahead <= -0.5)]
        after = self.power[(ahead >= 0.0) & (ahead <= 0.75)]
        if not before.size or not after.size:
            return False
        return bool(after.max() > np.exp(JUMP) * before.max() + 1e-20)

    def _along(self, frames: NDArray[np.floating]) -> Floats:
        rising = np.argsort(self.sources, kind="stable")
        level = np.log(self.power[rising] + 1e-7 * float(self.power.max()) + 1e-20)
        return np.asarray(np.interp(frames, self.sources[rising], level))


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
    own = [
        point
        for i, point in enumerate(fixed.tolist())
        if i in (0, len(fixed) - 1) or levels.jumps_at(point[0])
    ]
    sources, outputs = time_map
    frames, gains = [own[0][1]], [0.0]
    for (source, output), (source_next, output_next) in itertools.pairwise(own):
        if not levels.jumps_at(source_next):
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

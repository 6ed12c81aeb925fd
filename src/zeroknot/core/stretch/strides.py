"""How does a held note keep its vibrato when it is made longer? It is gone through in strides.

Read slower, a tone's beating and vibrato would be slower, too. Where it is steady, the recording
runs at its own speed instead, and takes a step back (or ahead, where it becomes shorter) now and
then; the phases go on as they would. A tone that trembles takes steps of whole tremblings, and
what is left over is read slower or faster.
"""

import itertools

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import fft

from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.warp.time_map import Floats

STEP_SECONDS = 0.08  # of the recording, about as long as a step is
SHORTEST_STRIDE = 0.1  # seconds of the output between two steps
SHORTEST_HELD = 0.08  # seconds of the recording
LEAST_FRAMES = 4.0  # a difference that is worth a step
STEEPEST_DB, UNEVEN_DB = 12.0, 3.0  # a second, and round that slope: what is still steady
HOP_SECONDS = 0.01
TREMBLES_SECONDS = (0.08, 0.3)  # fast and slow: 12 to 3 a second
ALIKE = 0.5  # share of what changes that is not the same again a trembling later, at most
LEAST_CHANGE = 0.02  # nepers of power: less is no trembling
FEWER = 4  # of so many samples the mean is looked at
WINDOW = 512  # of them
TAPER = np.hanning(WINDOW).astype(np.float32)
EDGES = np.unique(np.round(np.geomspace(2, WINDOW // 2, 24)).astype(int))  # of bands, bins
NOTHING = 1e-10


def strided(
    sources: Floats, outputs: Floats, view: SourceView, rate: int, first: float, last: float
) -> tuple[Floats, Floats]:
    """The same time map between two output frames, in strides where the sound is steady.

    sources, outputs  frames: float64 [points] each, rising, from before `first` to after `last`
    returns           the same; `sources` jumps where a step is taken
    """
    start = max(0, int(np.searchsorted(outputs, first)) - 1)
    stop = int(np.searchsorted(outputs, last)) + 1
    sources, outputs = sources[start:stop], outputs[start:stop]
    points = [(sources[0], outputs[0])]
    for (s, o), (s_next, o_next) in itertools.pairwise(zip(sources, outputs, strict=True)):
        over = (o_next - o) - (s_next - s)
        most = int((o_next - o) / (SHORTEST_STRIDE * rate))
        if abs(over) >= LEAST_FRAMES and most and is_steady(view, rate, s, s_next):
            steps, step = _steps(over, most, trembling(view, rate, s, s_next), rate)
            speed = (s_next - s + steps * step) / (o_next - o)
            for k in range(steps):
                # Between two frames, so that each lies on one side.
                here = np.floor((k + 0.5) * (o_next - o) / steps) + 0.5
                for back in (k, k + 1):
                    points.append((s + speed * here - back * step, o + here + 1e-3 * (back - k)))
        points.append((s_next, o_next))
    found = np.asarray(points)
    return np.ascontiguousarray(found[:, 0]), np.ascontiguousarray(found[:, 1])


def _steps(over: float, most: int, period: float | None, rate: int) -> tuple[int, float]:
    """How many steps, of how many source frames (below 0: ahead)."""
    if period is None:
        steps = min(max(1, round(abs(over) / (STEP_SECONDS * rate))), most)
        return steps, over / steps
    return min(round(abs(over) / (period * rate)), most), float(np.copysign(period * rate, over))


def is_steady(view: SourceView, rate: int, start: float, stop: float) -> bool:
    """Does it sound on evenly between two source frames?"""
    hop = int(HOP_SECONDS * rate)
    count = int(min(stop - start, 1e9) // hop)
    if not SHORTEST_HELD * rate <= count * hop <= 60 * rate:
        return False
    sound = view.read(int(start), count * hop)
    power = np.square(sound).reshape(sound.shape[0], count, hop).sum(axis=(0, 2)) / hop
    level = 10.0 * np.log10(power + NOTHING)
    slope, rest = _straightened(level[:, None])
    return abs(float(slope[0])) <= STEEPEST_DB and float(np.std(rest)) <= UNEVEN_DB


def trembling(view: SourceView, rate: int, start: float, stop: float) -> float | None:
    """Seconds after which a sound that trembles, in level or pitch, is as it was; None where it
    does not.

    start, stop  source frames
    """
    hop = int(HOP_SECONDS * rate) // FEWER
    count = int((stop - start) // (hop * FEWER))
    shortest, longest = (round(s / HOP_SECONDS) for s in TREMBLES_SECONDS)
    longest = min(longest, count // 2)
    if longest <= shortest + 2:
        return None
    sound = view.read(int(start) - FEWER * WINDOW // 2, FEWER * (count * hop + WINDOW)).sum(axis=0)
    sound = sound.reshape(-1, FEWER) @ np.full(FEWER, 1 / FEWER, np.float32)
    frames = np.lib.stride_tricks.sliding_window_view(sound, WINDOW)[::hop][:count]
    power = np.square(np.abs(fft.rfft(frames * TAPER, axis=1)))
    power = np.add.reduceat(power, EDGES[:-1], axis=1)
    loud = np.sqrt(power.mean(axis=0))
    _, level = _straightened(np.log(power + 1e-4 * power.max() + NOTHING))
    weights = loud / (loud.sum() + NOTHING)
    change = float((weights * level.var(axis=0)).sum())
    if change < LEAST_CHANGE:
        return None
    lags = np.arange(shortest - 1, longest + 2)
    unlike = np.empty(lags.size)
    weighted = (level * np.sqrt(weights / (2 * change))).astype(np.float32)
    _unlike_kernel(weighted, lags, unlike)
    dips = np.flatnonzero((unlike[1:-1] <= unlike[:-2]) & (unlike[1:-1] <= unlike[2:])) + 1
    dips = dips[unlike[dips] < ALIKE]
    if not dips.size:
        return None
    # The shortest that is about as good as any.
    at = int(dips[np.argmax(unlike[dips] <= unlike[dips].min() + 0.1)])
    a, b, c = unlike[at - 1 : at + 2]
    return float(lags[at] + 0.5 * (a - c) / max(a - 2 * b + c, 1e-12)) * hop * FEWER / rate


@numba.njit(cache=True, nogil=True)
def _unlike_kernel(level, lags, out):  # type: ignore[no-untyped-def]
    """Squares of what curves [places, curves] are from themselves so many places later, summed
    over the curves, in the middle."""
    count, curves = level.shape
    total = np.empty(curves, level.dtype)
    for n in range(lags.size):
        lag = lags[n]
        total[:] = 0.0
        for i in range(count - lag):
            here, later = level[i], level[i + lag]
            for c in range(curves):
                off = later[c] - here[c]
                total[c] += off * off
        out[n] = total.sum() / (count - lag)


def _straightened(level: NDArray[np.floating]) -> tuple[Floats, Floats]:
    """Slopes a second of curves [places, curves], and what is left without them."""
    count = level.shape[0]
    seconds = HOP_SECONDS * (np.arange(count) - 0.5 * (count - 1))
    slope = seconds @ level / (seconds @ seconds)
    rest = level - level.mean(axis=0) - seconds[:, None] * slope
    return np.asarray(slope, np.float64), np.asarray(rest, np.float64)

"""Where do the beats fall when the tempo is not quite steady?

Conventions
-----------
- Beats are seconds, rising; a tempo curve has one tempo a beat, pulses a minute.
- A loop's beats bend little and smoothly; a take's are followed one by one.

Method: for a loop, the one bend of its grid (a tempo that changes steadily) that most attacks
agree with. For a take, the best path of beats through the rises (dynamic programming: Ellis, "Beat
tracking by dynamic programming", Journal of New Music Research 2007), the expected period taken
from a window of its own at every moment.
"""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.reading import Reading

Floats = NDArray[np.float64]

BENDS = np.arange(-0.05, 0.0501, 0.0025)  # of a loop's tempo, first to last
BEND_GAIN = 1.12  # how much better a bent grid must fit
FOLLOWED_HOP = 2  # frames of the picture a step when a take is followed: 10 ms
WINDOW_SECONDS = 12.0
TIGHTNESS = 120.0
USUAL_BPM, USUAL_OCTAVES = 112.0, 0.9
SLOWEST_BPM, FASTEST_BPM = 55.0, 210.0
WANDERS_OCTAVES = 0.16  # how far from the take's own tempo a part of it may be
ON_BEAT_SECONDS = 0.015
REFINED_SECONDS = 0.04  # a beat this near an attack is on it


@dataclass(frozen=True, eq=False)
class TempoCurve:
    """seconds  float64 [n], of each beat
    bpm      float64 [n], pulses a minute around it
    """

    seconds: Floats
    bpm: Floats

    @property
    def mean_bpm(self) -> float:
        """Beats a minute from the first beat to the last."""
        return float(60.0 * (self.seconds.size - 1) / (self.seconds[-1] - self.seconds[0]))

    @property
    def deviation_bpm(self) -> float:
        """Standard deviation: the root of the curve's variance."""
        return float(self.bpm.std())

    @property
    def drift(self) -> float:
        """How much faster the end is than the start: 0.02 is 2 %."""
        slope = np.polyfit(self.seconds, self.bpm, 1)[0] if self.seconds.size > 2 else 0.0
        return float(slope * (self.seconds[-1] - self.seconds[0]) / self.bpm.mean())


def curve_of(beats: Floats) -> TempoCurve | None:
    """The tempo at every beat: over the four beats around it where there are as many.

    beats  float64 [beats] seconds, rising
    """
    if beats.size < 2:
        return None
    reach = min(2, (beats.size - 1) // 2) if beats.size > 2 else 1
    padded = np.arange(beats.size)
    low = np.clip(padded - reach, 0, beats.size - 1)
    high = np.clip(padded + reach, 0, beats.size - 1)
    return TempoCurve(beats, 60.0 * (high - low) / (beats[high] - beats[low]))


def beats_along(
    material: Material, reading: Reading, curve: TempoCurve | None
) -> tuple[float, ...]:
    """Seconds of a reading's pulses, those of its pickup among them; a take's as followed."""
    if curve is not None:
        return tuple(curve.seconds.tolist())
    start, length, pulses = reading.downbeat_s, reading.end_s - reading.downbeat_s, reading.pulses
    bend = _bend(material.attacks, start, length, pulses)
    first = -int((start + 0.01) * pulses / length)
    x = np.arange(min(0, first), pulses) / pulses
    beats = start + length * (x + bend * x * (1.0 - x) * (x > 0))
    beats = beats[(beats > -0.02) & (beats < material.picture.seconds)]
    return tuple(beats.tolist())


def _bend(attacks: Attacks, start: float, length: float, pulses: int) -> float:
    """How the tempo changes over a pass: the bend that the attacks agree with, or none."""
    inside = (attacks.seconds > start - 0.02) & (attacks.seconds < start + length - 0.02)
    share = (attacks.seconds[inside] - start) / length
    weights = attacks.strengths[inside]
    if share.size < 6 or pulses < 4:
        return 0.0
    # x + c·x·(1 − x) = share, solved for x.
    c = BENDS[:, None]
    with np.errstate(invalid="ignore"):
        root = np.sqrt(np.maximum((1 + c) ** 2 - 4 * c * share[None, :], 0.0))
    x = np.where(np.abs(c) < 1e-9, share[None, :], 2 * share[None, :] / (1 + c + root))
    scores = np.zeros(BENDS.size)
    for parts, worth in ((1, 1.0), (2, 0.6), (4, 0.3)):
        places = x * pulses * parts
        off = np.abs(places - np.round(places)) * length / pulses / parts
        scores += worth * (weights * np.exp(-0.5 * (off / 0.012) ** 2)).sum(axis=1)
    straight = scores[BENDS.size // 2]
    best = int(np.argmax(scores))
    if scores[best] < BEND_GAIN * straight or abs(BENDS[best]) < 0.004:
        return 0.0
    return float(BENDS[best])


def followed_rises(material: Material) -> Floats:
    """Seconds of the beats of a take of which nothing is known: float64 [n], rising."""
    step = material.picture.hop_seconds * FOLLOWED_HOP
    return _on_attacks(_followed(steps_of(material), step), material.attacks.seconds)


def followed(attacks: Attacks, period: float, until: float) -> Floats:
    """Seconds of the beats of a recording whose pulse is about known.

    attacks  that were heard
    period   seconds a pulse, on the whole
    until    second up to which beats are wanted
    returns  float64 [n], rising; none where nothing was heard
    """
    if not attacks.seconds.size:
        return np.zeros(0)
    step = 0.01
    rises = np.zeros(round(until / step) + 2)
    at = np.round(attacks.seconds / step).astype(int)
    inside = at < rises.size
    np.maximum.at(rises, at[inside], 0.3 + attacks.strengths[inside])
    beats = _followed(rises / (rises.std() + 1e-9), step, period)
    return _on_attacks(beats, attacks.seconds)


def share_on(beats: Floats, attacks: Attacks, parts: int) -> float:
    """How much of the attacks between the first beat and the last is on a beat or a part of one.

    beats    float64 [beats] seconds, rising
    parts    of a beat
    returns  0 to 1
    """
    grid = np.interp(np.arange((beats.size - 1) * parts + 1) / parts, np.arange(beats.size), beats)
    inside = (attacks.seconds > beats[0] - 0.02) & (attacks.seconds < beats[-1] + 0.02)
    if not inside.any():
        return 0.0
    off = np.abs(attacks.seconds[inside] - _nearest(grid, attacks.seconds[inside]))
    return float(np.average(off < ON_BEAT_SECONDS, weights=attacks.strengths[inside] + 1e-6))


def _on_attacks(beats: Floats, attacks: Floats) -> Floats:
    """Beats moved onto the attacks that they are meant for; those on none keep their place."""
    if not attacks.size or beats.size < 2:
        return beats
    nearest = _nearest(attacks, beats)
    reach = np.minimum(REFINED_SECONDS, 0.12 * np.gradient(beats))
    off = nearest - beats
    # What all beats are off by is the follower's, not the player's.
    off_all = float(np.median(off[np.abs(off) < reach])) if (np.abs(off) < reach).any() else 0.0
    moved = np.where(np.abs(off - off_all) < reach, nearest, beats + off_all)
    return np.asarray(np.maximum.accumulate(moved)[np.diff(moved, prepend=-np.inf) > 0.02])


def _nearest(values: Floats, to: Floats) -> Floats:
    """The nearest of rising values to each of others."""
    i = np.clip(np.searchsorted(values, to), 1, max(1, values.size - 1))
    low, high = values[i - 1], values[np.minimum(i, values.size - 1)]
    return np.where(to - low <= high - to, low, high)


def steps_of(material: Material) -> Floats:
    """How much begins in every FOLLOWED_HOP frames of the picture, in standard deviations.

    float64 [steps]
    """
    rises = material.picture.total.astype(np.float64)
    usable = rises.size // FOLLOWED_HOP * FOLLOWED_HOP
    pairs = rises[:usable].reshape(-1, FOLLOWED_HOP).max(axis=1)
    return np.asarray(pairs / (pairs.std() + 1e-9))


def _local_periods(rises: Floats, step: float, period: float | None) -> Floats | None:
    """Seconds a beat around every step, from a window of its own; None where nothing repeats.

    period  that is known already; None where it is to be found
    """
    window = round(WINDOW_SECONDS / step)
    hop = window // 4
    slowest, fastest = 60 / SLOWEST_BPM, 60 / FASTEST_BPM
    if period:
        slowest, fastest = 1.3 * period, period / 1.3
    lags = np.arange(max(2, round(fastest / step)), round(slowest / step) + 1)
    usual = np.exp(-0.5 * (np.log2(60 / (lags * step) / USUAL_BPM) / USUAL_OCTAVES) ** 2)
    rows, centres = [], []
    for first in range(0, max(1, rises.size - window // 2), hop):
        part = rises[first : first + window]
        part = part - part.mean()
        # A period may be longer than what there is: nothing comes again after it then.
        size = 2 ** int(np.ceil(np.log2(2 * max(part.size, lags[-1] + 1))))
        again = np.fft.irfft(np.abs(np.fft.rfft(part, size)) ** 2)[: size // 2]
        again = again / (again[0] + 1e-9)
        # A beat comes again after two and four, too.
        comb = again[lags] + 0.5 * again[np.minimum(2 * lags, again.size - 1)]
        comb += 0.25 * again[np.minimum(4 * lags, again.size - 1)]
        rows.append(np.maximum(comb, 0.0) * usual)
        centres.append((first + min(window, part.size) / 2) * step)
    table = np.asarray(rows)
    if table.max() <= 0:
        return None
    overall = period / step if period else lags[int(np.argmax(table.mean(axis=0)))]
    # Near the take's own tempo throughout: no jumps by an octave.
    near = np.exp(-0.5 * (np.log2(lags / overall) / WANDERS_OCTAVES) ** 2)
    best = lags[np.argmax(ndimage.uniform_filter1d(table, 3, axis=0) * near, axis=1)]
    moments = (np.arange(rises.size) + 0.5) * step
    return np.asarray(np.interp(moments, centres, ndimage.median_filter(best, 5) * step))


def _followed(rises: Floats, step: float, period: float | None = None) -> Floats:
    """Seconds of the beats on the best path, to a fraction of a step; none where nothing repeats.

    rises   float64 [steps] of `step` seconds
    period  seconds a beat, where it is known
    """
    periods = _local_periods(rises, step, period)
    if periods is None:
        return np.zeros(0)
    smooth = ndimage.gaussian_filter1d(rises, 1.5)
    back, score = _path_kernel(smooth, periods / step, TIGHTNESS)
    last = round(1.5 * periods[-1] / step)
    at = int(score.size - last + np.argmax(score[-last:])) if score.size > last else score.size - 1
    path = []
    while at >= 0:
        path.append(at)
        at = int(back[at])
    beats = []
    for i in reversed(path):
        shift = 0.0
        if 0 < i < smooth.size - 1:
            a, b, c = smooth[i - 1 : i + 2]
            bend = a - 2 * b + c
            shift = float(np.clip(0.5 * (a - c) / bend, -0.5, 0.5)) if bend < 0 else 0.0
        beats.append((i + shift) * step + 0.004)
    return np.asarray(beats)


@numba.njit(cache=True)
def _path_kernel(rises, periods, tightness):  # type: ignore[no-untyped-def]
    """Best score of a path of beats that ends at each step, and the step before it."""
    n = rises.size
    score = np.zeros(n)
    back = np.full(n, -1, np.int64)
    for t in range(n):
        period = periods[t]
        best, where = 0.0, -1
        for gap in range(max(1, int(0.6 * period)), int(1.7 * period) + 1):
            if t - gap < 0:
                break
            off = np.log(gap / period)
            value = score[t - gap] - tightness * off * off
            if where < 0 or value > best:
                best, where = value, t - gap
        score[t] = rises[t]
        if where >= 0 and best > 0.0:
            score[t] += best
            back[t] = where
    return back, score

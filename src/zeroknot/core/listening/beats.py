"""Where do the beats fall when the tempo is not quite steady?

Conventions
-----------
- Beats are seconds, rising; a tempo curve has one tempo a beat, pulses a minute.
- A loop's beats bend little and smoothly; a take's are followed one by one.
- The server asks this, too: NumPy alone, for a compiler takes longer to load than it would save.

Method: for a loop, the one bend of its grid (a tempo that changes steadily) that most attacks
agree with. For a take, the best path of beats through the rises (dynamic programming: Ellis, "Beat
tracking by dynamic programming", Journal of New Music Research 2007), the expected period taken
from a window of its own at every moment.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.reading import Reading

Floats = NDArray[np.float64]

BENDS = np.arange(-0.05, 0.0501, 0.0025)  # of a loop's tempo, first to last
BEND_GAIN = 1.12  # how much better a bent grid must fit
WINDOW_SECONDS = 12.0
TIGHTNESS = 120.0
USUAL_BPM, USUAL_OCTAVES = 112.0, 0.9
SLOWEST_BPM, FASTEST_BPM = 55.0, 210.0
WANDERS_OCTAVES = 0.16  # how far from the take's own tempo a part of it may be
ON_BEAT_SECONDS = 0.015
REFINED_SECONDS = 0.04  # a beat this near an attack is on it
SOONEST, LATEST = 0.6, 1.7  # beats that one may be from the one before
SMOOTHED_STEPS = 1.5  # standard deviation of what rises are smoothed by


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
    attacks: Attacks, seconds: float, reading: Reading, curve: TempoCurve | None
) -> tuple[float, ...]:
    """Seconds of a reading's pulses, those of its pickup among them; a take's as followed.

    seconds  that the recording lasts
    """
    if curve is not None:
        return tuple(curve.seconds.tolist())
    start, length, pulses = reading.downbeat_s, reading.end_s - reading.downbeat_s, reading.pulses
    bend = bend_of(attacks, start, length, pulses)
    first = -int((start + 0.01) * pulses / length)
    x = np.arange(min(0, first), pulses) / pulses
    beats = start + length * (x + bend * x * (1.0 - x) * (x > 0))
    beats = beats[(beats > -0.02) & (beats < seconds)]
    return tuple(beats.tolist())


def bend_of(attacks: Attacks, start: float, length: float, pulses: int) -> float:
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


def followed_rises(rises: Floats, step: float, attacks: Attacks) -> Floats:
    """Seconds of the beats of a take of which nothing is known: float64 [n], rising.

    rises  float64 [steps] of `step` seconds: how much begins in each, in standard deviations
    """
    return on_attacks(_followed(rises, step), attacks.seconds)


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
    return on_attacks(beats, attacks.seconds)


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


def on_attacks(beats: Floats, attacks: Floats) -> Floats:
    """Beats moved onto the attacks that they are meant for; those on none keep their place.

    beats, attacks  float64 [n] seconds, rising
    returns         float64 [n] seconds, rising; beats that meet are one
    """
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
    if not lags.size:  # beats as near as steps are none that could be followed
        return None
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
    best = lags[np.argmax(_windows(table, 3).mean(axis=-1) * near, axis=1)]
    moments = (np.arange(rises.size) + 0.5) * step
    return np.asarray(np.interp(moments, centres, np.median(_windows(best, 5), axis=-1) * step))


def _followed(rises: Floats, step: float, period: float | None = None) -> Floats:
    """Seconds of the beats on the best path, to a fraction of a step; none where nothing repeats.

    rises   float64 [steps] of `step` seconds
    period  seconds a beat, where it is known
    """
    periods = _local_periods(rises, step, period)
    if periods is None:
        return np.zeros(0)
    smooth = _smoothed(rises)
    score, back = _best_paths(smooth, periods / step)
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


def _windows(values: NDArray[Any], size: int) -> NDArray[Any]:
    """What lies around each along the first axis, mirrored at both ends: [..., size]."""
    beside = [(size // 2, size // 2)] + [(0, 0)] * (values.ndim - 1)
    return sliding_window_view(np.pad(values, beside, "symmetric"), size, axis=0)


def _smoothed(rises: Floats) -> Floats:
    reach = round(4.0 * SMOOTHED_STEPS)
    bell = np.exp(-0.5 * (np.arange(-reach, reach + 1) / SMOOTHED_STEPS) ** 2)
    return np.asarray(_windows(rises, bell.size) @ (bell / bell.sum()))


def _best_paths(rises: Floats, periods: Floats) -> tuple[Floats, NDArray[np.int64]]:
    """Best score of a path of beats that ends at each step, and the step before it, -1 for none.

    periods  float64 [steps], of a beat around each, in steps

    No beat is nearer than SOONEST to the one before: as many steps as that are taken at once.
    """
    count = rises.size
    soonest, latest = (SOONEST * periods).astype(int), (LATEST * periods).astype(int)
    soonest = np.maximum(1, soonest)
    before = int(latest.max())
    # In front of the first step there is nothing to come from.
    score = np.concatenate([np.full(before, -np.inf), np.zeros(count)])
    back = np.full(count, -1)
    gaps = np.arange(soonest.min(), before + 1)
    away, usual = np.log(gaps), np.log(periods)
    for first in range(0, count, int(gaps[0])):
        steps = np.arange(first, min(count, first + int(gaps[0])))
        may = (gaps >= soonest[steps, None]) & (gaps <= latest[steps, None])
        uneven = TIGHTNESS * (away - usual[steps, None]) ** 2
        reached = np.where(may, score[before + steps[:, None] - gaps] - uneven, -np.inf)
        best = reached.argmax(axis=1)
        worth = reached[np.arange(steps.size), best]
        goes_on = worth > 0.0
        score[before + steps] = rises[steps] + np.where(goes_on, worth, 0.0)
        back[steps] = np.where(goes_on, steps - gaps[best], -1)
    return score[before:], back

"""How loud is a programme: momentary, short-term, integrated, its range, its true peak?

Sources: ITU-R BS.1770-5 (2023), annexes 1 and 2; EBU Tech 3341 (2023), the meter's times; EBU
Tech 3342 (2023), the loudness range. The K-weighting is given there for 48 kHz; for other rates
its two filters are taken as the analogue ones they were made from (a shelf of +4 dB at 1 682 Hz
and a high pass at 38 Hz), by the bilinear transform: at 48 kHz that is the table of annex 1.

Conventions
-----------
- Everything is fed in pieces of any length and goes on where it was: a long song needs no memory.
- Loudness in LUFS, −inf for silence; peaks linear, true peaks in dBTP.
"""

from dataclasses import dataclass, field

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import signal

from zeroknot.core.audio import Samples
from zeroknot.core.units import db_of_gain

Floats = NDArray[np.float64]
SHELF_HZ, SHELF_DB, SHELF_Q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
HIGH_PASS_HZ, HIGH_PASS_Q = 38.13547087602444, 0.5003270373238773
OFFSET_LUFS = -0.691
STEP_SECONDS = 0.1  # between two values: gating blocks overlap by three quarters
MOMENTARY_STEPS, SHORT_TERM_STEPS = 4, 30
ABSOLUTE_GATE, RELATIVE_GATE, RANGE_GATE = -70.0, -10.0, -20.0
RANGE_PERCENTS = (10.0, 95.0)
NEAR_FRAMES = 256
OVERSAMPLED, TAPS = 4, 12  # phases, and taps of each, as annex 2 has them


def k_weighting(rate: int) -> Floats:
    """Second-order sections of the K-weighting: float64 [2, 6]."""
    gain = 10 ** (SHELF_DB / 20)
    middle = gain**0.4996667741545416
    k = np.tan(np.pi * SHELF_HZ / rate)
    over = 1 + k / SHELF_Q + k * k
    shelf = [
        (gain + middle * k / SHELF_Q + k * k) / over, 2 * (k * k - gain) / over,
        (gain - middle * k / SHELF_Q + k * k) / over,
        1.0, 2 * (k * k - 1) / over, (1 - k / SHELF_Q + k * k) / over,
    ]  # fmt: skip
    k = np.tan(np.pi * HIGH_PASS_HZ / rate)
    over = 1 + k / HIGH_PASS_Q + k * k
    high = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / over, (1 - k / HIGH_PASS_Q + k * k) / over]
    return np.asarray([shelf, high])


@dataclass(frozen=True)
class Loudness:
    """What a meter read over all it was fed.

    integrated, momentary, short_term  LUFS; the last two at their loudest
    range_lu   loudness range; 0 where there is too little
    true_peak_db  dBTP
    steps      power of each tenth of a second, K-weighted: float64 [n]
    """

    integrated: float
    momentary: float
    short_term: float
    range_lu: float
    true_peak_db: float
    steps: Floats = field(repr=False, compare=False)

    @property
    def short_terms(self) -> Floats:
        """LUFS of the 3 s before each tenth of a second from the third on: float64 [steps − 29]."""
        return lufs(_means(self.steps, SHORT_TERM_STEPS))


class Meter:
    """Of a programme of one or two channels."""

    def __init__(self, rate: int, channels: int):
        self.rate = rate
        self._sections = k_weighting(rate)
        self._state = np.zeros((2, channels, 2))
        self._step = round(STEP_SECONDS * rate)
        self._left = np.zeros((channels, 0))
        self._powers: list[float] = []
        self._peak = TruePeak(channels)

    def feed(self, sound: Samples) -> None:
        """More of it: float32 [channels, n]."""
        if not sound.shape[1]:
            return
        self._peak.feed(sound)
        weighted, self._state = signal.sosfilt(
            self._sections, sound.astype(np.float64), axis=1, zi=self._state
        )
        whole = np.concatenate([self._left, weighted], axis=1)
        count = whole.shape[1] // self._step
        steps = whole[:, : count * self._step].reshape(whole.shape[0], count, self._step)
        self._powers += np.square(steps).mean(axis=2).sum(axis=0).tolist()
        self._left = whole[:, count * self._step :]

    @property
    def read(self) -> Loudness:
        """Of all so far."""
        powers = np.asarray(self._powers)
        momentary = _means(powers, MOMENTARY_STEPS)
        short = _means(powers, SHORT_TERM_STEPS)
        return Loudness(
            integrated=gated(momentary),
            momentary=float(lufs(momentary).max(initial=-np.inf)),
            short_term=float(lufs(short).max(initial=-np.inf)),
            range_lu=_range(short),
            true_peak_db=db_of_gain(self._peak.read) if self._peak.read > 0 else -np.inf,
            steps=powers,
        )


def loudness_of(sound: Samples, rate: int) -> Loudness:
    """Of a whole sound: float32 [1 or 2, n]."""
    meter = Meter(rate, sound.shape[0])
    meter.feed(sound)
    return meter.read


def lufs(power: Floats) -> Floats:
    """Of powers of any shape, float64 [...]; −inf where there is none."""
    with np.errstate(divide="ignore"):
        return np.asarray(OFFSET_LUFS + 10 * np.log10(power))


def gated(powers: Floats) -> float:
    """Integrated loudness by both gates of BS.1770.

    powers  of gating blocks of 0.4 s: float64 [blocks]
    """
    loud = powers[lufs(powers) > ABSOLUTE_GATE]
    if not loud.size:
        return -np.inf
    over = float(lufs(loud.mean())) + RELATIVE_GATE
    return float(lufs(loud[lufs(loud) > over].mean()))


def _range(powers: Floats) -> float:
    loud = powers[lufs(powers) > ABSOLUTE_GATE]
    if not loud.size:
        return 0.0
    over = float(lufs(loud.mean())) + RANGE_GATE
    low, high = np.percentile(lufs(loud[lufs(loud) > over]), RANGE_PERCENTS)
    return float(high - low)


def _means(powers: Floats, steps: int) -> Floats:
    if powers.size < steps:
        return np.zeros(0)
    summed = np.concatenate([[0.0], np.cumsum(powers)])
    # What is left of a sum of squares where nothing sounds is no sound.
    return np.asarray(np.maximum(0.0, summed[steps:] - summed[:-steps]) / steps)


class TruePeak:
    """The highest of four times as many samples, linear."""

    def __init__(self, channels: int):
        self._taps = phases(OVERSAMPLED, TAPS)
        self._before = np.zeros((channels, TAPS - 1), np.float64)
        self.read = 0.0

    def feed(self, sound: Samples) -> None:
        """float32 [channels, n]"""
        whole = np.concatenate([self._before, sound.astype(np.float64)], axis=1)
        between = peaks_between(whole, self._taps, self.read)
        self.read = max(self.read, float(between.max(initial=0.0)))
        self.read = max(self.read, float(np.abs(sound).max(initial=0.0)))
        self._before = whole[:, -(TAPS - 1) :]


def phases(count: int, taps: int) -> Floats:
    """float64 [count, taps]: a low pass at the old Nyquist, each phase of unit gain at 0 Hz."""
    whole = signal.firwin(count * taps, 1 / count, window=("kaiser", 5.0))
    found = whole.reshape(taps, count).T
    return np.asarray(found / found.sum(axis=1, keepdims=True))


def peaks_between(sound: Floats, taps: Floats, least: float = 0.0) -> Floats:
    """The highest of all phases and channels: float64 [n − taps + 1].

    sound  float64 [channels, n]
    taps   float64 [phases, taps], as of `phases`
    least  a peak that is told from 0: where none can be as high, nothing is looked for
    """
    out = np.zeros(max(0, sound.shape[1] - taps.shape[1] + 1))
    quiet = least / np.abs(taps).sum(axis=1).max()
    _between(np.ascontiguousarray(sound), np.ascontiguousarray(taps[:, ::-1]), quiet, out)
    return out


@numba.njit(cache=True, nogil=True)
def _between(sound, taps, quiet, out):  # type: ignore[no-untyped-def]
    """A stretch at a time, so that it stays near; each tap over all of it."""
    near = np.empty(NEAR_FRAMES)
    for first in range(0, out.size, NEAR_FRAMES):
        most = out[first : first + NEAR_FRAMES]
        for channel in range(sound.shape[0]):
            most_here = 0.0
            for i in range(first, first + most.size + taps.shape[1] - 1):
                most_here = max(most_here, abs(sound[channel, i]))
            if most_here < quiet:
                continue
            for phase in range(taps.shape[0]):
                near[:] = 0.0
                for tap in range(taps.shape[1]):
                    weight = taps[phase, tap]
                    part = sound[channel, first + tap : first + tap + most.size]
                    for i in range(part.size):
                        near[i] += weight * part[i]
                for i in range(most.size):
                    size = abs(near[i])
                    most[i] = size if size > most[i] else most[i]

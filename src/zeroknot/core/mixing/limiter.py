"""What keeps a programme under a ceiling, between its samples, too?

Each frame's gain is what its true peak asks; the least of the next few milliseconds, let go again
slowly, and averaged over as long: so it is down before the peak is there, and moves without a step.
Both channels go by the same gain: the picture stays where it is.

Conventions
-----------
- Fed in pieces of any length; what comes out begins with `lead` frames of nothing, and `rest`
  gives the last.
- Where nothing is over the ceiling, what goes in comes out, to the bit.
"""

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import signal

from zeroknot.core.audio import Samples
from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.mixing.meters import peaks_between, phases
from zeroknot.core.units import gain_of_db

Floats = NDArray[np.float64]
LOOK_SECONDS = 0.004
RELEASE_SECONDS = 0.08
PHASES, TAPS = 8, 20
MARGIN_DB = 0.1  # what a reader with another filter may find more
CEILINGS_DB = (-20.0, 0.0)


class Limiter:
    """ceiling_db  dBTP, −20 … 0"""

    def __init__(self, rate: int, channels: int, ceiling_db: float):
        if not CEILINGS_DB[0] <= ceiling_db <= CEILINGS_DB[1]:
            raise ZeroKnotError(f"a ceiling lies between {CEILINGS_DB[0]:g} and 0 dB")
        self._ceiling = gain_of_db(ceiling_db - MARGIN_DB)
        self._look = max(2, round(LOOK_SECONDS * rate))
        self._back = 1.0 - np.exp(-1.0 / (RELEASE_SECONDS * rate))
        self._taps = phases(PHASES, TAPS)
        self._waiting = np.zeros((channels, TAPS - 1))  # samples that peaks are still looked for in
        # Before the first frame the gain may come down, too.
        self._late = np.zeros((channels, self.lead), np.float32)  # until their gain is known
        self._needs = np.ones(self._look - 1)
        self._gain = 1.0
        window = np.hanning(self._look + 2)[1:-1]
        self._window = window / window.sum()
        self._gains = np.ones(self._look - 1)
        self.least = 1.0  # gain so far

    @property
    def lead(self) -> int:
        """Frames of nothing that come out first."""
        return TAPS // 2 + self._look - 1

    def feed(self, sound: Samples) -> Samples:
        """More of it, and as much back as is known by now: float32 [channels, n] both."""
        self._late = np.concatenate([self._late, sound], axis=1)
        self._needs = np.concatenate([self._needs, self._asked(sound)])
        ready = self._needs.size - (self._look - 1)
        if ready <= 0:
            return sound[:, :0]
        held = _least_ahead(self._needs, self._look, ready)
        self._needs = self._needs[ready:]
        self._gain = _let_go(held, self._back, self._gain)
        gains = np.concatenate([self._gains, held])
        self._gains = gains[ready:]
        out, self._late = self._late[:, :ready], self._late[:, ready:]
        if gains.min() == 1.0:
            return np.asarray(out, np.float32)
        # As exact as whole numbers where nothing is turned down: sums of ones are not.
        smooth = signal.oaconvolve(1.0 - gains, self._window, mode="valid")
        gain = 1.0 - np.maximum(0.0, smooth)
        self.least = min(self.least, float(gain.min(initial=1.0)))
        return np.asarray(out * gain, np.float32)

    @property
    def rest(self) -> Samples:
        """What is still to come out: float32 [channels, lead]; nothing may be fed after that."""
        return self.feed(np.zeros((self._late.shape[0], self.lead), np.float32))

    def _asked(self, sound: Samples) -> Floats:
        """Gain that each frame asks for, TAPS / 2 frames late: float64 [n]."""
        whole = np.concatenate([self._waiting, sound.astype(np.float64)], axis=1)
        self._waiting = whole[:, -(TAPS - 1) :]
        middle = whole[:, TAPS // 2 - 1 : TAPS // 2 - 1 + sound.shape[1]]
        peak = np.abs(middle).max(axis=0, initial=0.0)
        np.maximum(peak, peaks_between(whole, self._taps, self._ceiling), out=peak)
        return np.asarray(np.minimum(1.0, self._ceiling / np.maximum(peak, 1e-12)))


def limited(sound: Samples, rate: int, ceiling_db: float) -> Samples:
    """A whole sound: float32 [channels, n], as long as it was."""
    limiter = Limiter(rate, sound.shape[0], ceiling_db)
    out = np.concatenate([limiter.feed(sound), limiter.rest], axis=1)
    return out[:, limiter.lead :]


@numba.njit(cache=True, nogil=True)
def _least_ahead(needs, look, count):  # type: ignore[no-untyped-def]
    """The least of each frame and those after it, `look` in all."""
    out = np.empty(count)
    line = np.empty(needs.size, np.int64)  # of frames whose needs rise from first to last
    first = last = 0
    for i in range(count + look - 1):
        while last > first and needs[line[last - 1]] >= needs[i]:
            last -= 1
        line[last] = i
        last += 1
        at = i - look + 1
        if at >= 0:
            while line[first] < at:
                first += 1
            out[at] = needs[line[first]]
    return out


@numba.njit(cache=True, nogil=True)
def _let_go(held, back, gain):  # type: ignore[no-untyped-def]
    """In place: down at once, up slowly; the last gain."""
    for i in range(held.size):
        gain = min(held[i], gain + (1.0 - gain) * back)
        held[i] = gain
    return gain

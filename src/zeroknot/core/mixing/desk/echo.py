"""What is sent comes again after a while, softer and duller each time.

The time is the song's: each repeat lies on the beat, over changes of tempo, too, for it is read
from where the song was so many beats ago.
"""

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.mixing.desk.sections import BUTTERWORTH_2, high_cut, low_cut
from zeroknot.core.mixing.desk.strip import STEP, EchoLine
from zeroknot.core.mixing.desk.strip_run import Points, amplitude

Floats = NDArray[np.float64]
LINE_SECONDS = 8.0  # the longest delay
LEAST_FRAMES = 2.0


class EchoRun:
    def __init__(self, echo: EchoLine, rate: int):
        self._echo = echo
        self._delay = Points("delay", echo.delay)
        self._line = np.zeros((2, round(LINE_SECONDS * rate)))
        self._at = np.zeros(1, np.int64)
        self._states = np.zeros((2, 2, 2))
        corners = np.asarray([echo.low_cut_hz]), np.asarray([echo.high_cut_hz])
        q = BUTTERWORTH_2[0]
        self._cuts = np.concatenate([low_cut(corners[0], q, rate), high_cut(corners[1], q, rate)])
        self._gain = float(amplitude(np.asarray(echo.level_db)))

    def run(self, sent: Floats, first: int) -> Floats:
        """What comes back meanwhile: float64 [2, n].

        sent   float64 [2, n]
        first  song frame of its first
        """
        count = sent.shape[1]
        k = first // STEP
        steps = (first % STEP + count) // STEP + 2
        at = self._delay.at(np.arange(k, k + steps) * STEP)
        frames = np.arange(first % STEP, first % STEP + count)
        delays = np.interp(frames, np.arange(steps) * STEP, at)
        np.clip(delays, LEAST_FRAMES, self._line.shape[1] - 2, out=delays)
        out = np.empty_like(sent)
        feedback = self._echo.feedback
        _echo(
            sent,
            delays,
            self._line,
            self._at,
            self._cuts,
            self._states,
            feedback,
            self._echo.crossed,
            out,
        )
        return out * self._gain


@numba.njit(cache=True, nogil=True)
def _echo(sent, delays, line, place, cuts, states, feedback, crossed, out):  # type: ignore[no-untyped-def]
    size = line.shape[1]
    at = place[0]
    for i in range(sent.shape[1]):
        whole = int(np.floor(delays[i]))
        part = delays[i] - whole
        a, b = (at - whole) % size, (at - whole - 1) % size
        for c in range(2):
            x = line[c, a] + (line[c, b] - line[c, a]) * part
            for s in range(2):
                a1, a2, a3, m0, m1, m2 = cuts[s]
                s1, s2 = states[s, c]
                v3 = x - s2
                v1 = a1 * s1 + a2 * v3
                v2 = s2 + a2 * s1 + a3 * v3
                states[s, c, 0] = 2.0 * v1 - s1
                states[s, c, 1] = 2.0 * v2 - s2
                x = m0 * x + m1 * v1 + m2 * v2
            out[c, i] = x
        if crossed:
            line[0, at] = sent[0, i] + feedback * out[1, i]
            line[1, at] = sent[1, i] + feedback * out[0, i]
        else:
            line[0, at] = sent[0, i] + feedback * out[0, i]
            line[1, at] = sent[1, i] + feedback * out[1, i]
        at = (at + 1) % size
    place[0] = at
    for s in range(2):
        for c in range(2):
            for k in range(2):
                if abs(states[s, c, k]) < 1e-15:
                    states[s, c, k] = 0.0

"""What turns at a hypothesis's bar lines, over all of a file: pickup, passes and what follows them?

Chords and colour change from bar to bar rather than within one. `grid` compares them a beat at a
time, and within the pass; the bar before a beat beside the bar that begins there tells more of
where bars begin (it did in takes, decision 0034), and so does what stands before the one and after
the end.

Conventions
-----------
- Beats lie a period apart as far as the file reaches, counted from the hypothesis's start.
- By how much ones stand out of other beats is told in standard errors, at most FARTHEST.
"""

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.listening.hypothesis import Hypotheses
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.picture import COARSE

Table = NDArray[np.float32]

NEAR = 5  # frames of the picture that a beat's accent may lie in
FARTHEST = 6.0
TOLD = 5


def bar_lines(material: Material, h: Hypotheses) -> Table:
    """How far ones stand out: in how much begins in the lows, and altogether; in how far colour
    and chord are from those of the bar before; and how many ones were compared.

    returns  float32 [hypotheses, TOLD]
    """
    picture = material.picture
    starts, periods = h.start.astype(np.float64), h.period.astype(np.float64)
    metres, seconds = h.metre.astype(np.int64), picture.seconds
    out = np.zeros((len(h), TOLD))
    for i, band in enumerate((picture.rises[:, :2].sum(axis=1), picture.total)):
        near = ndimage.maximum_filter1d(band, NEAR)
        _accents_kernel(near, picture.hop_seconds, starts, periods, metres, seconds, out[:, i])
    for i, (table, step) in enumerate(
        (
            (picture.colours, picture.hop_seconds * COARSE),
            (material.chroma, material.chroma_hop),
        )
    ):
        sums = np.concatenate(
            [np.zeros((1, table.shape[1])), np.cumsum(table, axis=0, dtype=np.float64)]
        )
        _turns_kernel(table, sums, step, starts, periods, metres, seconds, out[:, 2 + i], out[:, 4])
    return out.astype(np.float32)


@numba.njit(cache=True, nogil=True)
def _standing_out(values, is_one, count):  # type: ignore[no-untyped-def]
    """By how many standard errors the ones among so many values are above the others."""
    ones, others, n = 0.0, 0.0, 0
    for k in range(count):
        if is_one[k]:
            ones, n = ones + values[k], n + 1
        else:
            others += values[k]
    if n == 0 or n == count:
        return 0.0
    mean, spread = (ones + others) / count, 0.0
    for k in range(count):
        spread += (values[k] - mean) ** 2
    error = np.sqrt(spread / count * (1.0 / n + 1.0 / (count - n))) + 1e-9
    return min(max((ones / n - others / (count - n)) / error, -FARTHEST), FARTHEST)


@numba.njit(cache=True, nogil=True)
def _accents_kernel(band, hop, starts, periods, metres, seconds, out):  # type: ignore[no-untyped-def]
    """How far what begins on ones is above what begins on other beats."""
    for n in range(starts.size):
        first = int(np.ceil(-starts[n] / periods[n] - 0.05))
        last = int(np.ceil((seconds - starts[n]) / periods[n] - 0.05))
        count = max(0, last - first)
        values, is_one = np.zeros(count), np.zeros(count, np.bool_)
        for k in range(count):
            i = int(np.rint((starts[n] + (first + k) * periods[n]) / hop))
            values[k] = band[min(max(i, 0), band.size - 1)]
            is_one[k] = (first + k) % metres[n] == 0
        out[n] = _standing_out(values, is_one, count)


@numba.njit(cache=True, nogil=True)
def _turns_kernel(  # type: ignore[no-untyped-def]
    table, sums, step, starts, periods, metres, seconds, out, ones
):
    """How far a bar's rows from each beat on are from the bar's before it, on ones beside others.

    ones  the logarithm of how many were compared
    """
    rows, columns = table.shape
    change = np.zeros(columns)
    for n in range(starts.size):
        period, bar = periods[n], periods[n] * metres[n]
        first = int(np.ceil(1.0 - starts[n] / period - 0.05))  # a beat is before it, and one after
        last = int(np.floor((seconds - starts[n]) / period - 1.0 + 0.05)) + 1
        count = max(0, last - first)
        turns, is_one = np.zeros(count), np.zeros(count, np.bool_)
        for k in range(count):
            at = starts[n] + (first + k) * period
            change[:] = 0.0
            for side in range(2):
                one = at if side else max(0.0, at - bar)
                other = min(seconds, at + bar) if side else at
                share = (1.0 if side else -1.0) * step / (other - one)
                for edge in range(2):
                    place = min(max((other if edge else one) / step, 0.0), float(rows))
                    whole = min(int(place), rows - 1)
                    for c in range(columns):
                        taken = sums[whole, c] + (place - whole) * table[whole, c]
                        change[c] += share * (taken if edge else -taken)
            square = 0.0
            for c in range(columns):
                square += change[c] * change[c]
            turns[k] = np.sqrt(square)
            is_one[k] = (first + k) % metres[n] == 0
        out[n] = _standing_out(turns, is_one, count)
        ones[n] = np.log2(1.0 + is_one.sum())

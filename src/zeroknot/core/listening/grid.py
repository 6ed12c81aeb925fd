"""How does a sound lie on a hypothesis's grid: its accents, what comes again, what lies around?

Conventions
-----------
- A pass is looked at on twelve places a pulse (quarters and thirds both fall on them) and, for
  what comes again, on four slots a pulse, as a circle: its end and its start are neighbours.
- Numbers are relative to the loop's own mean, so that level and density have no say.
"""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.listening.hypothesis import Hypotheses
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.picture import COARSE

Table = NDArray[np.float32]

PLACES, SLOTS = 12, 4  # of a pulse
PROFILE, SHAPES, LAGS = 6, 7, 7  # numbers a band, a band, and a table
MOST_AROUND = 8  # pulses before and behind a pass that are compared with its ends


@dataclass(frozen=True, eq=False)
class _Prepared:
    """What every hypothesis is looked up in.

    bands   four float32 [frames]: rises in all, low, middle and high, each a local maximum
    sums    running sums of colours, chroma and rises: float64 [rows + 1, columns]
    steps   seconds a row of each
    """

    bands: tuple[Table, ...]
    hop: float
    tables: tuple[Table, ...]
    sums: tuple[NDArray[np.float64], ...]
    steps: tuple[float, ...]

    @classmethod
    def of(cls, material: Material) -> "_Prepared":
        picture = material.picture
        bands = (
            picture.total, picture.rises[:, :2].sum(axis=1), picture.rises[:, 2:4].sum(axis=1),
            picture.rises[:, 4:].sum(axis=1),
        )  # fmt: skip
        tables = (picture.colours, material.chroma, picture.rises)
        return cls(
            tuple(ndimage.maximum_filter1d(band, 5) for band in bands),
            picture.hop_seconds,
            tables,
            tuple(
                np.concatenate([np.zeros((1, t.shape[1])), np.cumsum(t, axis=0, dtype=np.float64)])
                for t in tables
            ),
            (picture.hop_seconds * COARSE, material.chroma_hop, picture.hop_seconds),
        )


def on_the_grid(material: Material, h: Hypotheses) -> Table:
    """Accents, repetition and what lies around, of every hypothesis.

    returns  float32 [hypotheses, (PROFILE + SHAPES) · bands + (LAGS + 3) · tables]
    """
    prepared = _Prepared.of(material)
    n = len(h)
    starts, periods = h.start.astype(np.float64), h.period.astype(np.float64)
    pulses, metres = h.pulses.astype(np.int64), h.metre.astype(np.int64)
    profiles = np.zeros((n, PROFILE * len(prepared.bands)))
    shapes = np.zeros((n, SHAPES * len(prepared.bands)))
    for i, band in enumerate(prepared.bands):
        _accents_kernel(
            band, prepared.hop, starts, periods, pulses, metres,
            profiles[:, i * PROFILE : (i + 1) * PROFILE], shapes[:, i * SHAPES : (i + 1) * SHAPES],
        )  # fmt: skip
    lags = np.stack(
        [
            np.full(n, 1), np.full(n, 2), np.full(n, 3), metres, 2 * metres,
            np.where(h.bars % 2 == 0, pulses // 2, 0), np.where(metres == 4, 3, 4),
        ],
        axis=1,
    ).astype(np.int64)  # fmt: skip
    again = np.zeros((n, (LAGS + 1) * len(prepared.tables)))
    for i, (table, sums, step) in enumerate(
        zip(prepared.tables, prepared.sums, prepared.steps, strict=True)
    ):
        _repetition_kernel(
            table, sums, step, starts, periods, pulses, metres, lags,
            again[:, i * (LAGS + 1) : (i + 1) * (LAGS + 1)],
        )  # fmt: skip
    around = np.zeros((n, 2 * len(prepared.tables)))
    ends, seconds = h.end.astype(np.float64), material.picture.seconds
    for i, (table, sums, step) in enumerate(
        zip(prepared.tables, prepared.sums, prepared.steps, strict=True)
    ):
        _around_kernel(
            table, sums, step, starts, ends, periods, seconds, around[:, 2 * i : 2 * i + 2]
        )
    return np.concatenate([profiles, shapes, again, around], axis=1).astype(np.float32)


@numba.njit(cache=True, nogil=True)
def _accents_kernel(  # type: ignore[no-untyped-def]
    band, hop, starts, periods, pulses, metres, profiles, shapes
):
    """Where in the pulse and in the bar things begin, in one band of the picture."""
    for n in range(starts.size):
        count, metre = pulses[n], metres[n]
        profile = np.zeros(PLACES)
        beats = np.zeros(count)
        for k in range(count * PLACES):
            i = int(np.rint((starts[n] + periods[n] * k / PLACES) / hop))
            if 0 <= i < band.size:
                profile[k % PLACES] += band[i]
                if k % PLACES == 0:
                    beats[k // PLACES] = band[i]
        mean = profile.sum() / (count * PLACES) + 1e-6
        profile /= count * mean
        beats /= mean
        profiles[n, 0] = profile[0]
        profiles[n, 1] = profile[6]
        profiles[n, 2] = (profile[3] + profile[9]) / 2
        profiles[n, 3] = (profile[4] + profile[8]) / 2
        profiles[n, 4] = profile[8] - profile[4]
        rest = profile[1] + profile[2] + profile[5] + profile[7] + profile[10] + profile[11]
        profiles[n, 5] = rest / 6
        bars = count // metre
        bar = np.zeros(metre)
        for k in range(bars * metre):
            bar[k % metre] += beats[k] / bars
        level = bar.mean() + 1e-6
        even, odd, evens, odds = 0.0, 0.0, 0, 0
        for j in range(metre):
            if j % 2:
                odd, odds = odd + bar[j], odds + 1
            else:
                even, evens = even + bar[j], evens + 1
        shapes[n, 0] = (bar[0] - bar[1:].mean()) / level
        shapes[n, 1] = (bar[0] - bar[1:].max()) / level
        shapes[n, 2] = (odd / odds - even / evens) / level
        if metre == 4:
            shapes[n, 3] = (bar[0] - bar[2]) / level
            shapes[n, 4] = abs(bar[1] - bar[3]) / level
        shapes[n, 5] = (beats[0] - bar[0]) / level
        shapes[n, 6] = (beats[:metre].mean() - level) / level


@numba.njit(cache=True, nogil=True)
def _repetition_kernel(  # type: ignore[no-untyped-def]
    table, sums, step, starts, periods, pulses, metres, lags, out
):
    """How like itself the pass is some pulses later, in one table of rows; 0 where it is the same.

    Outside the table is silence. The last column says how much changes at bar lines against other
    pulses.
    """
    rows, columns = table.shape
    for n in range(starts.size):
        count, slots = pulses[n], pulses[n] * SLOTS
        means = np.zeros((slots, columns))
        width = max(periods[n] / SLOTS / step, 1e-6)
        for s in range(slots + 1):
            at = min(max((starts[n] + periods[n] * s / SLOTS) / step, 0.0), float(rows))
            whole = min(int(at), rows - 1)
            for c in range(columns):
                taken = sums[whole, c] + (at - whole) * table[whole, c]
                if s < slots:
                    means[s, c] -= taken / width
                if s > 0:
                    means[s - 1, c] += taken / width
        for c in range(columns):
            level = 0.0
            for s in range(slots):
                level += means[s, c] / slots
            for s in range(slots):
                means[s, c] -= level
        power = 1e-6
        for s in range(slots):
            for c in range(columns):
                power += means[s, c] * means[s, c]
        for k in range(lags.shape[1]):
            lag = lags[n, k] * SLOTS % slots
            if lag == 0:
                continue
            like = 0.0
            for s in range(slots):
                other = s + lag - slots if s + lag >= slots else s + lag
                for c in range(columns):
                    like += means[s, c] * means[other, c]
            out[n, k] = like / power
        changes, at_bars, bars = 0.0, 0.0, 0
        for p in range(count):
            square = 0.0
            before = p - 1 if p > 0 else count - 1
            for c in range(columns):
                by = 0.0
                for s in range(SLOTS):
                    by += means[p * SLOTS + s, c] - means[before * SLOTS + s, c]
                square += (by / SLOTS) * (by / SLOTS)
            change = np.sqrt(square) + 1e-6
            changes += change / count
            if p % metres[n] == 0:
                at_bars, bars = at_bars + change, bars + 1
        out[n, lags.shape[1]] = at_bars / bars / changes


@numba.njit(cache=True, nogil=True)
def _around_kernel(  # type: ignore[no-untyped-def]
    table, sums, step, starts, ends, periods, seconds, out
):
    """How like the end of the pass is what stands before its start, and its start what follows it.

    Slot by slot from each edge, against the mean of the whole sound; 0 where nothing is there.
    """
    rows, columns = table.shape
    mean = sums[rows] / rows
    here, there = np.zeros(columns), np.zeros(columns)
    for n in range(starts.size):
        width = periods[n] / SLOTS
        for side in range(2):
            room = starts[n] if side == 0 else seconds - ends[n]
            count = min(int(room / width + 0.1), MOST_AROUND * SLOTS)
            like, one, other = 0.0, 1e-9, 1e-9
            for s in range(count):
                by = -(s + 1) * width if side == 0 else s * width
                for edge in range(2):
                    first = ((starts[n] if edge == 0 else ends[n]) + by) / step
                    for c in range(columns):
                        taken = 0.0
                        for k in range(2):
                            at = min(max(first + k * width / step, 0.0), float(rows))
                            whole = min(int(at), rows - 1)
                            value = sums[whole, c] + (at - whole) * table[whole, c]
                            taken += value if k else -value
                        level = taken * step / width - mean[c]
                        if edge == 0:
                            here[c] = level
                        else:
                            there[c] = level
                for c in range(columns):
                    like += here[c] * there[c]
                    one += here[c] * here[c]
                    other += there[c] * there[c]
            out[n, side] = like / np.sqrt(one * other)

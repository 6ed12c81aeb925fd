"""What speaks for a hypothesis, and what against it? One row of numbers each.

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

from zeroknot.core.listening.hypotheses import Hypotheses, grid_line
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.picture import COARSE

Table = NDArray[np.float32]

PLACES, SLOTS = 12, 4  # of a pulse
TEMPO_CENTRES = 44.0 * 2.0 ** (np.arange(12) / 4.0)
BAR_CLASSES = (1, 2, 3, 4, 5, 8, 16)
METRE_CLASSES = (2, 3, 4, 5, 7)
EDGE_KINDS = 6
PROFILE, SHAPES, LAGS = 6, 7, 7  # numbers a band, a band, and a table


def first_evidence(material: Material, hypotheses: Hypotheses) -> Table:
    """What is quickly told: float32 [hypotheses, features]."""
    parts = [
        _kinds(hypotheses),
        _tempo(hypotheses),
        _edges(material, hypotheses),
        _attacks(material, hypotheses),
        _whole(material, len(hypotheses)),
    ]
    return np.concatenate(parts, axis=1).astype(np.float32)


def evidence(material: Material, hypotheses: Hypotheses, first: Table) -> Table:
    """Everything: what was quickly told, drift on the grid, accents and repetition.

    returns  float32 [hypotheses, features]
    """
    parts = [first, _drift(material, hypotheses), _on_the_grid(material, hypotheses)]
    return np.concatenate(parts, axis=1).astype(np.float32)


def _kinds(h: Hypotheses) -> Table:
    bars = (h.bars[:, None] == np.asarray(BAR_CLASSES)).astype(np.float32)
    other = 1.0 - bars.sum(axis=1, keepdims=True)
    columns = [
        bars,
        other,
        (h.metre[:, None] == np.asarray(METRE_CLASSES)).astype(np.float32),
        (h.start_kind[:, None] == np.arange(EDGE_KINDS)).astype(np.float32),
        (h.end_kind[:, None] == np.arange(EDGE_KINDS)).astype(np.float32),
        np.log2(h.pulses)[:, None],
        np.log2(h.bars)[:, None],
    ]
    return np.concatenate(columns, axis=1).astype(np.float32)


def _tempo(h: Hypotheses) -> Table:
    octaves = np.log2(h.tempo[:, None] / TEMPO_CENTRES)
    off = np.abs(h.tempo - np.round(h.tempo))
    columns = [
        np.exp(-0.5 * (octaves / 0.2) ** 2),
        np.exp(-((off / 0.015) ** 2))[:, None],
        np.exp(-((off / 0.08) ** 2))[:, None],
        np.log2(h.end - h.start)[:, None],
        np.log2((h.end - h.start) / h.bars)[:, None],
    ]
    return np.concatenate(columns, axis=1).astype(np.float32)


def _edges(material: Material, h: Hypotheses) -> Table:
    """What stands before the start and behind the end."""
    picture, (first, last) = material.picture, material.sounding
    hop = picture.hop_seconds
    wide = ndimage.maximum_filter1d(picture.total, 7)
    low = ndimage.maximum_filter1d(picture.rises[:, :2].sum(axis=1), 7)
    loudest = np.percentile(picture.total, 99) + 1e-9
    loudest_low = np.percentile(picture.rises[:, :2].sum(axis=1), 99) + 1e-9
    level = picture.colours.mean(axis=1)
    mean_level = level.mean() + 1e-9
    cumulated = np.concatenate([[0.0], np.cumsum(picture.total, dtype=np.float64)])
    total = cumulated[-1] + 1e-9

    def at(table: Table, seconds: NDArray[np.float64], step: float) -> NDArray[np.float64]:
        i = np.round(seconds / step).astype(np.int64)
        inside = (i >= 0) & (i < table.size)
        return np.where(inside, table[np.clip(i, 0, table.size - 1)], 0.0)

    def share_before(seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        i = np.clip(np.round(seconds / hop).astype(np.int64), 0, cumulated.size - 1)
        return np.asarray(cumulated[i] / total)

    coarse = hop * COARSE
    period = h.period
    lead = h.start / period
    rest = (picture.seconds - h.end) / period
    columns = [
        at(wide, h.start, hop) / loudest,
        at(low, h.start, hop) / loudest_low,
        at(wide, h.end, hop) / loudest,
        share_before(h.start - 0.015),
        1.0 - share_before(h.end - 0.015),
        at(level, h.end - 0.05, coarse) / mean_level,
        at(level, h.start - 0.05, coarse) / mean_level,
        np.clip(lead, -1, 8),
        np.clip(rest, -1.2, 8),
        np.clip(h.start, -0.5, 4),
        np.clip(picture.seconds - h.end, -0.5, 3),
        np.cos(2 * np.pi * lead) * (h.start > 0.03),
        np.cos(4 * np.pi * lead) * (h.start > 0.03),
        np.cos(2 * np.pi * rest) * (np.abs(rest) > 0.05),
        np.clip((first - h.start) / period, -2, 2),
        np.clip((h.end - last) / period, -2, 4),
        np.clip((first - h.start), -0.3, 0.3),
        (h.start < 0) * 1.0,
        (h.end > picture.seconds + 0.002) * 1.0,
    ]
    return np.stack(columns, axis=1).astype(np.float32)


def _attacks(material: Material, h: Hypotheses) -> Table:
    """How the attacks sit on the hypothesis's grid."""
    times, strengths = material.attacks.strongest(400)
    if times.size == 0:
        return np.zeros((len(h), 17), np.float32)
    period = h.period[:, None]
    inside = (times >= h.start[:, None] - 0.02) & (times < h.end[:, None] - 0.015)
    weights = strengths * inside
    total = weights.sum(axis=1) + 1e-9
    phase = (times - h.start[:, None]) / period

    def off(parts: int) -> NDArray[np.float64]:
        return np.asarray(np.abs(phase * parts - np.round(phase * parts)) / parts * period)

    def share(parts: int, width: float) -> NDArray[np.float64]:
        hit = (weights * np.exp(-0.5 * (off(parts) / width) ** 2)).sum(axis=1) / total
        return np.asarray(hit - np.minimum(1.0, width * np.sqrt(2 * np.pi) * parts / h.period))

    fourths = off(4)
    near_start = np.abs(times - h.start[:, None])
    i = near_start.argmin(axis=1)
    nearest = near_start[np.arange(len(h)), i]
    before_end = np.where(times < h.end[:, None] - 0.015, times, -np.inf).max(axis=1)
    bars = (h.end - h.start) / h.bars
    columns = [
        share(1, 0.012), share(2, 0.012), share(4, 0.008), share(4, 0.016), share(3, 0.008),
        share(3, 0.016), share(6, 0.008), share(1, 0.03),
        np.sqrt((weights * np.minimum(fourths, 0.03) ** 2).sum(axis=1) / total) * 100,
        np.where(nearest < 0.025, strengths[i], 0.0),
        np.minimum(nearest, 0.06) * 20,
        np.clip((h.end - np.maximum(before_end, -10)) / h.period, 0, 5),
        np.clip((h.end - np.maximum(before_end, -10)) / bars, 0, 2),
        np.log2(1 + inside.sum(axis=1) / h.pulses),
        np.log2(1 + inside.sum(axis=1) / h.bars),
        (strengths * (times < h.start[:, None] - 0.02)).sum(axis=1) / strengths.sum(),
        (strengths * (times >= h.end[:, None] - 0.015)).sum(axis=1) / strengths.sum(),
    ]  # fmt: skip
    return np.stack(columns, axis=1).astype(np.float32)


def _drift(material: Material, h: Hypotheses) -> Table:
    """Do the attacks keep step with the hypothesis, or fall behind?"""
    line = grid_line(h, material.attacks)
    length = h.end - h.start
    off = line.slope * length
    columns = [
        np.clip(off, -0.015, 0.015) * 200,
        np.minimum(np.abs(off), 0.015) * 200,
        np.clip(line.slope / (line.doubt + 1e-9), -6, 6),
        np.minimum(np.abs(line.slope / (line.doubt + 1e-9)), 6),
        np.clip(line.at_start, -0.015, 0.015) * 200,
        np.minimum(line.spread, 0.012) * 200,
        np.log2(1 + line.hits),
        np.minimum(line.doubt * length, 0.02) * 100,
    ]
    return np.stack(columns, axis=1).astype(np.float32)


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


def _on_the_grid(material: Material, h: Hypotheses) -> Table:
    """Accents and repetition, of every hypothesis.

    returns  float32 [hypotheses, (PROFILE + SHAPES) · bands + (LAGS + 1) · tables]
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
    return np.concatenate([profiles, shapes, again], axis=1).astype(np.float32)


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


def _whole(material: Material, n: int) -> Table:
    """What is the same for every hypothesis of a sound: the judge weighs the rest by it."""
    picture, attacks = material.picture, material.attacks
    values = [
        np.log2(picture.seconds),
        np.log2(1 + attacks.seconds.size / picture.seconds),
        min(2.0, material.peakiness),
        float(np.percentile(picture.total, 99) / (picture.total.mean() + 1e-6)) / 10,
        min(1.0, material.sounding[0]),
        min(1.0, picture.seconds - material.sounding[1]),
        float(picture.colours[-3:].mean() / (picture.colours.mean() + 1e-6)),
        np.log2(1 + n) / 8,
    ]
    return np.tile(np.asarray(values, np.float32), (n, 1))

"""What speaks for a hypothesis, and what against it? One row of numbers each.

Conventions
-----------
- A pass is looked at on twelve places a pulse (quarters and thirds both fall on them) and, for
  what comes again, on four slots a pulse, as a circle: its end and its start are neighbours.
- Numbers are relative to the loop's own mean, so that level and density have no say.
"""

from dataclasses import dataclass

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
KINDS = 6
CHUNK_CELLS = 400_000  # grid places worked on at a time: bounds the memory


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
    parts = [first, _drift(material, hypotheses), _in_groups(material, hypotheses)]
    return np.concatenate(parts, axis=1).astype(np.float32)


def _kinds(h: Hypotheses) -> Table:
    bars = (h.bars[:, None] == np.asarray(BAR_CLASSES)).astype(np.float32)
    other = 1.0 - bars.sum(axis=1, keepdims=True)
    columns = [
        bars,
        other,
        (h.metre[:, None] == np.asarray(METRE_CLASSES)).astype(np.float32),
        (h.start_kind[:, None] == np.arange(KINDS)).astype(np.float32),
        (h.end_kind[:, None] == np.arange(KINDS)).astype(np.float32),
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
    """What every group of hypotheses is looked up in.

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


def _in_groups(material: Material, h: Hypotheses) -> Table:
    """Accents and repetition, worked out together for hypotheses of as many pulses."""
    prepared = _Prepared.of(material)
    out: Table | None = None
    for count in np.unique(h.pulses):
        members = np.flatnonzero(h.pulses == count)
        size = max(1, int(CHUNK_CELLS // (count * PLACES)))
        for k in range(0, members.size, size):
            part = members[k : k + size]
            group = h.taken(part)
            rows = np.concatenate([_accents(prepared, group), _repetition(prepared, group)], axis=1)
            if out is None:
                out = np.zeros((len(h), rows.shape[1]), np.float32)
            out[part] = rows
    assert out is not None
    return out


def _accents(prepared: _Prepared, h: Hypotheses) -> Table:
    """Where in the pulse and in the bar things begin, low and high apart."""
    count, frames = int(h.pulses[0]), prepared.bands[0].size
    places = h.start[:, None] + h.period[:, None] * np.arange(count * PLACES) / PLACES
    i = np.round(places / prepared.hop).astype(np.int64)
    inside = (i >= 0) & (i < frames)
    i = np.clip(i, 0, frames - 1)
    columns = []
    beats = []
    for band in prepared.bands:
        values = band[i] * inside
        values = values.reshape(len(h), count, PLACES)
        mean = values.mean(axis=(1, 2))[:, None] + 1e-6
        profile = values.mean(axis=1) / mean
        columns += [
            profile[:, 0], profile[:, 6], profile[:, (3, 9)].mean(axis=1),
            profile[:, (4, 8)].mean(axis=1), profile[:, 8] - profile[:, 4],
            profile[:, (1, 2, 5, 7, 10, 11)].mean(axis=1),
        ]  # fmt: skip
        beats.append(values[:, :, 0] / mean)
    for beat in beats:
        shapes = np.zeros((len(h), 7), np.float32)
        for metre in np.unique(h.metre):
            rows = h.metre == metre
            bar = beat[rows].reshape(int(rows.sum()), -1, metre)
            mean = bar.mean(axis=1)
            level = mean.mean(axis=1) + 1e-6
            rest = mean[:, 1:]
            shapes[rows, 0] = (mean[:, 0] - rest.mean(axis=1)) / level
            shapes[rows, 1] = (mean[:, 0] - rest.max(axis=1)) / level
            shapes[rows, 2] = (mean[:, 1::2].mean(axis=1) - mean[:, 0::2].mean(axis=1)) / level
            if metre == 4:
                shapes[rows, 3] = (mean[:, 0] - mean[:, 2]) / level
                shapes[rows, 4] = np.abs(mean[:, 1] - mean[:, 3]) / level
            first = bar[:, 0].mean(axis=1)
            shapes[rows, 5] = (bar[:, 0, 0] - mean[:, 0]) / level
            shapes[rows, 6] = (first - level) / level
        columns += list(shapes.T)
    return np.stack(columns, axis=1).astype(np.float32)


def _repetition(prepared: _Prepared, h: Hypotheses) -> Table:
    """How like itself the pass is some pulses or bars later, in colour, in pitch, in rises."""
    count = int(h.pulses[0])
    edges = h.start[:, None] + h.period[:, None] * np.arange(count * SLOTS + 1) / SLOTS
    columns = []
    metre = h.metre
    lags = np.stack(
        [
            np.full(len(h), 1), np.full(len(h), 2), np.full(len(h), 3), metre, 2 * metre,
            np.where(h.bars % 2 == 0, count // 2, 0), np.where(metre == 4, 3, 4),
        ],
        axis=1,
    )  # fmt: skip
    slots = count * SLOTS
    every = np.arange(len(h))
    for table, sums, step in zip(prepared.tables, prepared.sums, prepared.steps, strict=True):
        means = _means_between(table, sums, edges / step)
        means -= means.mean(axis=1, keepdims=True)
        power = np.square(means).sum(axis=(1, 2)) + 1e-6
        # By the spectrum: the circular likeness at every lag at once.
        spectrum = np.fft.rfft(means, axis=1)
        again = np.fft.irfft((np.abs(spectrum) ** 2).sum(axis=2), n=slots, axis=1)
        again /= power[:, None]
        for k in range(lags.shape[1]):
            lag = lags[:, k] * SLOTS % slots
            columns.append(np.where(lag == 0, 0.0, again[every, lag]))
        # How much changes at bar lines against other pulses.
        pulses = means.reshape(len(h), count, SLOTS, -1).mean(axis=2)
        change = np.sqrt(np.square(pulses - np.roll(pulses, 1, axis=1)).sum(axis=2)) + 1e-6
        at_bars = np.zeros(len(h))
        for one in np.unique(metre):
            rows = metre == one
            at_bars[rows] = change[rows, :: int(one)].mean(axis=1)
        columns.append(at_bars / change.mean(axis=1))
    return np.stack(columns, axis=1).astype(np.float32)


def _means_between(
    table: Table, sums: NDArray[np.float64], edges: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Means of the rows between neighbouring edges (in rows, fractions count): [n, slots, columns].

    Outside the table is silence.
    """
    at = np.clip(edges, 0, table.shape[0])
    whole = np.minimum(at.astype(np.int64), table.shape[0] - 1)
    taken = sums[whole] + (at - whole)[..., None] * table[whole]
    widths = np.maximum(np.diff(edges, axis=1), 1e-6)[..., None]
    return np.asarray(np.diff(taken, axis=1) / widths)


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

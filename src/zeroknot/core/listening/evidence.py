"""What speaks for a hypothesis, and what against it? One row of numbers each.

Conventions
-----------
- Numbers are relative to the loop's own mean, so that level and density have no say.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.listening.bar_lines import bar_lines
from zeroknot.core.listening.copies import cut_of, matches
from zeroknot.core.listening.edges import grid_line
from zeroknot.core.listening.grid import on_the_grid
from zeroknot.core.listening.hypothesis import Hypotheses
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.picture import COARSE

Table = NDArray[np.float32]

TEMPO_CENTRES = 44.0 * 2.0 ** (np.arange(12) / 4.0)
BAR_CLASSES = (1, 2, 3, 4, 5, 8, 16)
METRE_CLASSES = (2, 3, 4, 5, 7)
EDGE_KINDS = 6


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
    """Everything: what was quickly told, drift on the grid, accents, repetition, what lies around,
    what comes again sample by sample, what turns at bar lines.

    returns  float32 [hypotheses, features]
    """
    parts = [
        first, _drift(material, hypotheses), on_the_grid(material, hypotheses),
        _copies(material, hypotheses), bar_lines(material, hypotheses),
    ]  # fmt: skip
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


def _copies(material: Material, h: Hypotheses) -> Table:
    """What comes again sample by sample, and how far the start is from where silence ends."""
    found, edge = matches(material.thin, h.start, h.end, h.pulses), material.edge
    times = material.attacks.seconds
    first = float(times[0]) if times.size else 0.0
    off = h.start - edge.seconds
    return np.concatenate(
        [
            found.best,
            found.exact,
            found.best.max(axis=0, initial=0.0) - found.exact,
            np.clip(found.longer, -0.02, 0.02) * 200,
            found.looked,
            np.stack([np.clip(off, -0.015, 0.015) * 200, np.minimum(np.abs(off), 0.015) * 200], 1),
            np.tile(
                [
                    min(edge.seconds, 1.0),
                    edge.quiet_db / 100,
                    min(first - edge.seconds, 0.1) * 100,
                    *cut_of(material.thin),
                ],
                (len(h), 1),
            ),
        ],
        axis=1,
    ).astype(np.float32)


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

"""What might a loop be? Every start, end, number of bars and metre worth a look, together.

A loop nearly always holds a whole number of bars, so its length gives the precision and the sound
only has to choose (Font & Serra, "Tempo estimation for music loops and a simple confidence
measure", ISMIR 2016). But the start is a question, not preprocessing: a file may begin with
silence, a pickup, or after the one, and end with a tail or before the last beat.

Conventions
-----------
- A hypothesis counts pulses; `metre` is pulses a bar (6/8 has two).
- Kinds say where a start or an end came from; the judge weighs them.
"""

from collections.abc import Iterator
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.picture import Picture
from zeroknot.core.listening.tempo import periods, top_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

METRES = {4: (55.0, 212.0), 3: (55.0, 212.0), 2: (44.0, 132.0), 5: (55.0, 212.0), 7: (118.0, 330.0)}
BARS = (1, 2, 4, 8, 16, 3, 5, 6, 7, 12, 24, 32, 64)
START_FILE, START_SOUND, START_ATTACK, START_BEFORE, START_BACK, START_MARK = range(6)
END_FILE, END_SOUND, END_BEAT, END_BEYOND, END_SEAM, END_MARK = range(6)
NEAREST_STARTS, STRONGEST_STARTS = 8, 8  # attacks that the one may fall on
EARLY_SECONDS = 0.003  # a grid's start lies before the sound that is played on it by about this
# What encoders and decoders of MP3 leave in front, at the usual rates (facts of the format: 576
# samples of the one and 529 of the other, and frames of 1152; from memory).
LEADS_SECONDS = tuple(n / rate for rate in (44_100, 48_000) for n in (576, 1105, 1152, 1681, 2257))
LEAD_EARLY, LEAD_LATE = 0.004, 0.012
MOST_BARS_AFTER_PICKUPS = 8  # of BARS: the lengths that are usual
PICKUPS = (0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0)  # pulses before the one
MOST_COUNTED = 8  # starts, of two variants each, from which ends are counted on
LONGEST_TAIL_SECONDS = 2.2
SNAP_SECONDS = 0.03


@dataclass(frozen=True, eq=False)
class Hypotheses:
    """One row a hypothesis: seconds, counts and kinds, all of the same length."""

    start: Floats
    end: Floats
    bars: Ints
    metre: Ints
    start_kind: Ints
    end_kind: Ints

    def __len__(self) -> int:
        return int(self.start.size)

    @property
    def pulses(self) -> Ints:
        """Pulses of a pass: int [hypotheses]"""
        return self.bars * self.metre

    @property
    def period(self) -> Floats:
        """Seconds a pulse. float64 [hypotheses]"""
        return (self.end - self.start) / self.pulses

    @property
    def tempo(self) -> Floats:
        """Pulses a minute. float64 [hypotheses]"""
        return 60.0 / self.period

    def taken(self, which: Ints | NDArray[np.bool_]) -> "Hypotheses":
        """Those that `which` says: int [taken] or bool [hypotheses]"""
        return Hypotheses(
            self.start[which], self.end[which], self.bars[which], self.metre[which],
            self.start_kind[which], self.end_kind[which],
        )  # fmt: skip

    def joined(self, other: "Hypotheses") -> "Hypotheses":
        """These, then the others."""
        return Hypotheses(
            *(np.concatenate([getattr(self, f.name), getattr(other, f.name)]) for f in fields(self))
        )

    def without_doubles(self) -> "Hypotheses":
        """The first of those that agree within 1 ms in start and end."""
        keys = np.stack(
            [np.round(self.start / 0.001), np.round(self.end / 0.001), self.bars, self.metre], 1
        )
        return self.taken(np.sort(np.unique(keys, axis=0, return_index=True)[1]))


def hypotheses(
    picture: Picture,
    attacks: Attacks,
    sounding: tuple[float, float],
    mark: tuple[float, float] | None = None,
    edge: float = 0.0,
) -> Hypotheses:
    """Everything worth a look, without doubles.

    sounding  first and last second that are not silence
    edge      second in which the silence in front ends; 0 where none is
    mark      start and end that the file itself marks as a loop
    """
    seconds = picture.seconds
    starts = _starts(attacks, sounding, seconds, edge)
    if mark:  # before what is heard near it: of doubles the first stays
        starts.insert(1, (mark[0], START_MARK))
    ends = [(seconds, END_FILE)]
    if sounding[1] < seconds - 0.02:
        ends.append((sounding[1], END_SOUND))
    if mark:
        ends.insert(0, (mark[1], END_MARK))
    rows: list[tuple[float, float, int, int, int, int]] = []
    for start, start_kind in starts:
        for end, end_kind in ends:
            rows += [
                (start, end, bars, metre, start_kind, end_kind)
                for metre, (slowest, fastest) in METRES.items()
                for bars in BARS
                if end - start > 0.2 and slowest <= bars * metre * 60 / (end - start) <= fastest
            ]
    rows += _after_pickups(seconds)
    for rough in periods(picture):
        again = _by_repetition(rough, picture)
        for start, start_kind in starts[: 2 * MOST_COUNTED]:
            for period in _refined(rough, start, attacks, again):
                rows += _counted_on(period, start, start_kind, seconds)
        first = starts[0][0]
        for period in _refined(rough, first, attacks, again)[:2]:
            rows += _counted_back(period, attacks, seconds)
    for lag in seam_lags(picture, starts[0][0]):
        start, start_kind = starts[0]
        rows += [
            (start, start + lag, bars, metre, start_kind, END_SEAM)
            for metre, (slowest, fastest) in METRES.items()
            for bars in BARS
            if slowest <= bars * metre * 60 / lag <= fastest
        ]
    return _hypotheses_of(rows)


def _hypotheses_of(rows: list[tuple[float, float, int, int, int, int]]) -> Hypotheses:
    columns = list(zip(*rows, strict=True)) if rows else [()] * 6
    return Hypotheses(
        np.asarray(columns[0], float), np.asarray(columns[1], float),
        *(np.asarray(c, np.int64) for c in columns[2:]),
    ).without_doubles()  # fmt: skip


def _starts(
    attacks: Attacks, sounding: tuple[float, float], seconds: float, edge: float
) -> list[tuple[float, int]]:
    """Moments the one may fall on, with their kinds; the file's own start first."""
    starts = [(0.0, START_FILE)]
    times, strengths = attacks.seconds, attacks.strengths
    first = sounding[0]
    if times.size and (abs(times[0] - first) < 0.06 or times[0] < first):
        first = float(times[0])
    if 0.004 < edge < 0.6 * seconds:
        starts.append((edge, START_SOUND))
    if 0.004 < first < 0.6 * seconds:
        starts += [(first, START_SOUND), (first - EARLY_SECONDS, START_SOUND)]
        starts += [
            (lead, START_SOUND) for lead in LEADS_SECONDS if -LEAD_EARLY < first - lead < LEAD_LATE
        ]
    early = np.flatnonzero((times > first + 0.06) & (times < min(5.0, 0.6 * seconds)))
    if early.size:
        nearest = early[:NEAREST_STARTS]
        strongest = early[np.argsort(-strengths[early], kind="stable")[:STRONGEST_STARTS]]
        for i in np.unique(np.concatenate([nearest, strongest])):
            at = float(times[i])
            starts += [(at, START_ATTACK), (at - EARLY_SECONDS, START_ATTACK)]
    return starts


def _refined(rough: float, start: float, attacks: Attacks, again: float) -> list[float]:
    """Exact periods near a rough one: by the attacks, by far repetition, and whole BPM.

    again  the period as far repetition has it
    """
    found = [straightened(attacks, start, rough), again]
    for period in list(found):
        bpm = 60 / period
        if abs(bpm - round(bpm)) < 0.003 * bpm:
            found.append(60 / round(bpm))
    kept: list[float] = []
    for period in found:
        if all(abs(period / k - 1) > 1e-4 for k in kept):
            kept.append(period)
    return kept


def straightened(attacks: Attacks, start: float, rough: float) -> float:
    """The period whose halves fit the attacks best near a rough one (least squares from start)."""
    period = rough
    for _ in range(3):
        places = np.round((attacks.seconds - start) / (period / 2))
        off = attacks.seconds - start - places * (period / 2)
        near = (np.abs(off) < 0.03) & (places > 0)
        if not near.any():
            return rough
        weights = attacks.strengths[near]
        at, n = attacks.seconds[near] - start, places[near]
        period = 2.0 * float((weights * at * n).sum() / (weights * n * n).sum())
    return period if abs(period / rough - 1) < 0.05 else rough


def _by_repetition(rough: float, picture: Picture) -> float:
    """The period from the farthest repetition that can be told apart: the error is shared out."""
    values = (picture.total - picture.total.mean()).astype(np.float64)
    hop = picture.hop_seconds
    period = rough
    for times in (2, 4, 8, 16, 32):
        lag = period * times / hop
        reach = max(2, round(0.012 / hop))
        low, high = round(lag) - reach, round(lag) + reach + 1
        if high > 0.7 * values.size:
            break
        again = np.asarray(
            [float(values[: values.size - k] @ values[k:]) for k in range(low, high)]
        )
        top = int(np.argmax(again))
        if not 0 < top < again.size - 1:
            break
        period = (low + top_of(again, top)) * hop / times
    return period


def _lengths(period: float) -> Iterator[tuple[int, int, float]]:
    """(pulses a bar, bars, seconds a pulse) whose pulse is a period, its half or its double."""
    for metre, (slowest, fastest) in METRES.items():
        for times in (0.5, 1.0, 2.0) if metre != 7 else (0.5, 1.0):
            pulse = period * times
            if slowest <= 60 / pulse <= fastest:
                for bars in BARS:
                    yield metre, bars, pulse


def _counted_on(
    period: float, start: float, start_kind: int, seconds: float
) -> list[tuple[float, float, int, int, int, int]]:
    """Ends counted from a start: inside the file with a tail behind, or a little past it."""
    rows = []
    for metre, bars, pulse in _lengths(period):
        end = start + bars * metre * pulse
        rest = seconds - end
        if 0.02 < rest < min(LONGEST_TAIL_SECONDS, 1.3 * metre * pulse):
            rows.append((start, end, bars, metre, start_kind, END_BEAT))
        elif -1.05 * pulse < rest < -0.004 and start_kind <= START_SOUND:
            rows.append((start, end, bars, metre, start_kind, END_BEYOND))
    return rows


def _after_pickups(seconds: float) -> list[tuple[float, float, int, int, int, int]]:
    """Whole bars to the end of a file, a part of one before: its length tells the pulse."""
    return [
        (seconds * pickup / (bars * metre + pickup), seconds, bars, metre, START_BACK, END_FILE)
        for metre, (slowest, fastest) in METRES.items()
        for bars in BARS[:MOST_BARS_AFTER_PICKUPS]
        for pickup in PICKUPS
        if pickup < metre and slowest <= (bars * metre + pickup) * 60 / seconds <= fastest
    ]


def _counted_back(
    period: float, attacks: Attacks, seconds: float
) -> list[tuple[float, float, int, int, int, int]]:
    """Starts counted back from the file's end: after a pickup, or before the file begins."""
    rows = []
    for metre, bars, pulse in _lengths(period):
        start = seconds - bars * metre * pulse
        if 0.03 < start < 1.02 * metre * pulse:
            kind = START_BACK
            if attacks.seconds.size:
                near = float(attacks.seconds[np.argmin(np.abs(attacks.seconds - start))])
                if abs(near - start) < SNAP_SECONDS:
                    start, kind = near, START_ATTACK
            rows.append((start, seconds, bars, metre, kind, END_FILE))
        elif -0.75 * pulse < start < -0.004:
            rows.append((start, seconds, bars, metre, START_BEFORE, END_FILE))
    return rows


def seam_lags(picture: Picture, start: float) -> tuple[float, ...]:
    """Seconds after which the beginning is heard again in the last part: a sloppy cut's seam."""
    hop = picture.hop_seconds
    first = max(0, round((start - 0.01) / hop))
    length = round(0.16 / hop)
    values = picture.rises
    head = values[first : first + length]
    places = np.arange(
        max(first + 3 * length, round(0.3 * values.shape[0])), values.shape[0] - length // 2
    )
    if head.shape[0] < length or places.size < 5:
        return ()
    padded = np.concatenate([values, np.zeros((length, values.shape[1]), np.float32)])
    norm = np.sqrt(float(np.square(head).sum())) + 1e-9
    windows = np.lib.stride_tricks.sliding_window_view(padded, length, axis=0)[places]
    dots = np.einsum("nbl,lb->n", windows, head)
    sizes = np.sqrt(np.einsum("nbl,nbl->n", windows, windows)) + 0.05 * norm
    match = dots / sizes / norm
    peaks = np.flatnonzero((match[1:-1] > match[:-2]) & (match[1:-1] >= match[2:])) + 1
    peaks = peaks[match[peaks] > 0.6]
    best = peaks[np.argsort(-match[peaks], kind="stable")][:3]
    return tuple((top_of(match, int(i)) + places[0] - first) * hop for i in best)

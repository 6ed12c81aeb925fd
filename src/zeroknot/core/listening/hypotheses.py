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
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.attacks import Attacks
from zeroknot.core.listening.picture import Picture
from zeroknot.core.listening.tempo import periods, top_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

METRES = {4: (55.0, 212.0), 3: (55.0, 212.0), 2: (44.0, 132.0), 5: (55.0, 212.0), 7: (118.0, 330.0)}
BARS = (1, 2, 4, 8, 16, 3, 5, 6, 7, 12, 24, 32, 64)
START_FILE, START_SOUND, START_ATTACK, START_BEFORE, START_BACK, START_MARK = range(6)
END_FILE, END_SOUND, END_BEAT, END_BEYOND, END_SEAM, END_MARK = range(6)
MOST_STARTS = 9
EARLY_SECONDS = 0.003  # a grid's start lies before the sound that is played on it by about this
WHOLE_BPM_SHIFT = (
    -0.010,
    0.004,
)  # seconds a start may be moved by to make the tempo a whole number
MOST_COUNTED = 4  # starts, of two variants each, from which ends are counted on
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
        return self.bars * self.metre

    @property
    def period(self) -> Floats:
        """Seconds a pulse."""
        return (self.end - self.start) / self.pulses

    @property
    def tempo(self) -> Floats:
        """Pulses a minute."""
        return 60.0 / self.period

    def taken(self, which: Ints | NDArray[np.bool_]) -> "Hypotheses":
        return Hypotheses(
            self.start[which], self.end[which], self.bars[which], self.metre[which],
            self.start_kind[which], self.end_kind[which],
        )  # fmt: skip


def hypotheses(
    picture: Picture,
    attacks: Attacks,
    sounding: tuple[float, float],
    mark: tuple[float, float] | None = None,
) -> Hypotheses:
    """Everything worth a look, without doubles.

    sounding  first and last second that are not silence
    mark      start and end that the file itself marks as a loop
    """
    seconds = picture.seconds
    starts = _starts(attacks, sounding, seconds)
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
    for rough in periods(picture):
        for start, start_kind in starts[: 2 * MOST_COUNTED]:
            for period in _refined(rough, start, attacks, picture):
                rows += _counted_on(period, start, start_kind, seconds)
        first = starts[0][0]
        for period in _refined(rough, first, attacks, picture)[:2]:
            rows += _counted_back(period, attacks, seconds)
    for lag in seam_lags(picture, starts[0][0]):
        start, start_kind = starts[0]
        rows += [
            (start, start + lag, bars, metre, start_kind, END_SEAM)
            for metre, (slowest, fastest) in METRES.items()
            for bars in BARS
            if slowest <= bars * metre * 60 / lag <= fastest
        ]
    rows += _on_whole_bpm(rows)
    return _without_doubles(rows)


def _on_whole_bpm(
    rows: list[tuple[float, float, int, int, int, int]],
) -> list[tuple[float, float, int, int, int, int]]:
    """Starts by ear, moved a little where that makes the tempo a whole number."""
    found = []
    for start, end, bars, metre, start_kind, end_kind in rows:
        if start_kind not in (START_SOUND, START_ATTACK) or end_kind != END_FILE:
            continue
        bpm = bars * metre * 60 / (end - start)
        moved = end - bars * metre * 60 / max(1, round(bpm))
        if WHOLE_BPM_SHIFT[0] < moved - start < WHOLE_BPM_SHIFT[1] and abs(moved - start) > 0.0003:
            found.append((moved, end, bars, metre, start_kind, end_kind))
    return found


def _starts(
    attacks: Attacks, sounding: tuple[float, float], seconds: float
) -> list[tuple[float, int]]:
    """Moments the one may fall on, with their kinds; the file's own start first."""
    starts = [(0.0, START_FILE)]
    times, strengths = attacks.seconds, attacks.strengths
    first = sounding[0]
    if times.size and (abs(times[0] - first) < 0.06 or times[0] < first):
        first = float(times[0])
    if 0.004 < first < 0.6 * seconds:
        starts += [(first, START_SOUND), (first - EARLY_SECONDS, START_SOUND)]
    early = np.flatnonzero((times > first + 0.06) & (times < min(5.0, 0.6 * seconds)))
    if early.size:
        nearest = early[:6]
        strongest = early[np.argsort(-strengths[early], kind="stable")[:7]]
        for i in np.unique(np.concatenate([nearest, strongest]))[:MOST_STARTS]:
            at = float(times[i])
            starts += [(at, START_ATTACK), (at - EARLY_SECONDS, START_ATTACK)]
    return starts


def _refined(rough: float, start: float, attacks: Attacks, picture: Picture) -> list[float]:
    """Exact periods near a rough one: by the attacks, by far repetition, and whole BPM."""
    found = [straightened(attacks, start, rough), _by_repetition(rough, picture)]
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


def _without_doubles(rows: list[tuple[float, float, int, int, int, int]]) -> Hypotheses:
    """The first of those that agree within 3 ms in start and 1 ms in end."""
    seen: dict[tuple[int, int, int, int], tuple[float, float, int, int, int, int]] = {}
    for row in rows:
        seen.setdefault((round(row[0] / 0.003), round(row[1] / 0.001), row[2], row[3]), row)
    table = list(seen.values())
    columns = list(zip(*table, strict=True)) if table else [()] * 6
    return Hypotheses(
        np.asarray(columns[0], float), np.asarray(columns[1], float),
        *(np.asarray(c, np.int64) for c in columns[2:]),
    )  # fmt: skip

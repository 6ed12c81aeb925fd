"""Which whole bars might a stretch of sound be? By how long it is, or by a period heard in it.

Each function tries every number of bars in every metre at once, and gives those whose tempo
somebody might count.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.hypothesis import (
    BARS,
    END_BEAT,
    END_BEYOND,
    END_FILE,
    METRES,
    START_ATTACK,
    START_BACK,
    START_BEFORE,
    START_SOUND,
    Floats,
    Hypotheses,
    Ints,
)

Bools = NDArray[np.bool_]

MOST_BARS_OFF = 8  # of BARS: the lengths that are usual, where a part of one is left on or out
PICKUPS = (0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0)  # pulses before the one
LATE = (-0.25, -0.5)  # the same where the first bar lost its beginning
LONGEST_TAIL_SECONDS = 2.2
SNAP_SECONDS = 0.03
LEAST_SECONDS = 0.2


class _Counts:
    """Every metre, number of bars and share of a period that a pulse may be: [counts] each."""

    def __init__(self, bars: tuple[int, ...], shares: tuple[float, ...]):
        rows = [
            (metre, n, share, slowest, fastest)
            for metre, (slowest, fastest) in METRES.items()
            for share in shares
            for n in bars
            if metre != 7 or share < 2.0
        ]
        columns = np.asarray(rows, float).T
        self.metre, self.bars = columns[:2].astype(np.int64)
        self.share, self.slowest, self.fastest = columns[2:]
        self.pulses = self.metre * self.bars

    def holds(self, tempo: Floats) -> Bools:
        """Might somebody count so many pulses a minute? bool as tempo: float64 [..., counts]"""
        return np.asarray((self.slowest <= tempo) & (tempo <= self.fastest))


WHOLE, OFF = _Counts(BARS, (1.0,)), _Counts(BARS[:MOST_BARS_OFF], (1.0,))
HEARD = _Counts(BARS, (0.5, 1.0, 2.0))


def between(start: Floats, end: Floats, start_kind: Ints, end_kind: Ints) -> Hypotheses:
    """Whole bars from a start to an end: float64 or int [spans] each."""
    seconds = (end - start)[:, None]
    with np.errstate(divide="ignore"):
        tempo = np.where(seconds > LEAST_SECONDS, WHOLE.pulses * 60.0 / seconds, 0.0)
    span, count = np.nonzero(WHOLE.holds(tempo))
    return Hypotheses(
        start[span], end[span], WHOLE.bars[count], WHOLE.metre[count],
        start_kind[span], end_kind[span],
    )  # fmt: skip


def to_the_end(seconds: float) -> Hypotheses:
    """To a file's end whole bars after a pickup of a usual length, or without the beginning of
    the first: the file's length, in seconds, tells the pulse exactly."""
    found = []
    for before, kind in ((PICKUPS, START_BACK), (LATE, START_BEFORE)):
        left = np.asarray(before)[:, None]
        pulse = seconds / (OFF.pulses + left)
        which, count = np.nonzero(OFF.holds(60.0 / pulse) & (left < OFF.metre))
        start = np.asarray(before)[which] * pulse[which, count]
        found.append(_of(OFF, count, start, np.full(start.size, seconds), kind, END_FILE))
    return found[0].joined(found[1])


def counted_on(period: Floats, start: Floats, start_kind: Ints, seconds: float) -> Hypotheses:
    """Whole bars from starts on: inside the file with a tail behind, or a little past its end.

    period, start, start_kind  float64 or int [starts]: seconds that may be a pulse, half or two
    seconds                    of the file
    """
    pulse = period[:, None] * HEARD.share
    rest = seconds - start[:, None] - HEARD.pulses * pulse
    holds = HEARD.holds(60.0 / pulse)
    inside = holds & _is_tail(rest, pulse)
    beyond = holds & (-1.05 * pulse < rest) & (rest < -0.004)
    beyond &= start_kind[:, None] <= START_SOUND
    which, count = np.nonzero(inside | beyond)
    begin, length = start[which], HEARD.pulses[count] * pulse[which, count]
    kind = np.where(inside[which, count], END_BEAT, END_BEYOND)
    return _of(HEARD, count, begin, begin + length, start_kind[which], kind)


def counted_back(period: Floats, attacks: Attacks, seconds: float) -> Hypotheses:
    """Whole bars to the file's end: after a pickup, or from before the file begins.

    period  float64 [periods]
    """
    pulse = period[:, None] * HEARD.share
    start = seconds - HEARD.pulses * pulse
    holds = HEARD.holds(60.0 / pulse)
    after = holds & (start > 0.03) & (start < 1.02 * HEARD.metre * pulse)
    before = holds & (-0.75 * pulse < start) & (start < -0.004)
    which, count = np.nonzero(after | before)
    is_after, begin = after[which, count], start[which, count]
    snapped, kind = _snapped(begin, attacks)
    return _of(
        HEARD, count, np.where(is_after, snapped, begin), np.full(begin.size, seconds),
        np.where(is_after, kind, START_BEFORE), END_FILE,
    )  # fmt: skip


def within(period: Floats, first: float, attacks: Attacks, seconds: float) -> Hypotheses:
    """Whole bars inside the file: a pickup of a usual length before them, and a tail behind.

    period  float64 [periods]
    first   second in which sound begins
    """
    pulse = (period[:, None] * HEARD.share)[:, None, :]
    pickup = np.asarray(PICKUPS)[:, None]
    rest = seconds - first - (pickup + HEARD.pulses) * pulse
    holds = HEARD.holds(60.0 / pulse) & (pickup < HEARD.metre) & _is_tail(rest, pulse)
    which, before, count = np.nonzero(holds)
    beat = pulse[which, 0, count]
    begin = first + np.asarray(PICKUPS)[before] * beat
    begin, kind = _snapped(begin, attacks)
    return _of(HEARD, count, begin, begin + HEARD.pulses[count] * beat, kind, END_BEAT)


def _is_tail(rest: Floats, pulse: Floats) -> Bools:
    """Is what is left behind whole bars as long as tails are?"""
    longest = np.minimum(LONGEST_TAIL_SECONDS, 1.3 * HEARD.metre * pulse)
    return np.asarray((rest > 0.02) & (rest < longest))


def _snapped(start: Floats, attacks: Attacks) -> tuple[Floats, Ints]:
    """Starts that were counted, at the attacks that they were meant for; and their kinds.

    returns  float64 and int [starts]
    """
    if attacks.seconds.size == 0:
        return start, np.full(start.size, START_BACK)
    nearest = attacks.seconds[np.abs(attacks.seconds - start[:, None]).argmin(axis=1)]
    near = np.abs(nearest - start) < SNAP_SECONDS
    return np.where(near, nearest, start), np.where(near, START_ATTACK, START_BACK)


def _of(
    counts: _Counts, count: Ints, start: Floats, end: Floats, start_kind: Ints | int,
    end_kind: Ints | int,
) -> Hypotheses:  # fmt: skip
    kinds = (np.broadcast_to(np.asarray(k, np.int64), start.shape) for k in (start_kind, end_kind))
    return Hypotheses(start, end, counts.bars[count], counts.metre[count], *kinds)

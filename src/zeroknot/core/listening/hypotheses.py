"""What might a loop be? Every start, end, number of bars and metre worth a look, together.

A loop nearly always holds a whole number of bars, so its length gives the precision and the sound
only has to choose (Font & Serra, "Tempo estimation for music loops and a simple confidence
measure", ISMIR 2016). But the start is a question, not preprocessing: a file may begin with
silence, a pickup, or after the one, and end with a tail or before the last beat.
"""

import numpy as np

from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.hypothesis import (
    END_FILE,
    END_MARK,
    END_SEAM,
    END_SOUND,
    START_ATTACK,
    START_FILE,
    START_MARK,
    START_SOUND,
    Floats,
    Hypotheses,
)
from zeroknot.core.listening.lengths import (
    between,
    counted_back,
    counted_on,
    to_the_end,
    within,
)
from zeroknot.core.listening.picture import Picture
from zeroknot.core.listening.tempo import periods, top_of

NEAREST_STARTS, STRONGEST_STARTS = 8, 8  # attacks that the one may fall on
EARLY_SECONDS = 0.003  # a grid's start lies before the sound that is played on it by about this
# What encoders and decoders of MP3 leave in front, at the usual rates (facts of the format: 576
# samples of the one and 529 of the other, and frames of 1152; from memory).
LEADS_SECONDS = tuple(n / rate for rate in (44_100, 48_000) for n in (576, 1105, 1152, 1681, 2257))
LEAD_EARLY, LEAD_LATE = 0.004, 0.012
WHOLE_BPM, SAME_PERIOD = 0.003, 1e-4  # of it: drawn to a whole tempo; no other period
MOST_STRAIGHTENED = 0.05  # of a rough period
MOST_COUNTED = 8  # starts, of two variants each, from which ends are counted on


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
    spans = [(*start, *end) for start in starts for end in ends]
    at, kinds = np.asarray([s for s, _ in starts]), np.asarray([k for _, k in starts])
    first = starts[0][0]
    some = at[: 2 * MOST_COUNTED]
    refined = [_refined(rough, some, attacks, picture) for rough in periods(picture)]
    found = [_between(spans), to_the_end(seconds)]
    for period in refined:
        which, nth = np.nonzero(~np.isnan(period))
        found.append(counted_on(period[which, nth], some[which], kinds[which], seconds))
        best = period[0][~np.isnan(period[0])][:2]
        found.append(counted_back(best, attacks, seconds))
        found.append(within(best, first, attacks, seconds))
    found.append(_between([(*starts[0], first + k, END_SEAM) for k in seam_lags(picture, first)]))
    return found[0].joined(*found[1:]).without_doubles()


def _between(spans: list[tuple[float, int, float, int]]) -> Hypotheses:
    start, end = (np.asarray([span[i] for span in spans], float) for i in (0, 2))
    kinds = (np.asarray([span[i] for span in spans], np.int64) for i in (1, 3))
    return between(start, end, *kinds)


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


def _refined(rough: float, starts: Floats, attacks: Attacks, picture: Picture) -> Floats:
    """Exact periods near a rough one: by the attacks, by far repetition, and whole BPM of both.

    returns  float64 [starts, 4]: NaN where it is one of those before it
    """
    again = np.full(starts.size, _by_repetition(rough, picture))
    found = np.stack([straightened(attacks, starts, rough), again], axis=1)
    bpm = 60 / found
    is_whole = np.abs(bpm - np.round(bpm)) < WHOLE_BPM * bpm
    found = np.concatenate([found, np.where(is_whole, 60 / np.round(bpm), np.nan)], axis=1)
    for k in range(1, found.shape[1]):
        same = np.abs(found[:, k : k + 1] / found[:, :k] - 1) <= SAME_PERIOD
        found[same.any(axis=1), k] = np.nan
    return found


def straightened(attacks: Attacks, starts: Floats, rough: float) -> Floats:
    """The periods whose halves fit the attacks best near a rough one.

    Least squares from each start on: float64 [starts]; the rough one where none fits.
    """
    since = attacks.seconds - starts[:, None]
    period = np.full(starts.size, rough)
    fits = np.full(starts.size, attacks.seconds.size > 0)
    for _ in range(3):
        half = period[:, None] / 2
        places = np.round(since / half)
        near = attacks.strengths * ((np.abs(since - places * half) < 0.03) & (places > 0))
        weight = (near * places**2).sum(axis=1)
        fits &= weight > 0
        period = np.where(fits, 2 * (near * since * places).sum(axis=1) / (weight + ~fits), rough)
    return np.where(np.abs(period / rough - 1) < MOST_STRAIGHTENED, period, rough)


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

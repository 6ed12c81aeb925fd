"""How is one line, sung or played, made longer without a seam in its tone? By whole periods.

The recording is copied as it is for as long as it is near enough to where the time map wants it;
then it is gone on with some periods earlier or later, where the waveform is most like what would
have come. Every attack is where the map has it, and around it, consonants among them, nothing is
moved; where no period is found (breath) the places are changed by chance, so that noise does not
buzz.

Source: Verhelst & Roelands, "An overlap-add technique based on waveform similarity (WSOLA) for high
quality time-scale modification of speech" (1993).
"""

import itertools

import numba
import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.stretch.part import Part
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.stretch.sinc import ZERO_CROSSINGS, read_at
from zeroknot.core.stretch.zones import zoned_map
from zeroknot.core.units import pitch_ratio

JOIN_SECONDS = 0.008
SPLICE_SECONDS = 0.012
COMPARED_SECONDS = 0.04
SEARCH_SECONDS = 0.0125  # either way: a period of 40 Hz
NEAR_SECONDS = 0.006  # of where the map wants it: nothing is done
COMING_BACK_SECONDS = 0.08  # before an anchor or an attack
RISE_SECONDS = 0.006  # before an attack
LEAST_GAP_SECONDS = 0.05  # between two attacks that are both come back to
LIKE = 0.5  # likeness below which there is no period
UNITY_AFTER, UNITY_BEFORE = 0.6, 0.15


def render_piece(
    part: Part,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    settings: StretchSettings,
) -> tuple[int, Samples]:
    """One piece of a part, to be added to what its neighbours give.

    from_anchor, to_anchor  (source frame, output frame)
    returns                 first output frame, float32 [channels, frames]
    """
    ratio = pitch_ratio(part.semitones)
    join = min(int(JOIN_SECONDS * part.rate), int(to_anchor[1] - from_anchor[1]) // 4)
    start, end = int(np.floor(from_anchor[1] + 0.5)), int(np.floor(to_anchor[1] + 0.5))
    lead_in = join if part.view.is_circle or start > part.start else 0
    lead_out = join if part.view.is_circle or end < part.end else 0
    if ratio == 1.0:
        out = _spliced(part, from_anchor, to_anchor, 1.0, start - lead_in, end)
    else:
        margin = int(ZERO_CROSSINGS * max(1.0, ratio) / 0.9) + 8
        first = int(np.floor((start - lead_in) * ratio)) - margin
        last = int(np.ceil(end * ratio)) + margin
        long = _spliced(part, from_anchor, to_anchor, ratio, first, last)
        positions = np.arange(start - lead_in, end, dtype=np.float64) * ratio - first
        out = read_at(long, positions, np.full(positions.size, ratio))
    ramp = ((np.arange(join) + 0.5) / max(1, join)).astype(np.float32)
    out[:, :lead_in] *= ramp[:lead_in]
    out[:, out.shape[1] - lead_out :] *= 1.0 - ramp[:lead_out]
    return start - lead_in, out


def _spliced(
    part: Part,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    ratio: float,
    first: int,
    last: int,
) -> Samples:
    """Output frames first…last of a piece on an axis `ratio` times as long. [channels, n]"""
    rate = part.rate
    splice, compared = int(SPLICE_SECONDS * rate), int(COMPARED_SECONDS * rate)
    search = int(SEARCH_SECONDS * rate)
    begin, finish = from_anchor[1] * ratio, to_anchor[1] * ratio
    sources, outputs = zoned_map(
        part, ratio, first / ratio, last / ratio,
        after=(UNITY_AFTER, 0.15 * rate), before=(UNITY_BEFORE, 0.02 * rate),
    )  # fmt: skip
    frames = np.arange(first, last)
    wanted = np.interp(frames, outputs, sources)
    # Outside its anchors, and when it comes to one or to an attack, a piece runs at the recording's
    # own speed.
    before = frames < begin
    wanted[before] = from_anchor[0] + (frames[before] - begin)
    windows = []
    for comes_back, source, output in _comes_back(part, from_anchor, to_anchor, ratio):
        is_last = output == finish
        inside = (frames > comes_back) & (is_last | (frames <= output))
        wanted[inside] = source + (frames[inside] - output)
        # What rises a moment before an attack was heard belongs to it.
        early = 0.0 if is_last else RISE_SECONDS * rate
        windows.append((comes_back - first + 1, output - early - first, source - early))
    low = int(wanted.min()) - search - compared - splice
    high = int(wanted.max()) + search + 2 * compared + splice
    sound = part.view.read(low, high - low)
    out = np.zeros((sound.shape[0], last - first), np.float32)
    lengths = splice, compared, search, int(NEAR_SECONDS * rate)
    bounds = np.asarray(windows)
    bounds[:, :2] = np.clip(bounds[:, :2], 0, last - first)
    bounds = (bounds - (0, 0, low)).astype(np.int64)
    seed = int(first * 31 + part.start) % 2**31
    _splice_kernel(
        sound, sound.sum(axis=0), wanted - low, lengths, bounds.astype(np.int64), LIKE, seed, out
    )
    return out


def _comes_back(
    part: Part, from_anchor: tuple[float, float], to_anchor: tuple[float, float], ratio: float
) -> list[tuple[float, float, float]]:
    """What a piece is exact at, its end among it: (output frame from which it comes back there,
    source frame, output frame), rising."""
    reach, least = (s * part.rate for s in (COMING_BACK_SECONDS, LEAST_GAP_SECONDS))
    exact = [(from_anchor[0], from_anchor[1] * ratio)]
    finish = to_anchor[1] * ratio
    for source, frame in part.around(part.attack_points, from_anchor[1], to_anchor[1]).tolist():
        output = frame * ratio
        if output - exact[-1][1] >= least and finish - output >= least:
            exact.append((source, output))
    exact.append((to_anchor[0], finish))
    # Half of what lies between two attacks is left to be stretched.
    return [
        (max(0.5 * (before + output), output - reach), source, output)
        for (_, before), (source, output) in itertools.pairwise(exact)
    ]


@numba.njit(cache=True, nogil=True)
def _likeness(mono, a, b, count, skip):  # type: ignore[no-untyped-def]
    dot, one, two = 0.0, 1e-9, 1e-9
    for i in range(0, count, skip):
        x, y = mono[a + i], mono[b + i]
        dot += x * y
        one += x * x
        two += y * y
    return dot / np.sqrt(one * two)


@numba.njit(cache=True, nogil=True)
def _likenesses(mono, first, at, count, out):  # type: ignore[no-untyped-def]
    """How alike `count` frames from `at` on are to those from each of `out.size` places on: every
    second frame from `first`. Every third frame is compared, of all places at once."""
    places = out.size
    twos = np.empty((2, places + count // 2 + 1), np.float32)
    for i in range(2 * (places - 1) + count):
        twos[i % 2, i // 2] = mono[first + i]
    dots, ones = np.zeros(places, np.float32), np.full(places, np.float32(1e-9))
    two = np.float32(1e-9)
    for i in range(0, count, 3):
        y, row = mono[at + i], twos[i % 2, i // 2 :]
        two += y * y
        for j in range(places):
            x = row[j]
            dots[j] += x * y
            ones[j] += x * x
    for j in range(places):
        out[j] = dots[j] / np.sqrt(ones[j] * two)


@numba.njit(cache=True, nogil=True)
def _splice_kernel(  # type: ignore[no-untyped-def]
    sound, mono, wanted, lengths, windows, like, seed, out
):
    """Copy, and splice where the copy strays.

    windows  int64 [n, 3]: from one output frame to another it comes back, where that is heard
             least, to what is wanted; before the copy reaches a source frame
    """
    splice, compared, search, near = lengths
    window = 0
    final, finish, reached = windows[0]
    np.random.seed(seed)
    channels, total = out.shape
    half = compared // 2
    alike = np.empty(search + 1, np.float32)
    n = 0
    shift = int(np.floor(wanted[0] + 0.5))  # source frame = shift + output frame
    while n < total:
        stop = total
        for k in range(n, total):
            if k >= finish and window + 1 < windows.shape[0]:
                window += 1
                final, finish, reached = windows[window]
            off = wanted[k] - (shift + k)
            if k >= final and abs(off) > 0.75:
                stop = k
                break
            if k < final and abs(off) > near:
                stop = k
                break
        if stop < total and stop >= final:
            exact = int(np.floor(wanted[stop] + 0.5)) - stop
            top, at = -2.0, stop
            bound = min(finish, reached - shift) - splice
            for k in range(stop, max(stop + 1, bound), 64):
                value = _likeness(mono, exact + k - half, shift + k - half, compared, 3)
                if value > top:
                    top, at = value, k
            stop = at
        for c in range(channels):
            for k in range(n, stop):
                out[c, k] = sound[c, shift + k]
        if stop >= total:
            break
        n = stop
        exact = int(np.floor(wanted[n] + 0.5)) - n
        best = exact
        if n < final:
            # A little further than wanted, so that the next splice is far.
            goal = exact + (near // 2 if exact > shift else -(near // 2))
            top = -2.0
            _likenesses(mono, goal - search + n - half, shift + n - half, compared, alike)
            for i in range(alike.size):
                s = goal - search + 2 * i
                value = alike[i] - 0.05 * abs(s - goal) / search
                if abs(s - shift) > 20 and value > top:
                    top, best = value, s
            for s in (best - 1, best + 1):
                value = _likeness(mono, s + n - half, shift + n - half, compared, 3)
                if value > top:
                    top, best = value, s
            if top < like:
                best = exact + int((np.random.random() - 0.5) * 2 * near)
        # Two waves that disagree would be quieter together: their level is kept.
        agree = max(-0.6, _likeness(mono, best + n, shift + n, splice, 2))
        end = min(total, n + splice)
        for k in range(n, end):
            share = 0.5 + 0.5 * np.cos(np.pi * (k - n + 0.5) / splice)
            size = np.sqrt(share**2 + (1 - share) ** 2 + 2 * agree * share * (1 - share))
            for c in range(channels):
                value = sound[c, best + k] * (1.0 - share) + sound[c, shift + k] * share
                out[c, k] = value / size
        shift = best
        n = end

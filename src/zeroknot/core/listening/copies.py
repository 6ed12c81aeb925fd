"""What comes again in a recording as it was, sample by sample, and where does it begin exactly?

A loop that was cut with a bit more on either side holds that bit twice where it is made of samples
or of copied bars. How far apart the two are is the length of a pass, more exactly than attacks can
tell. Where silence stands in front, the first sample that rises out of it is the cut.

Conventions
-----------
- Three places are compared: what lies before the start with what lies before the end, what lies
  behind the end with what lies behind the start, and the second half of a pass with its first.
- A match is a normalised cross-correlation, −1…1, of the sound made thin: about 7 kHz, and its
  first difference, so that a bass does not outweigh all else.
- Seconds longer are those by which a pass would have to be longer for the two to lie on each other.
"""

from dataclasses import dataclass, field

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import signal

from zeroknot.core.audio import Audio
from zeroknot.core.listening.reading import LONGEST_LOOP_SECONDS

Floats = NDArray[np.float64]

THIN_HZ = 7_350
COMPARED_SECONDS, LEAST_COMPARED = 0.25, 0.03
FARTHEST_SECONDS = 0.012  # that a match is looked for on either side
LEAST_POWER = 1e-3  # of the mean: what is quieter is not compared
BEFORE, BEHIND, HALVES = range(3)
SAME_SECONDS = 0.0005  # starts and ends that are nearer are looked at once
LOUDER = 1.5  # than the loudest of the silence in front
APART_SECONDS = 0.02  # between what counts as silence and where sound is sure


@dataclass(frozen=True, eq=False)
class Thin:
    """A sound as copies are looked for in it.

    samples  float32 [frames], of `rate` a second, with `pad` frames of silence at each end
    known    what was found of a pass, by its start, its end and whether its parts are even
    """

    samples: NDArray[np.float32]
    rate: float
    pad: int
    known: dict[tuple[int, int, int], Floats] = field(default_factory=dict)


@dataclass(frozen=True)
class Edge:
    """Where a file's sound begins.

    seconds   0 where nothing stands in front
    quiet_db  the loudest of what stands in front, under the peak; 0 where nothing does
    """

    seconds: float = 0.0
    quiet_db: float = 0.0


def cut_of(thin: Thin) -> Floats:
    """How a file begins and ends: float64 [5], logarithms of ratios, −3…1.

    Its first and last 3 ms beside the 50 ms there, those beside the whole (a fade, a hard cut, a
    decay), and the step from its last sample to its first beside those inside it.
    """
    sound = thin.samples[thin.pad : thin.samples.size - thin.pad].astype(np.float64)

    def level(part: Floats) -> float:
        return float(np.sqrt(np.square(part).mean())) + 1e-9 if part.size else 1e-9

    short, long = (max(1, round(s * thin.rate)) for s in (0.003, 0.05))
    whole, wave = level(sound), np.cumsum(sound)
    step = abs(wave[0] - wave[-1]) if wave.size else 0.0
    ratios = [
        level(sound[:short]) / level(sound[:long]), level(sound[:long]) / whole,
        level(sound[-short:]) / level(sound[-long:]), level(sound[-long:]) / whole, step / whole,
    ]  # fmt: skip
    return np.clip(np.log10(np.asarray(ratios) + 1e-6), -3.0, 1.0)


@dataclass(frozen=True, eq=False)
class Matches:
    """How alike the places are, for each pass and place.

    best    float64 [passes, 3]: of the shift that fits best; 0 where nothing can be compared
    exact   float64 [passes, 3]: as the pass is
    longer  float64 [passes, 3]: seconds by which the pass would be longer there
    looked  float64 [passes, 3]: seconds that were compared
    """

    best: Floats
    exact: Floats
    longer: Floats
    looked: Floats


def thinned(sound: Audio) -> Thin:
    """A sound as matches are looked for in it: of two channels the sum, or the difference if that
    is louder. Of what is too long for a loop only the beginning: nobody asks for more."""
    down = max(1, round(sound.rate / THIN_HZ))
    samples = sound.samples[:, : round(LONGEST_LOOP_SECONDS * sound.rate)]
    mono = samples.mean(axis=0, dtype=np.float64)
    if sound.channels == 2:
        side = samples[0].astype(np.float64) - mono
        mono = mono if np.square(mono).sum() >= np.square(side).sum() else side
    thin = signal.resample_poly(mono, 1, down) if down > 1 else mono
    rate = sound.rate / down
    pad = round((FARTHEST_SECONDS + COMPARED_SECONDS) * rate) + 2
    differences = np.diff(thin, prepend=thin[:1])
    return Thin(np.pad(differences, pad).astype(np.float32), rate, pad)


def edge_of(sound: Audio, first: float) -> Edge:
    """Where the silence in front of a sound ends, to the sample.

    first  second from which sound is sure, as `sounding_range` tells it
    """
    size = np.abs(sound.samples).max(axis=0)
    sure = round(first * sound.rate)
    known = sure - round(APART_SECONDS * sound.rate)
    if known <= 0:  # too little in front to know it by, but for the silence of zeros
        known = int(np.argmax(size > 0.0))
        return Edge(known / sound.rate, -200.0) if known > 0 else Edge()
    quiet = float(size[:known].max())
    louder = np.flatnonzero(size[known : sure + 1] > LOUDER * quiet)
    at = known + int(louder[0]) if louder.size else sure
    peak = float(size.max())
    return Edge(at / sound.rate, 20.0 * float(np.log10(max(quiet, 1e-10) / peak)))


def matches(thin: Thin, start: Floats, end: Floats, parts: NDArray[np.int64]) -> Matches:
    """What comes again of passes from `start` to `end`.

    start, end  float64 [passes], seconds
    parts       int [passes]: of so many equal parts a pass is made, the second half is compared
                with the first where they are even
    """
    columns = np.round(start / SAME_SECONDS), np.round(end / SAME_SECONDS), parts % 2
    keys = list(zip(*(c.astype(np.int64).tolist() for c in columns), strict=True))
    new = {key: i for i, key in enumerate(keys) if key not in thin.known}
    first = np.fromiter(new.values(), np.int64)
    out = np.zeros((first.size, 4, 3))
    frames = [np.round(s[first] * thin.rate).astype(np.int64) + thin.pad for s in (start, end)]
    _match_kernel(
        thin.samples, thin.pad, thin.rate, *frames, parts[first] % 2 == 0,
        float(np.square(thin.samples).mean(dtype=np.float64)), out,
    )  # fmt: skip
    thin.known.update(zip(new, out, strict=True))
    found = np.stack([thin.known[key] for key in keys], axis=1) if keys else np.zeros((4, 0, 3))
    return Matches(found[0], found[1], found[2], found[3])


@numba.njit(cache=True, nogil=True, fastmath=True)
def _product(a, b):  # type: ignore[no-untyped-def]
    total = np.float32(0.0)
    for n in range(a.size):
        total += a[n] * b[n]
    return total


@numba.njit(cache=True, nogil=True)
def _match_kernel(x, pad, rate, starts, ends, even, power, out):  # type: ignore[no-untyped-def]
    total = x.size - 2 * pad
    most, least = int(COMPARED_SECONDS * rate), int(LEAST_COMPARED * rate)
    reach = int(FARTHEST_SECONDS * rate)
    sums = np.zeros(x.size + 1)
    for n in range(x.size):
        sums[n + 1] = sums[n] + np.float64(x[n]) ** 2
    found = np.zeros(2 * reach + 1)
    for i in range(starts.size):
        start, end = starts[i], ends[i]
        length = end - start
        for place in range(3):
            if place == BEFORE:
                size = min(most, start - pad, length // 2)
                one, other, sign = end - size, start - size, -1.0
            elif place == BEHIND:
                size = min(most, pad + total - end, length // 2)
                one, other, sign = start, end, 1.0
            else:
                size = min(most, length // 4) if even[i] else 0
                one, other, sign = start, start + length // 2, 2.0
            is_there = one >= 0 and other - reach >= 0
            is_there &= one + size <= x.size and other + reach + size <= x.size
            if size < least or not is_there:
                continue
            mine = x[one : one + size]
            own = _product(mine, mine)
            if own <= LEAST_POWER * power * size:
                continue
            best = 0
            for shift in range(-reach, reach + 1):
                at = other + shift
                dot = _product(mine, x[at : at + size])
                theirs = sums[at + size] - sums[at] + 1e-12
                found[shift + reach] = dot / np.sqrt(own * theirs)
                if found[shift + reach] > found[best]:
                    best = shift + reach
            fine = 0.0
            if 0 < best < 2 * reach:
                left, top, right = found[best - 1], found[best], found[best + 1]
                bend = left - 2 * top + right
                if bend < 0.0:
                    fine = 0.5 * (left - right) / bend
            out[i, 0, place] = found[best]
            out[i, 1, place] = found[reach]
            out[i, 2, place] = sign * (best - reach + fine) / rate
            out[i, 3, place] = size / rate

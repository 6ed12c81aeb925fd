"""How are drums laid on another tempo without touching what makes them drums? They are moved.

Lows, middle and highs are cut apart at the attacks that are heard in each (a hat does not cut the
kick's boom) and copied to the frames that the time map asks for; they add up to the recording
again. Where the next attack then comes sooner, the sound rings on under it; where it comes later,
the decay goes on: grains of its own last part, joined where they fit best, their level falling on
as it fell before.

Source: Verhelst & Roelands, "An overlap-add technique based on waveform similarity (WSOLA)"
(1993), for joining grains where they fit; the rest is our own.
"""

import itertools
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.audio import Samples
from zeroknot.core.stretch.part import Part
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.stretch.sinc import PASSBAND, ZERO_CROSSINGS, read_at
from zeroknot.core.units import pitch_ratio

Ints = NDArray[np.int64]

BEFORE_SECONDS = 0.004  # of an attack, copied with it: heard times are that inexact
FADE_SECONDS = 0.0015
RING_FADE_SECONDS = 0.012
LONGEST_RING_SECONDS = 0.9
POOL_SECONDS, POOL_SHARE = 0.30, 0.65  # of a decay that grains are taken from, at most
STEEPEST_FALL = 60.0  # nepers a second
JUMP = 1.3  # of the level, that makes an attack one in a band
JUMP_SECONDS = 0.02
FAINT = 0.0003  # of the loudest attack in a band: below it nothing is cut


@dataclass(frozen=True)
class _Band:
    """What lies under an edge; join and grains in seconds."""

    under_hz: float
    join: float
    shortest: float
    longest: float


BANDS = (
    _Band(300.0, 0.020, 0.06, 0.16),
    _Band(4_000.0, 0.010, 0.05, 0.12),
    _Band(np.inf, 0.006, 0.04, 0.10),
)


def render_piece(
    part: Part,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    settings: StretchSettings,
) -> tuple[int, Samples]:
    """The hits of one piece of a part, to be added to what its neighbours give.

    returns  first output frame, float32 [channels, frames]; what rings past the piece included
    """
    speed = pitch_ratio(part.semitones)
    hits = _hits(part, from_anchor[1], to_anchor[1], speed)
    channels, rate = part.view.samples.shape[0], part.rate
    if hits.shape[0] < 2:
        return int(from_anchor[1]), np.zeros((channels, 0), np.float32)
    before = int(BEFORE_SECONDS * rate)
    first = int(hits[0, 1]) - before
    room = int(LONGEST_RING_SECONDS * rate)
    out = np.zeros((channels, int(hits[-1, 1]) + room - first), np.float32)
    low, high = int(hits[0, 0]) - before, int(hits[-1, 0])
    context = int(0.03 * rate)
    sounds = _in_bands(_read(part, low - context, high - low + 2 * context, speed), rate)
    last = 0
    for band, sound in zip(BANDS, sounds, strict=True):
        sound = sound[:, context : context + high - low]
        own = hits[_cuts(sound, hits[:, 0] - low, rate)]
        for (source, output), (next_source, next_output) in itertools.pairwise(own.tolist()):
            # Up to where the next one's rise may begin.
            ahead = min(before, (next_source - source) // 4, (next_output - output) // 4)
            cut = sound[:, source - low - before : next_source - low - ahead]
            made = _hit_sound(cut, before, next_output - output, ahead, band, rate)
            at = output - before - first
            made = made[:, : out.shape[1] - at]
            out[:, at : at + made.shape[1]] += made
            last = max(last, at + made.shape[1])
    return first, out[:, :last]


def _read(part: Part, first: int, count: int, speed: float) -> Samples:
    """Frames of the recording read at a speed: that is how a drum is tuned."""
    if speed == 1.0:
        return part.view.read(first, count)
    positions = np.arange(first, first + count, dtype=np.float64) * speed
    margin = int(ZERO_CROSSINGS / PASSBAND * max(1.0, speed)) + 2
    low = int(np.floor(positions[0])) - margin
    sound = part.view.read(low, int(np.ceil(positions[-1])) + margin - low)
    return read_at(sound, positions - low, np.full(count, speed))


def _hits(part: Part, from_frame: float, to_frame: float, speed: float) -> Ints:
    """(source frame, output frame) of a piece's hits, and of the one that comes next.

    speed  that the recording is read at; source frames are counted at it
    """
    scale = np.asarray([1.0 / speed, 1.0])
    points = np.floor(part.attack_points * scale + 0.5).astype(np.int64)
    start = np.floor(np.asarray([[part.view.start, part.start]]) * scale + 0.5).astype(np.int64)
    end = np.floor(np.asarray([[part.view.end, part.end]]) * scale + 0.5).astype(np.int64)
    if part.view.is_circle and points.shape[0]:
        points = np.concatenate([points, points[:1] + end - start])
    else:
        points = np.concatenate([start, points[points[:, 1] > part.start], end])
    points = points[np.concatenate([[True], (np.diff(points, axis=0) > 0).all(axis=1)])]
    inside = np.flatnonzero((points[:-1, 1] >= from_frame) & (points[:-1, 1] < to_frame))
    chosen = np.append(inside, inside[-1] + 1) if inside.size else inside
    return np.asarray(points[chosen])


def _in_bands(sound: Samples, rate: int) -> list[Samples]:
    """The sound's bands, lowest first; they add up to it."""
    bands, rest = [], sound
    for band in BANDS[:-1]:
        # Three running means are nearly a bell curve, and quick.
        width = max(1, round(0.37 * rate / band.under_hz)) | 1
        low = rest
        for _ in range(3):
            low = ndimage.uniform_filter1d(low, width, axis=1, mode="nearest")
        # What lies under this edge and over the last one.
        bands.append(low)
        rest = rest - low
    return [*bands, rest]


def _cuts(sound: Samples, at: Ints, rate: int) -> NDArray[np.bool_]:
    """Which attacks jump in this band; the first and the last always count."""
    power = np.square(sound, dtype=np.float64).sum(axis=0)
    sums = np.concatenate([[0.0], np.cumsum(power)])

    def level(low: Ints, high: Ints) -> NDArray[np.float64]:
        a = np.clip(low, 0, power.size - 1)
        b = np.clip(high, a + 1, power.size)
        return np.asarray(np.sqrt((sums[b] - sums[a]) / (b - a)))

    width, gap = int(JUMP_SECONDS * rate), int(0.002 * rate)
    after = level(at, at + width)
    cuts = after > JUMP * level(at - width - gap, at - gap)
    cuts &= after > FAINT * after.max()
    cuts[0] = cuts[-1] = True
    return np.asarray(cuts)


def _hit_sound(
    cut: Samples, before: int, wanted: int, ahead: int, band: _Band, rate: int
) -> Samples:
    """One hit from `before` frames ahead of its attack to the next one, or until it has rung out.

    cut     what was recorded of it
    wanted  output frames from its attack to the next
    ahead   of these, how many the next one's rise has at its start
    """
    fade = max(2, int(FADE_SECONDS * rate))
    out = cut.copy()
    start = max(0, before - ahead) if ahead else before
    out[:, :start] = 0.0
    out[:, start : start + fade] *= _ramp(min(fade, out.shape[1] - start))
    need = before + wanted - ahead + fade - out.shape[1]
    if need > 0:
        out = _sustained(out, before, need, band, rate)
        end = fade
    else:
        out = out[:, : before + wanted + int(LONGEST_RING_SECONDS * rate)]
        end = int(np.clip(out.shape[1] - before - wanted, fade, RING_FADE_SECONDS * rate))
    out[:, -end:] *= 1.0 - _ramp(end)
    return out


def _ramp(frames: int) -> NDArray[np.float32]:
    x = (np.arange(frames) + 0.5) / max(1, frames)
    return (0.5 - 0.5 * np.cos(np.pi * x)).astype(np.float32)


def _sustained(sound: Samples, before: int, need: int, band: _Band, rate: int) -> Samples:
    """A hit whose decay goes on for `need` frames more."""
    channels, length = sound.shape
    own = length - before
    join = min(int(band.join * rate), own // 4)
    pool = min(own, int(min(POOL_SECONDS * rate, max(POOL_SHARE * own, 4 * join))))
    out = np.concatenate([sound, np.zeros((channels, need), np.float32)], axis=1)
    if join < 8 or pool < 3 * join:
        return out
    last = sound[:, -pool:]
    fall = _fall(last, rate)
    # Level all along as it is at the end.
    flat = last * _falling(-fall / rate, 1 - pool, pool)
    more = np.zeros((channels, join + need), np.float32)
    _grains_kernel(
        flat, flat.sum(axis=0), join, min(int(band.shortest * rate), pool - join),
        min(int(band.longest * rate), pool - join), (own * 7919 + need) % 2**31, more,
    )  # fmt: skip
    more *= _falling(fall / rate, -join, join + need)
    ramp = _ramp(join)
    out[:, length - join : length] *= 1.0 - ramp
    more[:, :join] *= ramp
    out[:, length - join :] += more
    return out


def _falling(nepers: float, first: int, frames: int) -> NDArray[np.float32]:
    """Gains from a frame on that fall by so many nepers a frame, 1 at frame 0."""
    at = np.arange(first, first + frames, dtype=np.float32)
    return np.asarray(np.exp(at * np.float32(-nepers)))


def _fall(decay: Samples, rate: int) -> float:
    """How fast a sound decays, nepers a second; 0 where it rises."""
    power = np.square(decay).sum(axis=0)
    width = max(1, min(int(0.01 * rate), power.size // 6))
    count = power.size // width
    means = power[: count * width].reshape(count, width).mean(axis=1) + 1e-12
    seconds = (np.arange(count) - 0.5 * (count - 1)) * width / rate
    slope = seconds @ (0.5 * np.log(means)) / (seconds @ seconds)
    return float(np.clip(-slope, 0.0, STEEPEST_FALL))


@numba.njit(cache=True, nogil=True)
def _likeness(mono, start, template, skip):  # type: ignore[no-untyped-def]
    dot, energy = np.float32(0.0), np.float32(1e-12)
    for i in range(0, template.size, skip):
        v = mono[start + i]
        dot += v * template[i]
        energy += v * v
    return dot / np.sqrt(energy)


@numba.njit(cache=True, nogil=True)
def _grains_kernel(pool, mono, join, shortest, longest, seed, out):  # type: ignore[no-untyped-def]
    """Fill `out` with grains of the pool, each begun where it goes on best from what was there.

    out's first frame continues the pool from `join` frames before its end.
    """
    rows, size = pool.shape
    total = out.shape[1]
    np.random.seed(seed)
    template = np.empty(join, np.float32)
    for i in range(join):
        template[i] = mono[size - join + i]
    step, fine = max(1, join // 60), max(1, join // 150)
    few = mono[::step].copy()  # at first it is looked for in steps, by every step
    top = max(1, size - join - shortest)
    dots, energies = np.empty((2, (top - 1) // step + 1), np.float32)
    at = 0
    last_place = size - join
    while at < total:
        length = shortest + int(np.random.random() * (longest - shortest + 1))
        best, place = -2.0, top - 1
        dots[:], energies[:] = 0.0, 1e-12
        for i in range(0, join, step):
            y, row = template[i], few[i // step :]
            for j in range(dots.size):
                dots[j] += row[j] * y
                energies[j] += row[j] * row[j]
        for j in range(dots.size):
            start = j * step
            likeness = dots[j] / np.sqrt(energies[j])
            # The same place again would be heard as a flutter.
            away = abs(start - last_place) / max(1, size)
            likeness *= 0.85 + 0.15 * min(1.0, 4.0 * away)
            if likeness > best:
                best, place = likeness, start
        best, middle = -2.0, place
        for start in range(max(0, middle - step), min(top, middle + step + 1)):
            likeness = _likeness(mono, start, template, fine)
            if likeness > best:
                best, place = likeness, start
        length = min(length, size - join - place)
        for i in range(join + length):
            k = at + i
            if k >= total:
                break
            gain = 1.0
            if at > 0 and i < join:
                gain = 0.5 - 0.5 * np.cos(np.pi * (i + 0.5) / join)
            if i >= length:
                gain *= 0.5 + 0.5 * np.cos(np.pi * (i - length + 0.5) / join)
            for r in range(rows):
                out[r, k] += np.float32(gain) * pool[r, place + i]
        for i in range(join):
            template[i] = mono[place + length + i]
        at += length
        last_place = place + length

"""How is a chord or a full mix made longer without smearing it?

Method: phase-locked spectral stretching in three bands. Around every attack the recording runs at
its own speed; between attacks the frames are read slower or faster, in strides where the sound is
steady, and each band falls as fast as it was recorded. The phase of a frame is set
from two analysis frames one output hop apart (no unwrapping: exact where the speed is 1), and
every bin turns with the spectral peak it belongs to, both channels by the same angle. In bins
whose energy jumps at an attack the phase starts afresh from the recording. A low band is looked
at with every second or eighth sample: the same bins for a fraction of the work.

A piece starts at an anchor with the recording's own phases and must end at the next with the
recording's own phases, too. What is missing at the end is turned in evenly over the whole piece:
at most half a cycle in about a second, and pieces then join without knowing one another.

Sources: Laroche & Dolson, "Improved phase vocoder time-scale modification of audio" (1999); Röbel,
"A new approach to transient processing in the phase vocoder" (2003).
"""

import itertools
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from zeroknot.core.audio import Samples
from zeroknot.core.stretch.decay import BandLevels, lay_down, own_decay
from zeroknot.core.stretch.decimation import Taps, filled, low_pass, most_step, smoothed
from zeroknot.core.stretch.part import Part
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.stretch.sinc import ZERO_CROSSINGS, read_at
from zeroknot.core.stretch.strides import strided
from zeroknot.core.stretch.turning import (
    cut_kernel,
    overlap_add_kernel,
    peaks_kernel,
    turn_kernel,
)
from zeroknot.core.stretch.zones import zoned_map
from zeroknot.core.units import pitch_ratio
from zeroknot.core.warp.time_map import Floats

LONGEST_WINDOW_SECONDS = 0.093
CROSSOVERS_HZ = (1_000.0, 4_000.0)
OVERLAP = 4  # windows over each sample
JOIN_SECONDS = 0.008
UNITY_SHARE_AFTER = 0.5  # of the gap to the next attack that runs at the recording's own speed
UNITY_SHARE_BEFORE = 0.25
BESIDE = 4  # bins next to a band that take part in its peaks

Spectra = NDArray[np.complex64]


@dataclass(frozen=True, eq=False)
class _Band:
    """What is stretched with one window.

    window    frames, a power of two
    low, high first bin with a weight, last + 1
    weights   float32 [high − low]: cos² over ±15 % of a crossover
    step      every so manyth frame of the recording is looked at
    taps      of the filter that allows it; None where all are
    """

    window: int
    low: int
    high: int
    weights: NDArray[np.float32]
    step: int
    taps: Taps | None

    @property
    def hop(self) -> int:
        return self.window // OVERLAP

    @property
    def wide(self) -> tuple[int, int]:
        """Bins beside the band take part in its peaks, so that its edges are locked too."""
        return max(0, self.low - BESIDE), min(self.window // 2 + 1, self.high + BESIDE)

    @classmethod
    def over(cls, window: int, low_hz: float, high_hz: float, rate: int) -> "_Band":
        hz = np.arange(window // 2 + 1) * rate / window
        weight = _rising(hz, low_hz) * (1.0 - _rising(hz, high_hz))
        used = np.flatnonzero(weight > 0)
        low, high = int(used[0]), int(used[-1]) + 1
        # A window widens every sound by two bins.
        highest = (high + BESIDE + 2) * rate / window
        step = most_step(rate, highest)
        taps = low_pass(rate, highest, step) if step > 1 else None
        return cls(window, low, high, weight[low:high].astype(np.float32), step, taps)


def _rising(hz: Floats, crossover_hz: float) -> Floats:
    if crossover_hz <= 0:
        return np.ones_like(hz)
    if not np.isfinite(crossover_hz):
        return np.zeros_like(hz)
    x = np.clip((hz / crossover_hz - 0.85) / 0.3, 0.0, 1.0)
    return np.asarray(np.sin(0.5 * np.pi * x) ** 2)


@lru_cache(maxsize=8)
def _bands(rate: int) -> tuple[_Band, ...]:
    longest = 2 ** round(np.log2(LONGEST_WINDOW_SECONDS * rate))
    edges = [0.0, *(c for c in CROSSOVERS_HZ if c < 0.4 * rate), np.inf]
    return tuple(
        _Band.over(max(256, longest >> i), low, high, rate)
        for i, (low, high) in enumerate(itertools.pairwise(edges))
    )


def render_piece(
    part: Part,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    settings: StretchSettings,
) -> tuple[int, Samples]:
    """One piece of a part, to be added to what its neighbours give.

    from_anchor, to_anchor  (source frame, output frame)
    returns                 first output frame, float32 [channels, frames]; faded into the
                            piece before and out under the next over JOIN_SECONDS
    """
    join = min(int(JOIN_SECONDS * part.rate), int(to_anchor[1] - from_anchor[1]) // 4)
    start, end = int(np.floor(from_anchor[1] + 0.5)), int(np.floor(to_anchor[1] + 0.5))
    # A part that is cut begins and ends sharp: there is nothing to join.
    lead_in = join if part.view.is_circle or start > part.start else 0
    lead_out = join if part.view.is_circle or end < part.end else 0
    ratio = pitch_ratio(part.semitones)
    if ratio == 1.0:
        out = _stretched(part, from_anchor, to_anchor, 1.0, start - lead_in, end)
    else:
        # Stretched by the pitch ratio as well, then read that much faster.
        margin = int(ZERO_CROSSINGS * max(1.0, ratio) / 0.9) + 8
        first = int(np.floor((start - lead_in) * ratio)) - margin
        last = int(np.ceil(end * ratio)) + margin
        long = _stretched(part, from_anchor, to_anchor, ratio, first, last)
        positions = np.arange(start - lead_in, end, dtype=np.float64) * ratio - first
        out = read_at(long, positions, np.full(positions.size, ratio))
    out[:, :lead_in] *= _ramp(lead_in)
    out[:, out.shape[1] - lead_out :] *= 1.0 - _ramp(lead_out)
    return start - lead_in, out


def _ramp(frames: int) -> Samples:
    return ((np.arange(frames) + 0.5) / max(1, frames)).astype(np.float32)


def _stretched(
    part: Part,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    ratio: float,
    first: int,
    last: int,
) -> Samples:
    """Output frames first…last of a piece on an axis `ratio` times as long. [channels, n]"""
    out = np.zeros((part.view.samples.shape[0], last - first), np.float32)

    def stretched(band: _Band) -> Samples:
        return _band_stretched(part, band, from_anchor, to_anchor, ratio, first, last)

    bands = _bands(part.rate)
    if part.threads == 1:
        for band in bands:
            out += stretched(band)
        return out
    with ThreadPoolExecutor(part.threads) as pool:
        # The highest is the most work: begun first, it is not what is waited for at the end.
        begun = [pool.submit(stretched, band) for band in reversed(bands)]
        for sound in reversed(begun):
            out += sound.result()
    return out


def _band_stretched(
    part: Part,
    band: _Band,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    ratio: float,
    first: int,
    last: int,
) -> Samples:
    window, hop = band.window, band.hop
    taper = np.hanning(window + 1)[: -1 : band.step].astype(np.float32)
    begin, finish = from_anchor[1] * ratio, to_anchor[1] * ratio
    origin = int(np.floor(begin + 0.5))
    n_first = -(-(first - window // 2 - origin) // hop)
    n_last = (last + window // 2 - origin) // hop
    centres = origin + hop * np.arange(n_first, n_last + 1)
    begin_at, end_at = first / ratio, last / ratio
    points_source, points_output = zoned_map(
        part, ratio, begin_at, end_at,
        after=(UNITY_SHARE_AFTER, 8.0 * window), before=(UNITY_SHARE_BEFORE, 0.5 * window),
        # Next to an anchor the recording runs at its own speed for as long as the window sees the
        # anchor, or phases would not be the recording's own there.
        clear=0.625 * window / ratio,
    )  # fmt: skip
    attacks = part.around(part.attack_points, begin_at - window, end_at + window)[:, 1] * ratio
    walked = strided(points_source, points_output, part.view, part.rate, centres[0], centres[-1])
    sources = np.floor(np.interp(centres, walked[1], walked[0]) + 0.5).astype(np.int64)
    spectra, before = _analysed(part, band, sources, taper)
    is_new = _near_attack(centres, attacks, window)
    # All is turned in before the first window that sees the anchor.
    way = max(0.5 * (finish - begin), finish - begin - window // 2)
    share = np.clip((centres - begin) / max(1.0, way), 0.0, 1.0)
    start_frame, end_frame = -n_first, int(np.argmin(np.abs(centres - finish)))
    end_frame = max(end_frame, start_frame)
    low, high = band.wide
    missing, since = np.zeros((2, high - low))
    power = np.empty((centres.size, high - low), np.float32)
    owner = np.empty(power.shape, np.int32)
    peaks_kernel(spectra, low, power, owner)
    weights = np.zeros(high - low, np.float32)
    weights[band.low - low : band.high - low] = band.weights
    turned = np.zeros((centres.size, *spectra.shape[1:]), np.complex64)
    for weighted in (weights[:0], weights):  # once to see what is missing at the end
        turn_kernel(
            spectra, before, low, power, owner, is_new, start_frame, end_frame, share, missing,
            since, weighted, turned,
        )  # fmt: skip
    frames = fft.irfft(turned, n=taper.size, axis=2, overwrite_x=True)
    step_hop = hop // band.step
    total = np.zeros((turned.shape[1], (centres.size - 1) * step_hop + taper.size), np.float32)
    # hann² at this overlap sums to 3/8 · 4
    starts = step_hop * np.arange(centres.size)
    overlap_add_kernel(frames, taper * np.float32(1.0 / (OVERLAP * 0.375)), starts, total)
    if band.taps is not None:
        total = filled(total, band.taps, band.step)
    offset = first - (int(centres[0]) - window // 2)
    total = total[:, offset : offset + last - first]
    unit = 0.375 * taper.size**2 / 2  # of a hann window's spectrum, by Parseval
    fixed = part.around(part.attack_points, from_anchor[1] + 1.0, to_anchor[1] - 1.0)
    frames, nepers = own_decay(
        BandLevels(sources, power @ np.square(weights), window, unit),
        np.concatenate([[from_anchor], fixed, [to_anchor]]) * (1.0, ratio),
        part.ends(from_anchor[1], to_anchor[1])[:, 0],
        (points_source, points_output), ratio, part.view, part.rate,
    )  # fmt: skip
    lay_down(total, first, frames, nepers)
    return total


def _analysed(
    part: Part, band: _Band, sources: NDArray[np.int64], taper: Samples
) -> tuple[Spectra, NDArray[np.int64]]:
    """Spectra of the frames around each source moment and one output hop before it.

    returns  complex64 [frames and more, channels, bins]: the frames, then those before them that
             are none of the frames; and which of them is before each frame
    """
    window, hop = band.window, band.hop
    room = 0 if band.taps is None else band.taps.size // 2
    low = int(sources.min()) - window // 2 - hop
    high = int(sources.max()) + window // 2
    sound = part.view.read(low - room, high - low + 2 * room)
    if band.taps is not None:
        sound = smoothed(sound, band.taps)
    at = sources - window // 2 - low
    # Where the recording runs at its own speed, the frame before is the one before.
    other = np.flatnonzero(np.diff(sources, prepend=sources[0]) != hop)
    before = np.arange(-1, sources.size - 1)
    before[other] = sources.size + np.arange(other.size)
    starts = np.concatenate([at, at[other] - hop])
    cut = np.empty((starts.size, sound.shape[0], taper.size), np.float32)
    cut_kernel(sound, starts, band.step, taper, cut)
    return fft.rfft(cut, axis=2), before


def _near_attack(centres: NDArray[np.int64], attacks: Floats, window: int) -> NDArray[np.bool_]:
    """Which frames see an attack come in: from half a window before it to a quarter after."""
    if attacks.size == 0:
        return np.zeros(centres.size, np.bool_)
    ahead = attacks[None, :] - centres[:, None]
    return np.asarray(((ahead < window / 2) & (ahead > -window / 4)).any(axis=1))

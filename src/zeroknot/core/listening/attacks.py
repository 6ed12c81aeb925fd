"""When does something begin to sound?

Conventions
-----------
- An attack's time is the start of its rise, seconds from the recording's start.
- Strengths are 0…1, the strongest attack of a recording at 1.

Method: the rise of a log-frequency, log-magnitude spectrum against the maximum of its neighbours
two frames earlier (SuperFlux: Böck & Widmer, "Maximum filter vibrato suppression for onset
detection", DAFx 2013), peaks picked above a moving mean, then each moved to where the waveform's
own envelope starts to rise.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.audio import Audio, Samples
from zeroknot.core.listening.framing import Framing, magnitudes

VERSION = 1
HOP_SECONDS = 0.005
WINDOW_SECONDS = 0.0464
BANDS_PER_OCTAVE = 12
LOWEST_HZ, HIGHEST_HZ = 30.0, 16_000.0
NEAREST_SECONDS = 0.04
SEARCH_BEFORE, SEARCH_AFTER = 0.035, 0.025  # seconds round a peak in which the rise is looked for
QUIETEST_RMS = 1e-4  # −80 dBFS: below it there is nothing to hear

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Attacks:
    """seconds    float64 [n], rising
    strengths  float64 [n], 0…1
    """

    seconds: Floats
    strengths: Floats

    @classmethod
    def none(cls) -> "Attacks":
        return cls(np.zeros(0), np.zeros(0))


@dataclass(frozen=True, eq=False)
class Envelope:
    """How much begins at each moment: float64 [frames], one every `hop_seconds`."""

    values: Floats
    hop_seconds: float


def attack_envelope(sound: Audio) -> Envelope:
    """The spectral rise of a sound, mean over its bands."""
    framing = Framing.for_rate(sound.rate, WINDOW_SECONDS, HOP_SECONDS)
    bank = _filterbank(sound.rate, framing.window)
    carried: NDArray[np.float32] | None = None
    rises = []
    # Both channels' energy: out-of-phase stereo does not vanish.
    for chunk in zip(*(magnitudes(c, framing) for c in sound.samples), strict=True):
        power = np.sqrt(sum(np.square(c) for c in chunk) / len(chunk))
        bands = np.log10(1.0 + 1000.0 * power @ bank / framing.window)
        joined = bands if carried is None else np.concatenate([carried, bands])
        widened = ndimage.maximum_filter1d(joined, 3, axis=1)
        lag = 2
        rise = np.maximum(0.0, joined[lag:] - widened[:-lag]).mean(axis=1)
        rises.append(np.concatenate([np.zeros(lag), rise]) if carried is None else rise)
        carried = joined[-lag:]
    values = np.concatenate(rises)
    # What sounds from the very first sample begins there.
    if carried is not None and values.size > 2:
        first = next(magnitudes(sound.samples[0][: framing.window * 2], framing))[0]
        values[0] = float(np.log10(1.0 + 1000.0 * first @ bank / framing.window).mean())
    return Envelope(values.astype(np.float64), framing.hop / sound.rate)


def find_attacks(sound: Audio, envelope: Envelope | None = None) -> Attacks:
    """Attacks of a sound, in order; none in silence."""
    if float(np.sqrt(np.mean(np.square(sound.samples, dtype=np.float64)))) < QUIETEST_RMS:
        return Attacks.none()
    envelope = envelope or attack_envelope(sound)
    values, hop = envelope.values, envelope.hop_seconds
    near = max(1, round(NEAREST_SECONDS / hop))
    mean = ndimage.uniform_filter1d(values, 2 * round(0.1 / hop) + 1, mode="nearest")
    loud = np.percentile(values, 98) if values.size > 20 else values.max()
    floor = mean + 0.06 * max(loud, 1e-9) + 0.008
    is_peak = (values == ndimage.maximum_filter1d(values, 2 * near + 1)) & (values > floor)
    at = np.flatnonzero(is_peak)
    if at.size == 0:
        return Attacks.none()
    loudness = np.sqrt(np.mean(np.square(sound.samples, dtype=np.float64), axis=0))
    seconds = np.asarray([_start_of_rise(loudness, sound.rate, i * hop) for i in at])
    strengths = np.asarray([values[i] for i in at])
    order = np.argsort(seconds, kind="stable")
    seconds, strengths = seconds[order], strengths[order]
    keep = np.concatenate([[True], np.diff(seconds) > 0.5 * NEAREST_SECONDS])
    return Attacks(seconds[keep], strengths[keep] / strengths.max())


def sounding_range(sound: Audio, floor_db: float = -72.0) -> tuple[float, float]:
    """First and last second that are louder than the floor under the peak; the whole if none is."""
    peak = sound.peak()
    if peak == 0.0:
        return 0.0, sound.seconds
    loud = np.abs(sound.samples).max(axis=0) > peak * 10 ** (floor_db / 20)
    first = int(np.argmax(loud))
    last = sound.frames - int(np.argmax(loud[::-1]))
    return first / sound.rate, last / sound.rate


def _filterbank(rate: int, window: int) -> NDArray[np.float32]:
    """Triangles a semitone apart on a log axis: float32 [window / 2 + 1, bands]."""
    top = min(HIGHEST_HZ, 0.48 * rate)
    count = int(np.log2(top / LOWEST_HZ) * BANDS_PER_OCTAVE)
    centres = LOWEST_HZ * 2.0 ** (np.arange(-1, count + 1) / BANDS_PER_OCTAVE)
    bins = np.unique(np.round(centres * window / rate).astype(int))
    bins = bins[(bins >= 1) & (bins <= window // 2)]
    bank = np.zeros((window // 2 + 1, bins.size - 2), np.float32)
    for i, (a, b, c) in enumerate(zip(bins, bins[1:], bins[2:], strict=False)):
        bank[a : b + 1, i] = np.linspace(0.0, 1.0, b - a + 1)
        bank[b : c + 1, i] = np.linspace(1.0, 0.0, c - b + 1)
    return bank


def _start_of_rise(loudness: Floats, rate: int, second: float) -> float:
    """Where the envelope near a moment starts to rise towards its top."""
    low = max(0, int((second - SEARCH_BEFORE) * rate))
    high = min(loudness.size, int((second + SEARCH_AFTER) * rate) + 1)
    part = loudness[low:high]
    if part.size < 8:
        return second
    width = max(1, int(0.0015 * rate))
    smooth: Samples = ndimage.uniform_filter1d(part, width, mode="nearest")
    # The steepest relative rise over 3 ms, then back to where it leaves the level before.
    step = max(1, int(0.003 * rate))
    smooth = np.maximum(smooth, 0.0)
    gain = np.log(smooth[step:] + 1e-5) - np.log(smooth[:-step] + 1e-5)
    weight = gain * np.sqrt(smooth[step:])
    top = int(np.argmax(weight)) + step
    before = max(0, top - 2 * step)
    base = float(smooth[before : before + step].mean()) if before else float(smooth[0])
    threshold = base + 0.12 * (float(smooth[top : top + step].max()) - base)
    i = top
    while i > before and smooth[i] > threshold:
        i -= 1
    # A moving mean rises half its width early.
    return (low + (0 if i == 0 and low == 0 else i + width // 4)) / rate

"""Sounds that tests make, so that what is right is known."""

from pathlib import Path

import numpy as np
import soundfile

from zeroknot.core.audio import Audio

FIXTURES = Path(__file__).parent / "fixtures"
RATE = 44_100


def audio(samples, rate=RATE) -> Audio:
    """float [frames] or [channels, frames] as Audio."""
    return Audio(np.ascontiguousarray(np.atleast_2d(samples), dtype=np.float32), rate)


def sine(hertz, seconds, level=0.5, rate=RATE):
    """float64 [frames]"""
    return level * np.sin(2 * np.pi * hertz * np.arange(round(seconds * rate)) / rate)


def rendered(name) -> Audio:
    """A loop rendered with a soundfont (tests/fixtures)."""
    samples, rate = soundfile.read(FIXTURES / f"{name}.flac", dtype="float32", always_2d=True)
    return audio(samples.T, rate)


def hits(times, seconds, rate=RATE, seed=1):
    """Noise bursts with a sharp start at each time: float64 [frames]"""
    rng = np.random.default_rng(seed)
    out = np.zeros(round(seconds * rate))
    burst = rng.standard_normal(round(0.05 * rate)) * np.exp(
        -np.arange(round(0.05 * rate)) / (0.012 * rate)
    )
    for time in times:
        first = round(time * rate)
        part = out[first : first + burst.size]
        part += 0.3 * burst[: part.size]
    return out


def pitch_of(samples, rate=RATE, low=50.0, high=5000.0):
    """Frequency of the strongest partial in Hz, by a parabola through the spectrum's peak."""
    window = np.hanning(samples.size)
    size = 2 ** int(np.ceil(np.log2(samples.size * 4)))
    spectrum = np.abs(np.fft.rfft(samples * window, size))
    hertz = np.arange(spectrum.size) * rate / size
    spectrum[(hertz < low) | (hertz > high)] = 0
    k = int(np.argmax(spectrum))
    a, b, c = np.log(spectrum[k - 1 : k + 2] + 1e-20)
    return (k + 0.5 * (a - c) / (a - 2 * b + c)) * rate / size

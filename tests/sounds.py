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


def drum_loop(bpm, bars, metre=4, swing=0.5, rate=RATE, seed=4):
    """A plain beat: kick on the one (and the middle), snare between, hats on eighths.

    metre  pulses a bar; returns float64 [frames] of exactly that many bars
    """
    rng = np.random.default_rng(seed)
    pulse = 60 / bpm
    out = np.zeros(round(bars * metre * pulse * rate))
    t = np.arange(round(0.3 * rate)) / rate
    kick = np.sin(2 * np.pi * (48 * t + 5 * (1 - np.exp(-t * 40)))) * np.exp(-t * 16)
    noise = rng.standard_normal(t.size)
    snare = 0.5 * noise * np.exp(-t * 26) + 0.4 * np.sin(2 * np.pi * 185 * t) * np.exp(-t * 30)
    hat = 0.12 * np.diff(noise, prepend=0.0) * np.exp(-t * 70)

    def lay(sound, at, level):
        first = round(at * pulse * rate)
        part = out[first : first + sound.size]
        part += level * sound[: part.size]

    for bar in range(bars):
        for k in range(metre):
            at = bar * metre + k
            lay(hat, at, 1.0)
            lay(hat, at + swing, 0.6)
            if k == 0 or (metre == 4 and k == 2):
                lay(kick, at, 1.0)
            else:
                lay(snare, at, 0.8)
        lay(kick, bar * metre + metre - 1 + swing, 0.7)
    return out


def tiled(sound: Audio, times: int, level: float = 1.0) -> Audio:
    """So many times end to end, at a level: another file each."""
    return audio(np.tile(sound.samples, (1, times)) * level, sound.rate)


def even_notes(count=16, seconds=5.5) -> Audio:
    """The same short note again and again: two bars of eighths at 87.27, or four of quarters."""
    out = np.zeros(round(seconds * RATE))
    for i in range(count):
        first = round(i * out.size / count)
        t = np.arange(min(8_000, out.size - first)) / RATE
        out[first : first + t.size] += 0.5 * np.sin(2 * np.pi * 220 * t) * np.exp(-20 * t)
    return audio(out)

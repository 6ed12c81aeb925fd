"""The sounds of the demo: small physical and additive models, the same every time.

Conventions
-----------
- A voice gives float64 [frames] at RATE, one note or hit, its attack at frame 0.
- Chance comes through an `rng` that the caller seeds.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import signal

RATE = 44_100
Wave = NDArray[np.float64]


def _time(seconds: float) -> Wave:
    return np.arange(int(seconds * RATE)) / RATE


def _band(noise: Wave, low: float, high: float, order: int = 2) -> Wave:
    sections = signal.butter(order, [low, high], "bandpass", fs=RATE, output="sos")
    return np.asarray(signal.sosfilt(sections, noise))


def kick(level: float) -> Wave:
    """A drumhead whose tension falls after the blow: a swept sine and a click of felt."""
    t = _time(0.42)
    phase = 2 * np.pi * (47 * t + 78 * 0.028 * (1 - np.exp(-t / 0.028)))
    knock = np.exp(-t / 0.003) * np.sin(2 * np.pi * 1150 * t) * 0.25
    return level * (np.sin(phase) * np.exp(-t / 0.13) + knock)


def snare(level: float, rng: np.random.Generator) -> Wave:
    """Two head modes and the rattle of wires."""
    t = _time(0.3)
    head = np.sin(2 * np.pi * 186 * t) + 0.6 * np.sin(2 * np.pi * 331 * t)
    wires = _band(rng.standard_normal(t.size), 1400, 9500)
    return level * (0.5 * head * np.exp(-t / 0.055) + 0.75 * wires * np.exp(-t / 0.085))


def hat(level: float, rng: np.random.Generator, ring: float = 0.035) -> Wave:
    """Inharmonic partials of a small plate, noise on top."""
    t = _time(ring * 6 + 0.02)
    partials = (3217.0, 4421.0, 5449.0, 6733.0, 8117.0, 9241.0)
    plate = sum(np.sign(np.sin(2 * np.pi * f * t + i)) for i, f in enumerate(partials)) / 6
    wash = _band(np.asarray(plate) + 0.5 * rng.standard_normal(t.size), 6500, 15000)
    return level * wash * np.exp(-t / ring)


def ratchet(level: float, rng: np.random.Generator) -> Wave:
    """A pawl falling from tooth to tooth: four knocks, nearer and nearer."""
    out = np.zeros(int(0.3 * RATE))
    for i, at in enumerate((0.0, 0.07, 0.125, 0.165)):
        t = _time(0.05)
        knock = _band(rng.standard_normal(t.size), 900, 4200) * np.exp(-t / 0.008)
        first = int(at * RATE)
        out[first : first + knock.size] += (0.5 + 0.15 * i) * knock
    return level * out


def shaker(level: float, rng: np.random.Generator, length: float) -> Wave:
    """Beads thrown against a wall: grains that come dense and thin out."""
    t = _time(length)
    grains = rng.standard_normal(t.size) * (rng.random(t.size) < 0.5)
    rise = np.minimum(1.0, t / 0.006)
    return level * _band(grains, 4200, 13500) * rise * np.exp(-t / (length * 0.32))


def deck_plate(hertz: float, level: float, rng: np.random.Generator) -> Wave:
    """A riveted plate struck with a boot or a stick: bending modes of a bar free at both ends.

    Its modes lie near 1 : 2.76 : 5.40 : 8.93 : 13.34 (Fletcher & Rossing, "The Physics of Musical
    Instruments", thin bar); the rivets damp the high ones.
    """
    t = _time(0.5)
    tone = np.zeros(t.size)
    for i, ratio in enumerate((1.0, 2.76, 5.40, 8.93, 13.34)):
        detuned = hertz * ratio * (1 + 0.004 * rng.standard_normal())
        tone += 0.8**i * np.sin(2 * np.pi * detuned * t) * np.exp(-t / (0.16 / (1 + 1.3 * i)))
    boot = _band(rng.standard_normal(t.size), 300, 5200) * np.exp(-t / 0.007)
    return level * (0.6 * tone + 0.7 * boot) * np.minimum(1, t / 0.0006)


def foghorn(hertz: float, seconds: float, level: float) -> Wave:
    """A reed on a long horn: odd partials first, a slow swell, a little flutter."""
    t = _time(seconds + 0.12)
    flutter = 1 + 0.003 * np.sin(2 * np.pi * 5.2 * t) * np.minimum(1, t / 0.4)
    phase = 2 * np.pi * hertz * np.cumsum(flutter) / RATE
    weights = (1.0, 0.34, 0.42, 0.16, 0.2, 0.07, 0.1)
    tone = sum(w * np.sin((n + 1) * phase + 0.3 * n) for n, w in enumerate(weights))
    swell = np.minimum(1, t / 0.018) * np.clip((t[-1] - t) / 0.11, 0, 1)
    return np.asarray(level * np.tanh(0.9 * np.asarray(tone)) * swell * np.exp(-t / 2.4))


def tine(hertz: float, seconds: float, level: float) -> Wave:
    """A struck tine beside a pickup: a bell of the fourteenth partial over a soft fundamental."""
    t = _time(seconds + 0.5)
    bell = np.sin(2 * np.pi * hertz * 14.02 * t) * np.exp(-t / 0.05) * 0.35
    body = np.sin(
        2 * np.pi * hertz * t + (0.9 * np.exp(-t / 0.5) + bell) * np.sin(2 * np.pi * hertz * t)
    )
    release = np.clip((seconds + 0.35 - t) / 0.3, 0, 1)
    return level * body * np.exp(-t / 1.15) * np.minimum(1, t / 0.002) * release


def gull(hertz: float, seconds: float, level: float, rng: np.random.Generator) -> Wave:
    """A sung "ah": a pulse train of three slightly detuned throats through five formants."""
    t = _time(seconds + 0.25)
    source = np.zeros(t.size)
    for detune in (-6.0, 0.0, 7.0):
        vibrato = 18 * np.sin(2 * np.pi * (4.8 + 0.4 * rng.random()) * t + 6 * rng.random())
        cents = detune + vibrato * np.clip((t - 0.15) / 0.4, 0, 1)
        phase = np.cumsum(hertz * 2 ** (cents / 1200)) / RATE
        partials = int(9000 / hertz)
        source += sum(
            np.sin(2 * np.pi * n * phase) / n**1.1 for n in range(1, partials + 1)
        )  # fmt: skip
    source += 0.02 * rng.standard_normal(t.size)
    voice = np.zeros(t.size)
    formants = ((800, 80, 1.0), (1150, 90, 0.5), (2900, 120, 0.12), (3900, 130, 0.06))
    for centre, width, weight in formants:
        b, a = signal.iirpeak(centre, centre / width, fs=RATE)
        voice += weight * signal.lfilter(b, a, source)
    swell = np.clip(t / 0.14, 0, 1) * np.clip((t[-1] - t) / 0.24, 0, 1)
    return np.asarray(level * voice * swell)


def buoy_bar(hertz: float, level: float) -> Wave:
    """A wooden bar over a tube: partials near 1 : 3.93 : 9.24, each faster to fade."""
    t = _time(1.3)
    tone = np.zeros(t.size)
    for ratio, weight, fade in ((1.0, 1.0, 0.36), (3.93, 0.4, 0.1), (9.24, 0.18, 0.035)):
        tone += (
            weight
            * np.sin(2 * np.pi * hertz * ratio * t)
            * np.exp(-t / (fade * (220 / hertz) ** 0.4))
        )
    return level * tone * np.minimum(1, t / 0.0012)


def room(dry: NDArray[np.float64], seconds: float, wet: float, seed: int) -> NDArray[np.float64]:
    """A tower stair: each channel through its own fading noise, cut to the length it came with."""
    rng = np.random.default_rng(seed)
    t = _time(seconds)
    out = []
    for channel in dry:
        tail = _band(rng.standard_normal(t.size), 180, 6500) * np.exp(-t / (seconds / 5))
        tail /= np.sqrt(np.sum(tail**2))
        out.append(channel + wet * signal.fftconvolve(channel, tail)[: channel.size])
    return np.asarray(out)

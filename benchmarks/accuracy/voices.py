"""How does what is played sound without any recording? Plucked, modulated, blown, spoken, hit.

Every part gets a voice of its own, drawn from a seed: strings after Karplus and Strong (Digital
synthesis of plucked-string and drum timbres, 1983), two operators of FM after Chowning (1973),
sawtooths through a low pass, formants (Peterson and Barney, 1952: first two of five vowels),
breath, chopped noise; drums of bent sines and coloured noise.
"""

from collections.abc import Callable
from functools import partial

import numpy as np
from scipy import signal

from benchmarks.accuracy.compose import DRUM, Note, Rng

RATE = 44_100
VOWELS = ((730, 1090), (270, 2290), (300, 870), (530, 1840), (570, 840))
NAMES = {number: name for name, number in DRUM.items()}
Voice = Callable[[float, float, Rng], np.ndarray]  # hertz, seconds -> float64 [frames]


def voice_of(role: str, rng: Rng) -> Voice:
    """A voice for a part."""
    kinds = {
        "bass": (subbed, fm, pluck, saws), "chords": (fm, pluck, saws, organ, grains),
        "arp": (pluck, fm, square, grains), "pad": (saws, breath, choir, organ),
        "line": (square, breath, fm, saws), "voice": (choir, choir, breath),
    }[role]  # fmt: skip
    kind = kinds[int(rng.integers(len(kinds)))]
    slow = rng.uniform(0.05, 0.4) if role == "pad" else 0.0
    return partial(_shaped, kind, int(rng.integers(2**31)), slow)


def _shaped(
    kind: Callable[..., np.ndarray], seed: int, slow: float, hertz: float, seconds: float, rng: Rng
) -> np.ndarray:
    own = np.random.default_rng(seed)  # the same sound at every note of a part
    release = own.uniform(0.02, 0.25)
    n = int((seconds + release) * RATE)
    sound = kind(hertz, np.arange(n) / RATE, own, rng)
    rise = max(int((slow or own.uniform(0.001, 0.012)) * RATE), 1)
    envelope = np.minimum(1.0, np.arange(n) / rise)
    over = int(seconds * RATE)
    envelope[over:] *= np.linspace(1, 0, n - over)
    return sound * envelope


def pluck(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    period = max(2, round(RATE / hertz))
    burst = np.zeros(t.size)
    burst[:period] = rng.uniform(-1, 1, min(period, t.size))
    loss = own.uniform(0.985, 0.999)
    a = np.zeros(period + 2)
    a[0], a[period], a[period + 1] = 1.0, -loss / 2, -loss / 2
    return signal.lfilter([1.0], a, burst)


def fm(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    ratio, depth = own.choice([0.5, 1, 2, 3, 3.5, 7]), own.uniform(0.5, 6)
    fall = np.exp(-t * own.uniform(1, 12))
    inner = np.sin(2 * np.pi * hertz * ratio * t) * depth * fall
    return np.sin(2 * np.pi * hertz * t + inner) * np.exp(-t * own.uniform(0.3, 5))


def saws(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    spread = own.uniform(0.0005, 0.006)
    out = sum(
        signal.sawtooth(2 * np.pi * hertz * (1 + spread * k) * t + rng.uniform(0, 6))
        for k in (-2, -1, 0, 1, 2)
    )
    corner = min(hertz * own.uniform(3, 14), 16_000)
    return signal.sosfilt(signal.butter(2, corner, fs=RATE, output="sos"), out)


def square(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    wobble = own.uniform(0, 0.006) * np.sin(2 * np.pi * own.uniform(4, 7) * t)
    return signal.square(2 * np.pi * hertz * (t + wobble / hertz * 20), own.uniform(0.1, 0.5))


def organ(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    return sum(own.uniform(0, 1) * np.sin(2 * np.pi * hertz * k * t) for k in (0.5, 1, 2, 3, 4, 6))


def subbed(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    bend = own.uniform(0, 2) * np.exp(-t * 30)
    low = np.sin(2 * np.pi * hertz * (t + np.cumsum(bend) / RATE * 0.2))
    return np.tanh(own.uniform(1, 6) * low) * np.exp(-t * own.uniform(0, 4))


def breath(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    noise = rng.normal(0, 1, t.size)
    band = signal.butter(2, [hertz * 0.9, min(hertz * 1.12, 20_000)], "bp", fs=RATE, output="sos")
    tone = np.sin(2 * np.pi * hertz * t + 0.4 * np.sin(2 * np.pi * 5 * t))
    return signal.sosfilt(band, noise) * own.uniform(1, 6) + tone * own.uniform(0.2, 1)


def choir(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    wobble = own.uniform(0.002, 0.008) * np.sin(2 * np.pi * own.uniform(4.5, 6.5) * t)
    source = signal.sawtooth(2 * np.pi * np.cumsum(hertz * (1 + wobble)) / RATE)
    first, second = VOWELS[int(rng.integers(len(VOWELS)))]
    out = np.zeros(t.size)
    for middle, width in ((first, 90), (second, 130)):
        b, a = signal.iirpeak(middle, middle / width, fs=RATE)
        out += signal.lfilter(b, a, source)
    return out


def grains(hertz: float, t: np.ndarray, own: Rng, rng: Rng) -> np.ndarray:
    """A held sound, chopped so many times a second."""
    gate = (t * own.uniform(8, 30)) % 1.0 < own.uniform(0.3, 0.8)
    return (saws(hertz, t, own, rng) + 0.5 * rng.normal(0, 1, t.size)) * gate


STRUCK_HZ = {
    "tom": 130, "con": 260, "bon": 380, "blo": 900, "cla": 2300, "rim": 1700, "cow": 560,
}  # fmt: skip
RING_SECONDS = {"open": 0.4, "crash": 1.2, "ride": 0.8, "bell": 0.6}


def drum(name: str, own: Rng, rng: Rng) -> np.ndarray:
    """One hit: float64 [frames]."""
    if name.startswith("kick"):
        t = _seconds(own.uniform(0.15, 0.6))
        low, high = own.uniform(38, 65), own.uniform(80, 400)
        phase = low * t + high / 40 * (1 - np.exp(-40 * t))
        return np.sin(2 * np.pi * phase) * np.exp(-t * 5 / t[-1])
    if name == "clap":
        t = _seconds(own.uniform(0.12, 0.35))
        hands = [np.exp(-(t - d) * 90) * (t >= d) for d in (0.0, 0.009, 0.018)]
        hands.append(np.exp(-(t - 0.026) * 18) * (t >= 0.026))
        return _above(own.uniform(800, 1500), rng.normal(0, 1, t.size), 1) * np.max(hands, axis=0)
    if name[:3] in STRUCK_HZ:
        t = _seconds(own.uniform(0.05, 0.35))
        size = int(name[-1]) if name[-1].isdigit() else 1
        hertz = own.uniform(0.9, 1.1) * STRUCK_HZ[name[:3]] * 0.8 ** (size - 1)
        bent = t * (1 + 0.05 * np.exp(-30 * t))
        return np.sin(2 * np.pi * hertz * bent) * np.exp(-t * 6 / t[-1])
    if name.startswith("snare"):
        t = _seconds(own.uniform(0.12, 0.35))
        noise = _above(own.uniform(800, 3000), rng.normal(0, 1, t.size), 1)
        tone = np.sin(2 * np.pi * own.uniform(150, 260) * t) * np.exp(-t * 25)
        return noise * np.exp(-t * 6 / t[-1]) + own.uniform(0.2, 1.2) * tone
    t = _seconds(RING_SECONDS.get(name, 0.12) * own.uniform(0.6, 1.6))
    noise = rng.normal(0, 1, t.size)
    low = own.uniform(4000, 9000)
    if own.random() < 0.4:  # metal: squares that do not fit
        noise = sum(np.sign(np.sin(2 * np.pi * f * t)) for f in own.uniform(2000, 9000, 6))
    rise = np.minimum(1.0, t / (0.02 if name in ("shaker", "maracas") else 0.0005))
    return _above(low, noise, 2) * np.exp(-t * 6 / t[-1]) * rise


def _seconds(length: float) -> np.ndarray:
    return np.arange(int(length * RATE)) / RATE


def _above(hertz: float, sound: np.ndarray, order: int) -> np.ndarray:
    return signal.sosfilt(signal.butter(order, hertz, "hp", fs=RATE, output="sos"), sound)


def hit(note: Note, seed: int, rng: Rng) -> np.ndarray:
    """A drum as this kit has it."""
    own = np.random.default_rng([seed, note.pitch])
    sound = drum(NAMES[note.pitch], own, rng)
    return sound / (np.abs(sound).max() + 1e-9)

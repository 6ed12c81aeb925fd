"""What did a loop go through before it was a file? What producers and time do to sounds, by chance.

Each way takes and gives float64 [frames, 2] of one length, moves no attack, and is drawn with its
amounts from the generator it is handed.
"""

import io
from collections.abc import Callable

import numpy as np
import soundfile
from scipy import signal

Rng = np.random.Generator
RATE = 44_100
Way = Callable[[np.ndarray, Rng, float], np.ndarray]


def through(sound: np.ndarray, rng: Rng, beat_s: float, most: int = 3) -> np.ndarray:
    """Through none to `most` of the ways, one after another."""
    count = int(rng.integers(0, most + 1))
    for name in rng.choice(list(WAYS), count, replace=False):
        sound = WAYS[str(name)](sound / (np.abs(sound).max() + 1e-9), rng, beat_s)
    return sound


def compressed(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    level = _level(sound, rng.uniform(0.005, 0.03), rng.uniform(0.05, 0.4))
    over = np.maximum(level / (10 ** (-rng.uniform(12, 30) / 20)), 1.0)
    return sound * (over ** -(1 - 1 / rng.uniform(2, 10)))[:, None]


def saturated(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    drive, lean = rng.uniform(1.5, 12), rng.uniform(0, 0.3)
    return np.tanh(drive * sound + lean) - np.tanh(lean)


def clipped(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    return np.clip(sound * rng.uniform(1.5, 5), -1, 1)


def swept(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """A filter that moves: between copies filtered at several corners."""
    kind = "lp" if rng.random() < 0.7 else "hp"
    corners = np.geomspace(rng.uniform(150, 600), rng.uniform(2000, 9000), 5)
    copies = np.stack([
        signal.sosfilt(signal.butter(2, c, kind, fs=RATE, output="sos"), sound, axis=0)
        for c in corners
    ])  # fmt: skip
    n = sound.shape[0]
    turns = rng.choice([0.5, 1, 2, 4]) if rng.random() < 0.5 else n / RATE / beat_s / 4
    way = (1 - np.cos(2 * np.pi * turns * np.arange(n) / n + rng.uniform(0, 6))) / 2 * 3.999
    low, part = way.astype(int), (way % 1.0)[:, None]
    at = np.arange(n)
    return copies[low, at] * (1 - part) + copies[low + 1, at] * part


def dull(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    sos = signal.butter(int(rng.choice([2, 4])), rng.uniform(400, 5000), fs=RATE, output="sos")
    return signal.sosfilt(sos, sound, axis=0)


def thin(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    sos = signal.butter(2, rng.uniform(100, 900), "hp", fs=RATE, output="sos")
    return signal.sosfilt(sos, sound, axis=0)


def in_a_room(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    n = int(rng.uniform(0.2, 2.0) * RATE)
    room = rng.normal(0, 1, (n, 2)) * np.exp(-6.9 * np.arange(n) / n)[:, None]
    wet = signal.fftconvolve(sound, room, axes=0)[: sound.shape[0]]
    return sound + rng.uniform(0.15, 0.8) * wet / (np.abs(wet).max() + 1e-9)


def echoed(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """Round the loop, as one that was printed with its echo; in time, or not."""
    delay = beat_s * rng.choice([0.25, 0.5, 0.75, 1.0]) if rng.random() < 0.8 else 0.13
    level, out = rng.uniform(0.25, 0.6), sound.copy()
    for k in range(1, 5):
        out += np.roll(sound, round(k * delay * RATE), axis=0) * level**k
    return out


def noisy(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """Hiss, hum, or the crackle of a record."""
    n, level = sound.shape[0], 10 ** (-rng.uniform(18, 50) / 20)
    noise = rng.normal(0, 1, (n, 1))
    if rng.random() < 0.4:
        noise = np.sin(2 * np.pi * rng.choice([50.0, 60.0]) * np.arange(n) / RATE)[:, None]
    elif rng.random() < 0.5:
        noise = noise * 0.1 + (rng.random((n, 1)) < 12 / RATE) * rng.uniform(2, 12)
    return sound + level * noise


def tape(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """Soft, dull at the top, and its speed flutters by less than a thousandth."""
    n = sound.shape[0]
    at = np.arange(n) + rng.uniform(1, 12) * np.sin(
        2 * np.pi * rng.uniform(0.5, 6) * np.arange(n) / RATE
    )
    bent = np.stack([np.interp(at, np.arange(n), sound[:, c]) for c in (0, 1)], 1)
    sos = signal.butter(1, rng.uniform(5000, 12000), fs=RATE, output="sos")
    return np.tanh(1.5 * signal.sosfilt(sos, bent, axis=0))


def crushed(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """Fewer bits, and every so manyth sample held."""
    held = sound[np.arange(sound.shape[0]) // (step := int(rng.integers(1, 9))) * step]
    steps = 2 ** int(rng.integers(5, 12))
    return np.round(held * steps) / steps


def coded(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """Through a lossy file and back, as early as before."""
    file, kind = io.BytesIO(), "MP3" if rng.random() < 0.5 else "OGG"
    subtype = "MPEG_LAYER_III" if kind == "MP3" else "VORBIS"
    soundfile.write(file, np.clip(sound, -1, 1), RATE, format=kind, subtype=subtype)
    file.seek(0)
    back = soundfile.read(file, always_2d=True)[0]
    late = _late(sound[:, 0], back[:, 0])
    back = back[late:][: sound.shape[0]]
    return np.pad(back, ((0, sound.shape[0] - back.shape[0]), (0, 0)))


def pumped(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """Turned down on every beat, as beside a bass drum."""
    beats = (np.arange(sound.shape[0]) / RATE / beat_s) % 1.0
    return sound * (1 - rng.uniform(0.4, 0.95) * np.exp(-beats * rng.uniform(3, 8)))[:, None]


def turned(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    """A beat or half of one is played backwards."""
    length = round(beat_s * rng.choice([0.5, 1.0]) * RATE)
    spots = sound.shape[0] // max(1, length)
    if spots < 3:
        return sound
    out, first = sound.copy(), int(rng.integers(1, spots)) * length
    out[first : first + length] = out[first : first + length][::-1]
    return out


def leaning(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    return sound + rng.uniform(-0.1, 0.1)


def narrow(sound: np.ndarray, rng: Rng, beat_s: float) -> np.ndarray:
    return np.repeat(sound.mean(axis=1, keepdims=True), 2, axis=1)


WAYS: dict[str, Way] = {
    f.__name__: f
    for f in (
        compressed, saturated, clipped, swept, dull, thin, in_a_room, echoed, noisy, tape, crushed,
        coded, pumped, turned, leaning, narrow,
    )
}  # fmt: skip


def _level(sound: np.ndarray, attack_s: float, release_s: float) -> np.ndarray:
    size = np.abs(sound).max(axis=1)
    step = 32
    coarse = size[: size.size // step * step].reshape(-1, step).max(axis=1)
    up, down = (1 - np.exp(-step / RATE / s) for s in (attack_s, release_s))
    out, held = np.empty_like(coarse), 0.0
    for i, value in enumerate(coarse):
        held += (value - held) * (up if value > held else down)
        out[i] = held
    at = np.minimum(np.arange(size.size) // step, max(0, out.size - 1))
    return out[at] if out.size else size


def _late(before: np.ndarray, after: np.ndarray) -> int:
    """Frames that the second begins later, as correlation has it."""
    n = min(before.size, after.size, RATE)
    like = signal.correlate(after[:n], before[:n], method="fft")
    return max(0, int(np.argmax(like)) - (n - 1))

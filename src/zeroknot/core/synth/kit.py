"""How does a drum kit sound? Heads and bars as struck modes, skins' wires and cymbals as noise.

Conventions
-----------
- The pitch of a drum note is the number of an instrument (General MIDI percussion key map).
- A hit sounds until it has rung out, however short the note; hats are choked by the next.
- Chance is seeded by the number: a hit is the same every time.
"""

from dataclasses import dataclass

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.synth.voices import USUAL_VELOCITY, Floats, panned

CHOKED = frozenset({42, 44, 46})  # closed, pedal and open hat: one pair of plates
NOISE_UNDER = 0.44  # of the rate
FADE_SECONDS = 0.004


@dataclass(frozen=True, kw_only=True)
class Hit:
    """One instrument of the kit.

    modes       (Hz, level, nepers a second) of what rings
    bend        how much higher modes begin, as a share, falling at `bend_fall` nepers a second
    noise       level, from Hz, to Hz, nepers a second
    knocks      further onsets in seconds, for claps and shakes
    pan         −1 left to 1 right
    seconds     until it has rung out
    """

    modes: tuple[tuple[float, float, float], ...] = ()
    bend: float = 0.0
    bend_fall: float = 40.0
    noise: tuple[float, float, float, float] = (0.0, 100.0, 1_000.0, 50.0)
    knocks: tuple[float, ...] = (0.0,)
    pan: float = 0.0
    seconds: float = 0.4


def _tom(hz: float, pan: float) -> Hit:
    return Hit(
        modes=((hz, 0.75, 7.0), (hz * 1.59, 0.3, 11.0), (hz * 2.14, 0.14, 16.0)), bend=0.5,
        bend_fall=35.0, noise=(0.12, 300.0, 4_000.0, 60.0), pan=pan, seconds=0.9,
    )  # fmt: skip


def _plates(level: float, low: float, fall: float, seconds: float, pan: float) -> Hit:
    # Inharmonic ratios of a thin plate's modes; the wash is noise.
    ratios = (1.0, 1.342, 1.2312, 1.6532, 1.9523, 2.1523)
    return Hit(
        modes=tuple((low * r, 0.09 * level, fall * (0.8 + 0.2 * r)) for r in ratios),
        noise=(0.5 * level, low * 0.9, 16_000.0, fall), pan=pan, seconds=seconds,
    )  # fmt: skip


def _skin(hz: float, pan: float, slap: float = 0.25) -> Hit:
    return Hit(
        modes=((hz, 0.7, 14.0), (hz * 1.51, 0.25, 20.0), (hz * 2.3, slap, 45.0)), bend=0.12,
        noise=(slap * 0.6, 900.0, 7_000.0, 130.0), pan=pan, seconds=0.45,
    )  # fmt: skip


def _bar(hz: float, level: float, fall: float, pan: float) -> Hit:
    return Hit(
        modes=((hz, level, fall), (hz * 2.76, 0.35 * level, fall * 2)),
        noise=(0.1, 1_500.0, 9_000.0, 300.0), pan=pan, seconds=min(1.6, 7.0 / fall),
    )  # fmt: skip


_KICK = Hit(
    modes=((49.0, 1.0, 8.5), (98.0, 0.12, 16.0)), bend=2.4, bend_fall=32.0,
    noise=(0.22, 700.0, 5_500.0, 260.0), seconds=0.55,
)  # fmt: skip
_SNARE = Hit(
    modes=((184.0, 0.5, 22.0), (331.0, 0.32, 28.0)), bend=0.25, bend_fall=90.0,
    noise=(0.62, 1_300.0, 10_500.0, 17.0), seconds=0.4,
)  # fmt: skip
_CLAP = Hit(noise=(0.75, 900.0, 6_500.0, 32.0), knocks=(0.0, 0.011, 0.023), seconds=0.35)
_SHAKER = Hit(noise=(0.42, 4_500.0, 14_000.0, 38.0), knocks=(0.0, 0.012), pan=0.3, seconds=0.2)

HITS: dict[int, Hit] = {
    35: _KICK,
    36: _KICK,
    37: _bar(1_650.0, 0.5, 90.0, -0.1),
    38: _SNARE,
    39: _CLAP,
    40: _SNARE,
    42: _plates(0.8, 6_200.0, 62.0, 0.16, 0.25),
    44: _plates(0.65, 5_600.0, 75.0, 0.14, 0.25),
    46: _plates(0.6, 6_000.0, 8.0, 0.9, 0.25),
    49: _plates(0.42, 3_900.0, 2.8, 2.0, -0.35),
    51: _plates(0.32, 4_600.0, 3.6, 1.7, 0.4),
    52: _plates(0.42, 3_300.0, 3.4, 1.8, -0.4),
    53: _bar(2_950.0, 0.35, 4.5, 0.4),
    54: _plates(0.6, 7_400.0, 24.0, 0.3, -0.3),
    55: _plates(0.5, 5_200.0, 6.0, 1.0, -0.4),
    56: _bar(562.0, 0.6, 16.0, 0.2),
    57: _plates(0.42, 4_200.0, 3.0, 2.0, 0.4),
    59: _plates(0.34, 4_900.0, 3.8, 1.6, 0.45),
    69: _SHAKER,
    70: _SHAKER,
    75: _bar(2_420.0, 0.5, 45.0, -0.25),
    76: _bar(1_180.0, 0.6, 38.0, 0.25),
    77: _bar(790.0, 0.6, 34.0, 0.3),
    80: _bar(4_800.0, 0.3, 40.0, 0.35),
    81: _bar(4_800.0, 0.3, 3.5, 0.35),
    82: _SHAKER,
}
# Toms, from floor to high; hand drums.
HITS.update({41 + 2 * i: _tom(72.0 * 1.19**i, 0.5 - 0.17 * i) for i in range(4)})
HITS.update({48: _tom(155.0, -0.2), 50: _tom(187.0, -0.35), 43: _tom(86.0, 0.4)})
HITS.update({60: _skin(340.0, -0.2), 61: _skin(255.0, -0.25), 62: _skin(300.0, 0.2, 0.5),
             63: _skin(215.0, 0.2), 64: _skin(165.0, 0.25), 65: _skin(420.0, -0.3, 0.4),
             66: _skin(330.0, -0.3, 0.4), 67: _bar(860.0, 0.5, 14.0, 0.3),
             68: _bar(640.0, 0.5, 14.0, 0.3)})  # fmt: skip


def hit_seconds(number: int) -> float:
    """How long a hit sounds that nothing chokes."""
    return (HITS.get(number) or _other(number)).seconds


def hit_frames(number: int, frames: int, rate: int) -> int:
    """How many frames a hit sounds.

    frames  until it is choked, for hats; of no matter for the rest
    """
    size = int(hit_seconds(number) * rate)
    return min(size, frames + int(FADE_SECONDS * rate)) if number in CHOKED else size


def struck(number: int, velocity: int, frames: int, rate: int) -> Samples:
    """One hit, level as for the loudest velocity.

    frames   until it is choked, for hats; of no matter for the rest
    returns  float32 [2, frames until it has rung out]
    """
    hit = HITS.get(number) or _other(number)
    size = hit_frames(number, frames, rate)
    t = np.arange(size) / rate
    out = _ringing(hit, t, rate) + _noise(hit, number, velocity, t, rate)
    fade = min(size, max(2, int(FADE_SECONDS * rate)))
    out[-fade:] *= 0.5 + 0.5 * np.cos(np.pi * (np.arange(fade) + 0.5) / fade)
    return np.ascontiguousarray(panned(out, hit.pan), np.float32)


def _other(number: int) -> Hit:
    """What the map has no instrument for: a small block, higher by its number."""
    return _bar(300.0 * 2.0 ** ((number % 36) / 12), 0.5, 24.0, 0.0)


def _ringing(hit: Hit, t: Floats, rate: int) -> Floats:
    out = np.zeros(t.size)
    for hz, level, fall in hit.modes:
        if hz * (1.0 + hit.bend) >= NOISE_UNDER * rate:
            continue
        turns = hz * (t + hit.bend * (1.0 - np.exp(-hit.bend_fall * t)) / hit.bend_fall)
        out += level * np.sin(2.0 * np.pi * turns) * np.exp(-fall * t)
    return out


def _noise(hit: Hit, number: int, velocity: int, t: Floats, rate: int) -> Floats:
    level, low, high, fall = hit.noise
    high = min(high, NOISE_UNDER * rate)
    if level <= 0.0 or low >= high:
        return np.zeros(t.size)
    rng = np.random.default_rng(number)
    from scipy import signal  # loading it takes a second, which only drums are worth

    sections = signal.butter(2, [low, high], "bandpass", fs=rate, output="sos")
    noise = signal.sosfilt(sections, rng.standard_normal(t.size))
    # Harder is brighter: noise grows faster than the rest.
    level *= 10.0 ** (0.3 * (velocity - USUAL_VELOCITY) / 127.0)
    out = np.zeros(t.size)
    for i, knock in enumerate(hit.knocks):
        at = int(knock * rate)
        share = (i + 1) / len(hit.knocks)
        last = i == len(hit.knocks) - 1
        speed = fall if last else 5.0 * fall
        out[at:] += share * noise[at:] * np.exp(-speed * t[: t.size - at])
    return np.asarray(level * out)

"""Which voices are there for MIDI loops, and what makes each what it is? One table.

Conventions
-----------
- Level follows velocity by 40 dB a decade (General MIDI 2: 40·log10(velocity / 127); from memory).

Sources: equal temperament, A4 = 440 Hz (ISO 16).
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

VERSION = 1
USUAL_VELOCITY = 100


@dataclass(frozen=True, kw_only=True)
class Voice:
    """One kind of instrument.

    gain_db         that brings a note of USUAL_VELOCITY to the level of the others
    ring_seconds    from letting go to silence
    attack_seconds  of the rise
    tilt            partial h begins at h^-tilt
    even            weight of even partials
    plucked_at      share of the string, 0 for none
    edge_hz         above it partials fall, at the usual velocity; harder opens, softer closes
    fall            nepers a second of the first partial; 0 where it is held
    fall_tilt       partial h falls h^fall_tilt times as fast
    cents           copies beside one another, left to right
    """

    key: str
    name: str
    gain_db: float
    ring_seconds: float
    attack_seconds: float = 0.003
    tilt: float = 1.0
    even: float = 1.0
    plucked_at: float = 0.0
    edge_hz: float = 4_000.0
    fall: float = 0.0
    fall_tilt: float = 0.0
    cents: tuple[float, ...] = (0.0,)


VOICES: dict[str, Voice] = {
    voice.key: voice
    for voice in (
        Voice(key="drums", name="Drum kit", gain_db=-3.0, ring_seconds=2.0),
        Voice(
            key="bass", name="Bass", gain_db=-9.9, ring_seconds=0.09, tilt=0.9, even=0.8,
            edge_hz=900.0, fall=1.4, fall_tilt=0.7, attack_seconds=0.004,
        ),
        Voice(
            key="keys", name="Keys", gain_db=-7.5, ring_seconds=0.16, tilt=1.5, edge_hz=2_600.0,
            fall=1.1, fall_tilt=0.9, cents=(-1.2, 1.2),
        ),
        Voice(
            key="plucked", name="Plucked", gain_db=-5.7, ring_seconds=0.35, tilt=1.0,
            plucked_at=0.19, edge_hz=5_200.0, fall=2.2, fall_tilt=0.75, attack_seconds=0.002,
        ),
        Voice(
            key="pad", name="Pad", gain_db=-11.0, ring_seconds=0.8, tilt=1.15, edge_hz=1_500.0,
            attack_seconds=0.12, cents=(-7.0, -2.3, 2.9, 7.6),
        ),
        Voice(
            key="lead", name="Lead", gain_db=-12.3, ring_seconds=0.12, tilt=0.85, even=0.6,
            edge_hz=3_400.0, attack_seconds=0.008, cents=(-3.1, 3.4),
        ),
    )
}  # fmt: skip


def level_of(velocity: int) -> float:
    """Linear gain of a velocity, 1 for 127."""
    return (velocity / 127.0) ** 2


def velocity_of(level: float) -> int:
    """The velocity, 1…127, that is nearest to a linear gain; inverse of the above."""
    return min(127, max(1, round(127.0 * math.sqrt(level))))


def hertz_of(pitch: float) -> float:
    """Frequency of a MIDI note number."""
    return float(440.0 * 2.0 ** ((pitch - 69.0) / 12.0))


def panned(mono: Floats, pan: float) -> Floats:
    """float64 [2, frames] at equal power; pan −1 left to 1 right."""
    angle = (pan + 1.0) * np.pi / 4.0
    return np.asarray(np.stack([mono * np.cos(angle), mono * np.sin(angle)]) * np.sqrt(2.0))

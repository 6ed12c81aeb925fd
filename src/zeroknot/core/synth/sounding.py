"""How does one note sound? As a sum of partials, or as a hit of the drum kit.

Conventions
-----------
- A note is float32 [2, frames] from its start until it has rung out.
- Nothing is ever above PARTIALS_UNDER of the rate: partials are left out there, so nothing folds
  back. Only sums, envelopes and filters: no step makes new partials.

Source: a string plucked at a share p of its length has partials of |sin(π·h·p)| / h (Fletcher &
Rossing, The Physics of Musical Instruments).
"""

from threading import Lock

import numba
import numpy as np
from cachetools import LRUCache, cached

from zeroknot.core.audio import Samples
from zeroknot.core.synth.kit import hit_frames, struck
from zeroknot.core.synth.voices import (
    USUAL_VELOCITY,
    VOICES,
    Floats,
    Voice,
    hertz_of,
    level_of,
    panned,
)
from zeroknot.core.units import gain_of_db

PARTIALS_UNDER = 0.45  # of the rate
MOST_PARTIALS = 96
FAINT = 1e-5
GOLDEN = 0.6180339887498949
MIDDLE_HZ = 261.6255653005986
LONGEST_NOTE_SECONDS = 60.0
WIDEST_PAN = 0.5
PAN_PER_SEMITONE = 0.012
MOST_KEPT_BYTES = 64 * 1024 * 1024


def sounded(voice: str, pitch: float, velocity: int, frames: int, rate: int) -> Samples:
    """One note from its start until it has rung out.

    frames   until it is let go
    returns  float32 [2, frames + ring], read only
    """
    frames = max(1, min(frames, int(LONGEST_NOTE_SECONDS * rate)))
    return _kept(voice, pitch, velocity, frames, rate)


def lasts(voice: str, pitch: float, frames: int, rate: int) -> int:
    """Frames until a note has rung out: the length of `sounded`, without making it.

    frames  until it is let go
    """
    if voice == "drums":
        return hit_frames(round(pitch), frames, rate)
    held = max(1, min(frames, int(LONGEST_NOTE_SECONDS * rate)))
    return held + int(VOICES[voice].ring_seconds * rate)


@cached(LRUCache(MOST_KEPT_BYTES, getsizeof=lambda sound: sound.nbytes), lock=Lock())
def _kept(voice: str, pitch: float, velocity: int, frames: int, rate: int) -> Samples:
    if voice == "drums":
        sound = struck(round(pitch), velocity, frames, rate)
    else:
        sound = _toned(VOICES[voice], pitch, velocity, frames, rate)
    sound *= np.float32(gain_of_db(VOICES[voice].gain_db) * level_of(velocity))
    sound.flags.writeable = False
    return sound


def _toned(voice: Voice, pitch: float, velocity: int, frames: int, rate: int) -> Samples:
    ring = int(voice.ring_seconds * rate)
    out = np.zeros((2, frames + ring))
    # Low notes to the left, high ones to the right, as at a keyboard.
    middle = float(np.clip((pitch - 60) * PAN_PER_SEMITONE, -WIDEST_PAN, WIDEST_PAN))
    copies = len(voice.cents)
    for i, cents in enumerate(voice.cents):
        hz, amplitude, fall, phase = _partials(voice, hertz_of(pitch + cents / 100), velocity, rate)
        mono = np.zeros(out.shape[1])
        _partials_kernel(hz, amplitude / copies, fall, (phase + i * GOLDEN) % 1.0, rate, mono)
        aside = WIDEST_PAN * (2 * i / (copies - 1) - 1) if copies > 1 else 0.0
        out += panned(mono, float(np.clip(middle + aside, -1.0, 1.0)))
    rise = max(2, int(voice.attack_seconds * rate))
    rise = min(rise, out.shape[1])
    out[:, :rise] *= 0.5 - 0.5 * np.cos(np.pi * (np.arange(rise) + 0.5) / rise)
    out[:, frames:] *= _let_go(ring)
    return np.ascontiguousarray(out, np.float32)


def _let_go(ring: int) -> Floats:
    """A fall of 60 dB that ends in nothing."""
    x = (np.arange(ring) + 0.5) / max(1, ring)
    return np.asarray(np.exp(-6.9 * x) * (0.5 + 0.5 * np.cos(np.pi * x)))


def _partials(
    voice: Voice, hertz: float, velocity: int, rate: int
) -> tuple[Floats, Floats, Floats, Floats]:
    """Hz, amplitude, fall in nepers a second and phase in turns of every partial."""
    count = max(1, min(MOST_PARTIALS, int(PARTIALS_UNDER * rate / hertz)))
    h = np.arange(1, count + 1, dtype=np.float64)
    amplitude = h**-voice.tilt
    amplitude[1::2] *= voice.even
    if voice.plucked_at:
        amplitude *= np.abs(np.sin(np.pi * h * voice.plucked_at))
    harder = 4.0 ** ((velocity - USUAL_VELOCITY) / 127.0)
    edge = voice.edge_hz * harder * max(1.0, hertz / MIDDLE_HZ) ** 0.5
    amplitude /= np.sqrt(1.0 + (h * hertz / edge) ** 4)
    amplitude /= np.sqrt(np.square(amplitude).sum())
    # High strings fall faster than low ones.
    fall = voice.fall * (hertz / MIDDLE_HZ) ** 0.5 * h**voice.fall_tilt
    # Phases apart from one another: no pulse at every period.
    return h * hertz, amplitude, fall, (GOLDEN * h * h) % 1.0


@numba.njit(cache=True, nogil=True)
def _partials_kernel(hz, amplitude, fall, phase, rate, out):  # type: ignore[no-untyped-def]
    """Add decaying sines, each by turning one complex number."""
    for h in range(hz.size):
        angle = 2.0 * np.pi * hz[h] / rate
        shrink = np.exp(-fall[h] / rate)
        step_real, step_imag = shrink * np.cos(angle), shrink * np.sin(angle)
        start = 2.0 * np.pi * phase[h]
        real, imag = amplitude[h] * np.cos(start), amplitude[h] * np.sin(start)
        heard = out.size
        if fall[h] > 0.0 and amplitude[h] > 0.0:
            lasts = np.log(max(1.0, amplitude[h] / FAINT)) / fall[h] * rate
            heard = min(heard, int(lasts))
        for n in range(heard):
            out[n] += imag
            real, imag = real * step_real - imag * step_imag, real * step_imag + imag * step_real

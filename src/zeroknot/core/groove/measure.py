"""In which register is each hit of a recording, and how loud is it there?

Method: the sound is split into three bands by filters that shift nothing in time. In each, what
rises at an attack is its power after it, less what was ringing there before. The band in which
most energy comes is the hit's register (a bass drum that begins with a sweep from above is low all
the same); how far that band rises at its loudest is the hit's level.
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from zeroknot.core.audio import Audio
from zeroknot.core.groove.hit import REGISTERS, Hit, Register
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.units import db_of_gain

VERSION = 3  # of the measuring
LOW_HZ, HIGH_HZ = 170.0, 4_000.0
# Which band is the one where two rise alike, between what seven kits of three soundfonts have: bass
# drums rise 8 to 17 dB more below than in the middle, three snares of four at most 4; hats −3 to 20
# dB more above, snares at most −1.
WEIGHTS = {"low": 1.0, "middle": 2.5, "high": 4.0}
SMOOTH_SECONDS = {"low": 0.016, "middle": 0.006, "high": 0.004}
AFTER_SECONDS, BEFORE_SECONDS, GUARD_SECONDS = 0.090, 0.012, 0.004
CHUNK_SECONDS, BESIDE_SECONDS = 30.0, 0.5
STILL_RINGS = 0.8  # of the power before, at the loudest moment after
LEAST_SHARE = 0.02  # of the power after that is called a rise
FAINTEST_DB, SILENT = -90.0, 1e-18
# How exactly the time of an attack is known, told by 34 000 of loops of known notes that went
# through what real ones go through (docs/decisions/0040): to 1 ms, less the softer it is.
SURE_SECONDS, SOFT_SECONDS = 0.001, 0.0003
FAINTEST_STRENGTH = 0.01

Power = NDArray[np.float64]


def measured(sound: Audio, attacks: Attacks) -> tuple[Hit, ...]:
    """Every attack of a recording of any length as a hit, in order.

    attacks  all that may be one, with their sureness
    """
    starts = np.asarray(attacks.seconds * sound.rate).round().astype(int)
    following = np.append(starts[1:], sound.frames)
    size, beside = (round(s * sound.rate) for s in (CHUNK_SECONDS, BESIDE_SECONDS))
    found: list[Hit] = []
    # By the piece, so that half an hour takes no more memory than one.
    for first in range(0, max(1, sound.frames), size):
        begin = max(0, first - beside)
        inside = np.flatnonzero((starts >= first) & (starts < first + size))
        if inside.size:
            piece = Audio(sound.samples[:, begin : first + size + beside], sound.rate)
            bands = {register: _power(piece, register) for register in REGISTERS}
            for i in inside.tolist():
                at, until = int(starts[i]) - begin, int(following[i]) - begin
                found.append(_hit(attacks, i, bands, (at, until), sound.rate))
    return tuple(found)


def _hit(
    attacks: Attacks, i: int, bands: dict[Register, Power], between: tuple[int, int], rate: int
) -> Hit:
    rises = {r: _rise(bands[r], *between, rate) for r in REGISTERS}
    register = max(REGISTERS, key=lambda r: rises[r].mean * WEIGHTS[r])
    most = max(rises[register].most, SILENT)
    level = max(FAINTEST_DB, db_of_gain(float(np.sqrt(most))))
    strength = float(attacks.strengths[i])
    doubt = math.hypot(SURE_SECONDS, SOFT_SECONDS / max(strength, FAINTEST_STRENGTH))
    return Hit(
        float(attacks.seconds[i]), strength, float(attacks.sureness[i]), register, level, doubt
    )


def _power(sound: Audio, register: Register) -> Power:
    """Smoothed power in a band, float64 [frames], both channels together."""
    rate = sound.rate
    if register == "low":
        sos = signal.butter(4, LOW_HZ, "lowpass", fs=rate, output="sos")
    elif register == "high":
        sos = signal.butter(4, min(HIGH_HZ, 0.4 * rate), "highpass", fs=rate, output="sos")
    else:
        sos = signal.butter(
            2, (LOW_HZ, min(HIGH_HZ, 0.4 * rate)), "bandpass", fs=rate, output="sos"
        )
    power = np.zeros(sound.frames)
    pad = min(sound.frames - 1, round(0.05 * rate))
    for channel in sound.samples:
        power += signal.sosfiltfilt(sos, channel.astype(np.float64), padlen=pad) ** 2
    window = max(1, round(SMOOTH_SECONDS[register] * rate))
    total = np.concatenate([np.zeros(1), np.cumsum(power)])
    first = np.clip(np.arange(sound.frames) - window // 2, 0, sound.frames)
    last = np.clip(first + window, 0, sound.frames)
    return np.asarray(np.maximum((total[last] - total[first]) / window, 0.0))


class _Rise(NamedTuple):
    """How far power rises after a frame: on the whole, and at its loudest."""

    mean: float
    most: float


def _rise(power: Power, start: int, until: int, rate: int) -> _Rise:
    """What comes after a frame, less what was ringing there."""
    guard = round(GUARD_SECONDS * rate)
    stop = min(start + round(AFTER_SECONDS * rate), max(until - guard, start + 2 * guard))
    after = power[max(0, start - guard) : stop]
    before = power[max(0, start - guard - round(BEFORE_SECONDS * rate)) : max(0, start - guard)]
    rang = STILL_RINGS * float(before.mean()) if before.size else 0.0
    mean, most = (float(f(after)) if after.size else 0.0 for f in (np.mean, np.max))
    return _Rise(max(mean - rang, LEAST_SHARE * mean), max(most - rang, LEAST_SHARE * most))

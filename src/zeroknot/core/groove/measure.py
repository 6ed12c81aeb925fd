"""In which register is each hit of a recording, and how loud is it there?

Method: the sound is split into three bands by filters that shift nothing in time. In each, what
rises at an attack is its energy just after it, less what was ringing there before; the band in
which most rises is the hit's register, and that rise is its level.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from zeroknot.core.audio import Audio
from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.groove.hit import REGISTERS, Hit, Register
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.synth.voices import level_of
from zeroknot.core.units import db_of_gain

VERSION = 1  # of the measuring
LOW_HZ, HIGH_HZ = 140.0, 4_000.0
# Which band is the one where two rise alike: bass drums rise 6 dB more below than above, hats 6 dB
# more above than in the middle, snares 6 dB less (medians of seven kits of three soundfonts).
WEIGHTS = {"low": 1.0, "middle": 1.25, "high": 1.5}
SMOOTH_SECONDS = {"low": 0.016, "middle": 0.006, "high": 0.004}
AFTER_SECONDS, BEFORE_SECONDS, GUARD_SECONDS = 0.060, 0.012, 0.004
STILL_RINGS = 0.8  # of the power before, at the loudest moment after
LEAST_SHARE = 0.02  # of the power after that is called a rise
FAINTEST_DB = -90.0
SAME_MOMENT_SECONDS = 0.004  # notes so near are one hit
LOW_NOTE, HIGH_NOTE = 48, 72
# General MIDI percussion key map: bass drums and low toms; hats, cymbals and small metal.
LOW_DRUMS = frozenset({35, 36, 41, 43, 45, 61, 64, 66})
HIGH_DRUMS = frozenset({42, 44, 46, 49, 51, 52, 53, 54, 55, 57, 59, 69, 70, 71, 72, 80, 81, 82})

Power = NDArray[np.float64]


def measured(sound: Audio, attacks: Attacks) -> tuple[Hit, ...]:
    """Every attack of a recording as a hit.

    attacks  all that may be one, with their sureness
    """
    if not attacks.seconds.size:
        return ()
    bands = {register: _power(sound, register) for register in REGISTERS}
    starts = np.asarray(attacks.seconds * sound.rate).round().astype(int)
    following = np.append(starts[1:], sound.frames)
    found = []
    for i, (start, until) in enumerate(zip(starts.tolist(), following.tolist(), strict=True)):
        rises = {r: _rise(bands[r], start, until, sound.rate) for r in REGISTERS}
        register = max(REGISTERS, key=lambda r: rises[r] * WEIGHTS[r])
        level = max(FAINTEST_DB, db_of_gain(float(np.sqrt(max(rises[register], 1e-18)))))
        found.append(
            Hit(
                float(attacks.seconds[i]), float(attacks.strengths[i]),
                float(attacks.sureness[i]), register, level,
            )
        )  # fmt: skip
    return tuple(found)


def struck_notes(loop: MidiLoop) -> tuple[Hit, ...]:
    """Every moment at which notes of a MIDI loop begin, as a hit; the loudest says how loud."""
    notes: list[tuple[float, int, Register]] = sorted(
        (note.start, note.velocity, _register_of(note.pitch, part.voice == "drums"))
        for part in loop.parts
        for note in part.notes
    )
    found: list[Hit] = []
    for second, velocity, register in notes:
        hit = Hit(second, velocity / 127.0, 1.0, register, db_of_gain(level_of(velocity)))
        if found and second - found[-1].second < SAME_MOMENT_SECONDS:
            if hit.level_db > found[-1].level_db:
                found[-1] = hit._replace(second=found[-1].second)
        else:
            found.append(hit)
    return tuple(found)


def _register_of(pitch: int, is_drum: bool) -> Register:
    if is_drum:
        return "low" if pitch in LOW_DRUMS else "high" if pitch in HIGH_DRUMS else "middle"
    return "low" if pitch < LOW_NOTE else "high" if pitch >= HIGH_NOTE else "middle"


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


def _rise(power: Power, start: int, until: int, rate: int) -> float:
    """The most that power rises to after a frame, less what was ringing there."""
    guard = round(GUARD_SECONDS * rate)
    stop = min(start + round(AFTER_SECONDS * rate), max(until - guard, start + 2 * guard))
    after = power[max(0, start - guard) : stop]
    before = power[max(0, start - guard - round(BEFORE_SECONDS * rate)) : max(0, start - guard)]
    most = float(after.max(initial=0.0))
    rang = float(before.mean()) if before.size else 0.0
    return max(most - STILL_RINGS * rang, LEAST_SHARE * most)

"""How does a piece sound once it is shaped?"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.filters import filtered
from zeroknot.core.slicing.shape import TIME_CONSTANTS, Shape
from zeroknot.core.stretch.sinc import read_at
from zeroknot.core.units import gain_of_db

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Struck:
    """What a shape has to know of how a piece is played.

    before  frames of it that lead in: envelopes begin after them
    held    frames until it is let go; all where it never is
    beat    of the order on which its first frame lies
    beat_frames  frames a beat; 0 where nothing goes by beats
    cutoff, drive  log2 of Hz and dB at each frame, in place of the shape's: float64 [n]
    """

    before: int
    held: int
    beat: float = 0.0
    beat_frames: float = 0.0
    cutoff: Floats | None = None
    drive: Floats | None = None


def shaped(sound: Samples, shape: Shape, rate: int, struck: Struck) -> Samples:
    """A piece from its begin on: float32 [channels, n].

    sound   float32 [channels, n], as it is without
    """
    frames = np.arange(sound.shape[1])
    seconds = np.maximum(0.0, (frames - struck.before) / rate)
    # Once it is let go, what a bend has left goes, too; its level is the voice's (`release`).
    let_go = np.maximum(0.0, (frames - struck.held) / rate)
    if shape.bend:
        bend = shape.bend * _risen_and_gone(
            seconds, shape.bend_rise_ms, shape.bend_ms, shape.bend_sustain
        )
        if shape.release_ms:
            bend = bend * _gone(let_go, shape.release_ms)
        speeds = 2.0 ** (bend / 12.0)
        speeds[: struck.before] = 1.0
        # From where a frame is read: what was passed until then.
        read = np.concatenate([np.zeros(1), np.cumsum(speeds)[:-1]])
        sound = read_at(sound, read, speeds)
    if shape.filter != "off":
        octaves = shape.sweep * _gone(seconds, shape.sweep_ms)
        if shape.wave and struck.beat_frames:
            beats = struck.beat + frames / struck.beat_frames
            octaves = octaves + shape.wave * slow_wave(beats, shape.wave_beats)
        hertz = (shape.cutoff_hz if struck.cutoff is None else 2.0**struck.cutoff) * 2.0**octaves
        sound = filtered(sound, shape.filter, hertz, shape.resonance_db, rate)
    if struck.drive is not None:
        sound = _driven(sound, struck.drive)
    elif shape.drive_db:
        gain = gain_of_db(shape.drive_db)
        sound = (np.tanh(gain * sound) / np.tanh(gain)).astype(np.float32)
    decay, sustain = (shape.decay_ms, shape.sustain) if shape.decay_ms else (0.0, 1.0)
    level = _risen_and_gone(seconds, shape.attack_ms, decay, sustain)
    return np.asarray(sound * level.astype(np.float32), np.float32)


def _driven(sound: Samples, drive: Floats) -> Samples:
    """By as many dB as each frame says; over the first dB it goes over into what is driven."""
    gain = 10.0 ** (drive / 20.0)
    soft = np.tanh(gain * sound) / np.tanh(gain)
    share = np.clip(drive, 0.0, 1.0)
    return np.asarray(sound * (1.0 - share) + soft * share, np.float32)


def slow_wave(beats: Floats, period: float) -> Floats:
    """float64 [n], −1 … 1: once up and down in so many beats, from 0 up at beat 0."""
    return np.asarray(np.sin(2.0 * np.pi * beats / period))


def released(frames: Floats, release: int) -> Floats:
    """float64 [n]: level of what is let go, so many frames after; nearly gone after `release`."""
    return np.asarray(np.exp(-TIME_CONSTANTS * np.maximum(0.0, frames) / release))


def _risen_and_gone(seconds: Floats, rise_ms: float, gone_ms: float, stays: float) -> Floats:
    """Up to 1, straight, then down to what stays; up alone where it takes no time to go."""
    rise = rise_ms / 1000.0
    level = np.minimum(1.0, seconds / rise) if rise else np.ones(seconds.size)
    if gone_ms:
        since = np.maximum(0.0, seconds - rise)
        level = level * (stays + (1.0 - stays) * _gone(since, gone_ms))
    return np.asarray(level)


def _gone(seconds: Floats, ms: float) -> Floats:
    """1 at the begin, nearly 0 after so many ms."""
    return np.asarray(np.exp(-TIME_CONSTANTS * 1000.0 * seconds / ms))

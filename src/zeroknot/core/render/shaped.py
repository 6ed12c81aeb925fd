"""How does a piece sound once it is shaped?"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.filters import filtered
from zeroknot.core.slicing.shape import TIME_CONSTANTS, Shape
from zeroknot.core.stretch.sinc import read_at
from zeroknot.core.units import gain_of_db

Floats = NDArray[np.float64]


def shaped(sound: Samples, shape: Shape, rate: int, before: int) -> Samples:
    """A piece from its begin on: float32 [channels, n].

    sound   float32 [channels, n], as it is without
    before  frames of it that lead in: envelopes begin after them
    """
    frames = np.arange(sound.shape[1])
    seconds = np.maximum(0.0, (frames - before) / rate)
    if shape.bend:
        speeds = 2.0 ** (shape.bend / 12.0 * _gone(seconds, shape.bend_ms))
        speeds[:before] = 1.0
        # From where a frame is read: what was passed until then.
        read = np.concatenate([np.zeros(1), np.cumsum(speeds)[:-1]])
        sound = read_at(sound, read, speeds)
    if shape.filter != "off":
        hertz = shape.cutoff_hz * 2.0 ** (shape.sweep * _gone(seconds, shape.sweep_ms))
        sound = filtered(sound, shape.filter, hertz, shape.resonance_db, rate)
    if shape.drive_db:
        gain = gain_of_db(shape.drive_db)
        sound = (np.tanh(gain * sound) / np.tanh(gain)).astype(np.float32)
    return np.asarray(sound * _level(seconds, shape).astype(np.float32), np.float32)


def _level(seconds: Floats, shape: Shape) -> Floats:
    attack = shape.attack_ms / 1000.0
    level = np.minimum(1.0, seconds / attack) if attack else np.ones(seconds.size)
    if shape.decay_ms:
        since = np.maximum(0.0, seconds - attack)
        level = level * (shape.sustain + (1.0 - shape.sustain) * _gone(since, shape.decay_ms))
    return np.asarray(level)


def _gone(seconds: Floats, ms: float) -> Floats:
    """1 at the begin, nearly 0 after so many ms."""
    return np.asarray(np.exp(-TIME_CONSTANTS * 1000.0 * seconds / ms))

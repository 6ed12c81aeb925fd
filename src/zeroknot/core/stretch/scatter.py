"""How does a loop sound as a cloud of grains? For colour, not for likeness.

Grains start at even distances in the output; each is read from where the time map is then, more or
less. What chance decides is drawn from the seed and the grain's number, so the cloud is the same
every time, whichever part of it is asked for.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.stretch.part import Part
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.stretch.sinc import PASSBAND, ZERO_CROSSINGS, read_at
from zeroknot.core.units import pitch_ratio

Ints = NDArray[np.int64]


def render_piece(
    part: Part,
    from_anchor: tuple[float, float],
    to_anchor: tuple[float, float],
    settings: StretchSettings,
) -> tuple[int, Samples]:
    """The grains that start in one piece of a part, to be added to what its neighbours give.

    from_anchor, to_anchor  (source frame, output frame)
    returns                 first output frame, float32 [channels, frames]
    """
    length = max(8, round(settings.grain_seconds * part.rate))
    step = length / settings.density
    # Grains are counted from the part's start; a circle holds a whole number of them.
    count = max(1, round(part.frames / step))
    step = part.frames / count
    first, last = (
        int(np.ceil((anchor[1] - part.start) / step - 1e-9)) for anchor in (from_anchor, to_anchor)
    )
    numbers = np.arange(first, min(last, count))
    channels = part.view.samples.shape[0]
    if numbers.size == 0:
        return int(from_anchor[1]), np.zeros((channels, 0), np.float32)
    centres = np.floor(part.start + numbers * step + 0.5).astype(np.int64)
    start = int(centres[0]) - length // 2
    out = np.zeros((channels, int(centres[-1]) + length - start), np.float32)
    moments = centres.astype(np.float64)
    if settings.frozen_at is not None:
        moments[:] = part.start + settings.frozen_at * part.frames
    sources = part.source_frames_at(moments)
    window = np.hanning(length + 2)[1:-1].astype(np.float32)
    speed = pitch_ratio(part.semitones)
    gain = _level(settings, step, length)
    for number, centre, source in zip(numbers, centres, sources, strict=True):
        chance = np.random.default_rng([settings.seed, int(number)])
        jitter, side, turn = chance.uniform(-1, 1), chance.uniform(-1, 1), chance.random()
        at = source + jitter * settings.jitter_seconds * part.rate
        grain = _grain(part, at, length, speed)
        if settings.direction == "backward" or (settings.direction == "both" and turn < 0.5):
            grain = grain[:, ::-1]
        grain = grain * window * gain
        if channels == 2 and settings.spread > 0.0:
            angle = 0.25 * np.pi * (1.0 + settings.spread * side)
            grain = (
                grain
                * np.float32(np.sqrt(2))
                * np.asarray([[np.cos(angle)], [np.sin(angle)]], np.float32)
            )
        place = int(centre) - length // 2 - start
        out[:, place : place + length] += grain
    return start, out


def _grain(part: Part, centre: float, length: int, speed: float) -> Samples:
    """Frames round a source moment, read at a speed. float32 [channels, length]"""
    if speed == 1.0:
        return part.view.read(int(np.floor(centre + 0.5)) - length // 2, length)
    positions = centre + speed * (np.arange(length, dtype=np.float64) - length // 2)
    margin = int(ZERO_CROSSINGS / PASSBAND * max(1.0, speed)) + 2
    low = int(np.floor(positions[0])) - margin
    sound = part.view.read(low, int(np.ceil(positions[-1])) + margin - low)
    return read_at(sound, positions - low, np.full(length, speed))


def _level(settings: StretchSettings, step: float, length: int) -> np.float32:
    """So that the cloud is about as loud as what it is made of: grains do not agree in phase."""
    at_once = length / step
    together = at_once * 0.5 if at_once > 2.0 else 1.0
    apart = np.sqrt(at_once * 0.375)
    agree = np.exp(-settings.jitter_seconds / 0.002)
    return np.float32(1.0 / (agree * together + (1.0 - agree) * max(apart, 0.6)))

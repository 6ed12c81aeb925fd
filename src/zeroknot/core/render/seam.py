"""How does a body's end meet its start, and how is a jump there mended?

Conventions
-----------
- The seam lies between the body's last frame and its first: what is heard when the pass repeats.
- A jump is a multiple: the step over the seam by what steps beside it hardly ever exceed.

Method: a crossfade. Towards its end the body goes over into what leads to its start, so that the
start itself, its attack above all, stays as it is. What leads to it is taken from the recording
where there is enough before it; else it is predicted backwards from the start (autoregression by
Burg's method, whose poles lie inside the unit circle: it cannot run away. J. P. Burg, "Maximum
entropy spectral analysis", 1967; to extend sound with it: I. Kauppinen and K. Roth, "Audio signal
extrapolation", 2002; both from memory). The two are weighed so that their sum is as loud as they
are, however alike they be.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples

LONGEST_CROSSFADE_MS = 1000.0
BESIDE_SECONDS = 0.05  # on each side, against which a step is weighed
USUAL = 0.99  # quantile of the steps beside it
HEARD = 3.0  # times the usual, from which on a jump is a click
HIT_SECONDS = 0.02  # on each side, by which a hit that begins is told
HIT_RISE = 4.0  # in level, from which on it is one
HIT_HIDES = 0.7  # of its peak: a step under that is a part of it
QUIET = 1e-5  # −100 dBFS: a step under it is none
LONGEST_SHARE = 0.5  # of the body
ORDER = 128  # of the prediction
LEARNT_FRAMES = 4096  # that the prediction is learnt from
LEAST_FRAMES = 8

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Seam:
    """jump    how many times the step over the seam exceeds what is usual beside it
    level   of the step, linear
    begins  a hit begins there that is far louder than the step, and hides it
    """

    jump: float
    level: float
    begins: bool = False

    @property
    def is_heard(self) -> bool:
        """Does it stand out from what the sound does anyway?"""
        return self.jump > HEARD and not self.begins


def seam_between(
    samples: Samples, start: int, end: int, rate: int, tail: int = 0, ending: Samples | None = None
) -> Seam:
    """The seam of frames start…end.

    samples  float32 [channels, frames]; silence outside them
    tail     frames that ring on past the end, under the start of the next pass
    ending   float32 [channels, n]: what stands in place of the last n frames before the end
    """
    reach = max(2, min(round(BESIDE_SECONDS * rate), (end - start) // 2))
    before = _read(samples, end - reach, reach)
    after = _read(samples, start, reach)
    if ending is not None and ending.shape[1]:
        known = min(reach, ending.shape[1])
        before[:, -known:] = ending[:, -known:]
    rings = min(tail, reach)
    after[:, :rings] += _read(samples, end, rings)
    found = [_jump(b, a) for b, a in zip(before, after, strict=True)]
    most = max(found, key=lambda seam: seam.jump)
    near = min(reach, round(HIT_SECONDS * rate))
    quiet, loud = (float(np.sqrt(np.mean(s**2))) for s in (before[:, -near:], after[:, :near]))
    is_hit = loud > HIT_RISE * quiet and most.level < HIT_HIDES * np.abs(after[:, :near]).max()
    return replace(most, begins=bool(is_hit))


def _jump(before: Floats, after: Floats) -> Seam:
    """Over the seam of one channel: in level, or in slope, whichever jumps the more."""
    joined = np.concatenate([before, after])
    most = Seam(0.0, 0.0)
    for order in (1, 2):
        steps = np.abs(np.diff(joined, order))
        at = before.size - order
        over = float(steps[at : at + order].max())
        beside = np.concatenate([steps[:at], steps[at + order :]])
        usual = max(float(np.quantile(beside, USUAL)), QUIET)
        if over / usual > most.jump:
            most = Seam(over / usual, over)
    return most


def crossfaded_end(samples: Samples, start: int, end: int, frames: int) -> Samples:
    """The end of the body start…end as it goes over into what leads to its start.

    frames   of the crossfade; less where the body is short
    returns  float32 [channels, n]: what stands in place of the body's last n frames, n ≤ frames
    """
    count = min(frames, round(LONGEST_SHARE * (end - start)))
    if count < LEAST_FRAMES:
        return np.zeros((samples.shape[0], 0), np.float32)
    out = _read(samples, end - count, count)
    if start >= count:
        into = _read(samples, start - count, count)
    else:
        known = _read(samples, start, min(LEARNT_FRAMES, end - start))
        into = np.stack([led_to(channel, count) for channel in known])
    rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(count) + 0.5) / count)
    alike = np.array([[_alike(a, b)] for a, b in zip(out, into, strict=True)])
    loud = np.sqrt(rise**2 + (1 - rise) ** 2 + 2 * alike * rise * (1 - rise))
    return np.asarray((out * (1 - rise) + into * rise) / loud, np.float32)


def led_to(sound: Floats, count: int) -> Floats:
    """What may have been before a sound: predicted backwards from how it begins.

    sound    float64 [n]
    returns  float64 [count], in the order of time
    """
    learnt = sound[:LEARNT_FRAMES][::-1]
    order = min(ORDER, learnt.size // 3)
    if order < 1 or not np.any(learnt):
        return np.zeros(count)
    weights = _burg(learnt, order)
    known = np.concatenate([learnt[-order:], np.zeros(count)])
    for i in range(order, order + count):
        known[i] = weights @ known[i - order : i]
    return known[order:][::-1]


def _burg(sound: Floats, order: int) -> Floats:
    """Weights of the samples before one, the latest last, that predict it: float64 [order]."""
    forward, backward = sound[1:].copy(), sound[:-1].copy()
    filter_ = np.array([1.0])
    for _ in range(order):
        power = float(forward @ forward + backward @ backward)
        if power < 1e-20:
            break
        reflection = -2.0 * float(forward @ backward) / power
        padded = np.append(filter_, 0.0)
        filter_ = padded + reflection * padded[::-1]
        ahead = forward + reflection * backward
        behind = backward + reflection * forward
        forward, backward = ahead[1:], behind[:-1]
    weights = np.zeros(order)
    weights[order - (filter_.size - 1) :] = -filter_[1:][::-1]
    return weights


def _alike(a: Floats, b: Floats) -> float:
    """Correlation, 0 at least: what cancels itself is not made louder for it."""
    size = float(np.sqrt((a @ a) * (b @ b)))
    return max(0.0, float(a @ b) / size) if size > 1e-12 else 0.0


def _read(samples: Samples, first: int, count: int) -> Floats:
    """float64 [channels, count]: frames from `first` on, silence outside the recording."""
    out = np.zeros((samples.shape[0], count))
    a, b = max(0, first), min(samples.shape[1], first + count)
    if b > a:
        out[:, a - first : b - first] = samples[:, a:b]
    return out

"""What is a sound? Samples and the rate they were taken at, checked once, never changed."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import AudioError

Samples = NDArray[np.float32]

LOWEST_RATE = 8_000
HIGHEST_RATE = 192_000


@dataclass(frozen=True, eq=False)
class Audio:
    """One or two channels of finite samples.

    samples  float32 [channels, frames], read-only
    rate     frames per second, 8 000 to 192 000
    """

    samples: Samples
    rate: int

    def __post_init__(self) -> None:
        s = self.samples
        if s.ndim != 2 or s.dtype != np.float32:
            raise AudioError(
                f"sound came as {s.dtype} {s.shape}; wanted float32 [channels, frames]"
            )
        if not 1 <= s.shape[0] <= 2:
            raise AudioError(f"the sound has {s.shape[0]} channels; mono or stereo is wanted")
        if s.shape[1] == 0:
            raise AudioError("the sound has no samples")
        if not LOWEST_RATE <= self.rate <= HIGHEST_RATE:
            raise AudioError(
                f"the sample rate is {self.rate} Hz; {LOWEST_RATE} to {HIGHEST_RATE} is wanted"
            )
        # One pass that any NaN or infinity survives, without a boolean array of the same size.
        with np.errstate(over="ignore", invalid="ignore"):
            power = np.dot(s[0], s[0]) + np.dot(s[-1], s[-1])
        if not np.isfinite(power):
            _refuse_where_not_finite(s)
        s.setflags(write=False)

    @property
    def channels(self) -> int:
        """1 or 2."""
        return int(self.samples.shape[0])

    @property
    def frames(self) -> int:
        """Samples a channel."""
        return int(self.samples.shape[1])

    @property
    def seconds(self) -> float:
        """How long it lasts."""
        return self.frames / self.rate

    def mono(self) -> Samples:
        """float32 [frames]: the mean of the channels."""
        return np.asarray(self.samples.mean(axis=0), dtype=np.float32)

    def peak(self) -> float:
        """Largest absolute sample value."""
        return float(max(self.samples.max(), -self.samples.min()))


def _refuse_where_not_finite(samples: Samples) -> None:
    bad = np.flatnonzero(~np.isfinite(samples).all(axis=0))
    if bad.size:
        raise AudioError(
            f"sample {int(bad[0])} is not a finite number ({bad.size} such in all); "
            "write the file again from its source"
        )


EDGE_FRAMES = 256  # by which a sound is led on past its edges while its rate is changed


def resampled(sound: Audio, rate: int) -> Audio:
    """The sound at another rate (soxr, best quality); itself where the rate is the same.

    returns  float32 [channels, round(frames · rate / sound.rate)]

    A loop that was cut in the middle of a tone begins and ends as it was cut: without what leads it
    on past its edges the filter would ring there and take half of the first sample.
    """
    if rate == sound.rate:
        return sound
    import soxr

    # Whole channels through soxr: its one-shot call takes off its own delay.
    step = sound.rate // math.gcd(sound.rate, rate)
    pad = -(-EDGE_FRAMES // step) * step
    wide = np.zeros((sound.frames + 2 * pad, sound.channels), np.float32)
    wide[pad : pad + sound.frames] = sound.samples.T
    reach = min(EDGE_FRAMES, sound.frames - 1)
    if reach > 0:
        fade = (0.5 - 0.5 * np.cos(np.pi * np.arange(reach) / reach)).astype(np.float32)
        fade, samples = fade[:, None], sound.samples.T
        first, last = samples[:1], samples[-1:]
        # Turned about its edge, it goes on with the level and the slope it has there.
        wide[pad - reach : pad] = (2 * first - samples[reach:0:-1]) * fade
        after = slice(pad + sound.frames, pad + sound.frames + reach)
        wide[after] = (2 * last - samples[-reach - 1 : -1][::-1]) * fade[::-1]
    out = soxr.resample(wide, sound.rate, rate, quality="VHQ").T
    start, frames = pad * rate // sound.rate, round(sound.frames * rate / sound.rate)
    return Audio(np.ascontiguousarray(out[:, start : start + frames], dtype=np.float32), rate)

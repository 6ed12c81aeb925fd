"""What stands before and after the stretch of recording that is being stretched?

A body is a circle: its end and its start are neighbours. A lead or a tail is a cut: silence
outside. Either way a stretch method asks for any range of frames and gets samples.
"""

from dataclasses import dataclass

import numpy as np

from zeroknot.core.audio import Samples


@dataclass(frozen=True, eq=False)
class SourceView:
    """Frames start…end of a recording, as a circle or as a cut.

    samples    float32 [channels, frames] of the whole recording
    start, end source frames; may lie outside the recording (silence there)
    is_circle  whether the range repeats on both sides
    """

    samples: Samples
    start: int
    end: int
    is_circle: bool

    def read(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: frames from `first` on, in source frames."""
        at = np.arange(first, first + count)
        if self.is_circle:
            at = self.start + (at - self.start) % (self.end - self.start)
            low, high = 0, self.samples.shape[1]
        else:
            low, high = max(self.start, 0), min(self.end, self.samples.shape[1])
        if high <= low:
            return np.zeros((self.samples.shape[0], count), np.float32)
        inside = (at >= low) & (at < high)
        out = self.samples[:, np.clip(at, low, high - 1)]
        if not inside.all():
            out = np.where(inside, out, np.float32(0))
        return np.ascontiguousarray(out, dtype=np.float32)

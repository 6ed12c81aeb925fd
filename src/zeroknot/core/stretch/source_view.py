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

    samples    float32 [channels, frames]
    start, end source frames; may lie outside the samples (silence there)
    is_circle  whether the range repeats on both sides
    origin     source frame of the first sample
    ending     float32 [channels, n]: what stands in place of the last n frames before `end`
    """

    samples: Samples
    start: int
    end: int
    is_circle: bool
    origin: int = 0
    ending: Samples | None = None

    def read(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: frames from `first` on, in source frames."""
        out = np.zeros((self.samples.shape[0], count), np.float32)
        if not self.is_circle:
            self._lay(max(first, self.start), min(first + count, self.end), out, -first)
            return out
        length = self.end - self.start
        turn = (first - self.start) // length
        while self.start + turn * length < first + count:
            offset = turn * length
            begin = max(first - offset, self.start)
            stop = min(first + count - offset, self.end)
            self._lay(begin, stop, out, offset - first)
            turn += 1
        return out

    def _lay(self, begin: int, stop: int, out: Samples, offset: int) -> None:
        """Copy source frames begin…stop, as far as there are any, to `out` at frame + offset."""
        if self.ending is not None:
            from_ending = max(begin, self.end - self.ending.shape[1])
            if stop > from_ending:
                at = from_ending - self.end + self.ending.shape[1]
                out[:, from_ending + offset : stop + offset] = self.ending[
                    :, at : at + stop - from_ending
                ]
                stop = from_ending
        begin = max(begin, self.origin)
        stop = min(stop, self.origin + self.samples.shape[1])
        if stop > begin:
            out[:, begin + offset : stop + offset] = self.samples[
                :, begin - self.origin : stop - self.origin
            ]

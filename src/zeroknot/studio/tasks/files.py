"""How does sound become a file?"""

from pathlib import Path

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.formats.riff import FLOAT_BITS, LoopMark, wav_bytes
from zeroknot.core.recipe.run import Run
from zeroknot.core.units import frame
from zeroknot.studio.tasks.rendering import rendering_of
from zeroknot.studio.tasks.sources import source_at


def crop_to_file(
    folder: Path, sha: str, rate: int, start_s: float, end_s: float, file: Path
) -> int:
    """A stretch of a recording, sample for sample, as a WAV of floats; returns its frames."""
    sound = source_at(folder, sha, rate)
    first, last = frame(start_s * rate), min(sound.frames, frame(end_s * rate))
    part = Audio(np.ascontiguousarray(sound.samples[:, first:last]), rate)
    file.write_bytes(wav_bytes(part, FLOAT_BITS, LoopMark(0, part.frames)))
    return part.frames


def print_to_file(folder: Path, run: Run, file: Path) -> None:
    """One pass as a WAV of floats with its loop marked."""
    file.write_bytes(run.file(rendering_of(folder, run.plan).whole()))

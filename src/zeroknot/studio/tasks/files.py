"""How does sound become a file?"""

from pathlib import Path

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.formats.riff import FLOAT_BITS, LoopMark, WavTags, wav_bytes
from zeroknot.core.recipe.run import Run
from zeroknot.core.units import db_of_gain, frame
from zeroknot.studio.tasks.rendering import rendering_of
from zeroknot.studio.tasks.sources import decoded, midi_of, sounded_midi, source_at


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


def wav_to_file(
    folder: Path, sha: str, rate: int, voice: str | None, bits: int,
    marked: tuple[float, float] | None, tags: WavTags, file: Path,
) -> float:  # fmt: skip
    """A loop as WAV with loop points and tags; returns by how many dB it was lowered.

    rate, voice  at which and by what notes are sounded
    bits         of a sample; PCM is lowered where it would clip
    marked       start and end of its body in seconds
    """
    if midi_of(folder, sha) is not None:
        sound = sounded_midi(folder, sha, rate, voice)
    else:
        sound = decoded(folder, sha)
    lowered_db, peak = 0.0, sound.peak()
    if bits != FLOAT_BITS and peak > 1.0:
        lowered_db = db_of_gain(peak)
        sound = Audio(sound.samples / np.float32(peak), sound.rate)
    mark = None
    if marked:
        start = max(0, round(marked[0] * sound.rate))
        end = min(sound.frames, round(marked[1] * sound.rate))
        mark = LoopMark(start, end) if end > start + 1 else None
    file.write_bytes(wav_bytes(sound, bits, mark, tags))
    return lowered_db

"""A loop's slices as files of their own."""

from collections.abc import Iterator, Sequence

import numpy as np

from zeroknot.core.audio import Audio, Samples
from zeroknot.core.formats.riff import FLOAT_BITS, Cue, wav_bytes
from zeroknot.core.formats.sfz import write_sfz
from zeroknot.core.render.order_plan import Pad
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.units import frame


def sample_names(pieces: Sequence[Piece], pads: Sequence[Pad]) -> list[str | None]:
    """A file's name for each slice: its number, and its own name; None for what is silent."""
    digits = len(str(len(pieces)))
    found: list[str | None] = []
    for i, (piece, (_, frames)) in enumerate(zip(pieces, pads, strict=True)):
        kept = "".join(c if c.isalnum() or c in "-_" else " " for c in piece.name)
        name = "_".join([f"{i + 1:0{digits}}", *kept.split()])
        found.append(f"{name}.wav" if frames else None)
    return found


def kit_files(
    sound: Samples, rate: int, pads: Sequence[Pad], pieces: Sequence[Piece], name: str
) -> Iterator[tuple[str, bytes]]:
    """Every file of a kit: an SFZ file and, in a folder beside it, a WAV of floats a slice.

    sound  float32 [channels, n]: the render of the pads
    name   of the kit
    """
    names = sample_names(pieces, pads)
    files = [f"{name}/{n}" if n else None for n in names]
    yield f"{name}.sfz", write_sfz(files, pieces).encode()
    for own, (start, frames) in zip(names, pads, strict=True):
        if own:
            part = np.ascontiguousarray(sound[:, start : start + frames], dtype=np.float32)
            yield f"{name}/{own}", wav_bytes(Audio(part, rate), FLOAT_BITS)


def cues_of(starts: Sequence[float], pieces: Sequence[Piece], sound: Audio) -> list[Cue]:
    """Where a recording is cut, as points with labels; what lies outside it has none."""
    found = []
    for i, (start, piece) in enumerate(zip(starts, pieces, strict=True)):
        at = frame(start * sound.rate)
        if 0 <= at < sound.frames:
            found.append(Cue(at, piece.name or f"slice {i + 1}"))
    return found

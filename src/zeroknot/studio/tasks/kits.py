"""How do slices become files?"""

import zipfile
from pathlib import Path

from zeroknot.core.formats.riff import FLOAT_BITS, wav_bytes
from zeroknot.core.render.order_plan import OrderPlan, Pad
from zeroknot.core.slicing.kit import cues_of, kit_files
from zeroknot.core.slicing.piece import Piece
from zeroknot.studio.tasks.rendering import rendering_of
from zeroknot.studio.tasks.sources import decoded

WRITTEN_AT = (1980, 1, 1, 0, 0, 0)  # the same kit is the same bytes


def kit_to_zip(
    folder: Path, plan: OrderPlan, pads: tuple[Pad, ...], pieces: tuple[Piece, ...], name: str,
    file: Path,
) -> None:  # fmt: skip
    """An SFZ file and a WAV a slice."""
    sound = rendering_of(folder, plan).whole()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as packed:
        for path, data in kit_files(sound, plan.rate, pads, pieces, name):
            packed.writestr(zipfile.ZipInfo(path, WRITTEN_AT), data)


def cues_to_file(
    folder: Path, sha: str, starts: tuple[float, ...], pieces: tuple[Piece, ...], file: Path
) -> None:
    """A recording as a WAV of floats, its cuts as cue points with labels."""
    sound = decoded(folder, sha)
    file.write_bytes(wav_bytes(sound, FLOAT_BITS, cues=cues_of(starts, pieces, sound)))

"""How does a mix become a file, piece by piece?

WAV and FLAC of whole numbers are dithered; 32-bit floats are as they are. OGG is Vorbis. MP3 is a
format with a length of its own: it begins and ends with a little silence.
"""

from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Literal, get_args

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.errors import FormatError
from zeroknot.core.mixing.dither import Dither

Format = Literal["wav16", "wav24", "wav32", "flac", "ogg", "mp3"]
FORMATS: tuple[Format, ...] = get_args(Format)
KINDS: dict[Format, tuple[str, str, str]] = {  # ending, libsndfile's format and subtype
    "wav16": ("wav", "WAV", "PCM_16"), "wav24": ("wav", "WAV", "PCM_24"),
    "wav32": ("wav", "WAV", "FLOAT"), "flac": ("flac", "FLAC", "PCM_24"),
    "ogg": ("ogg", "OGG", "VORBIS"), "mp3": ("mp3", "MP3", "MPEG_LAYER_III"),
}  # fmt: skip
BITS: dict[Format, int] = {"wav16": 16, "wav24": 24, "flac": 24}
LOUDEST_LUFS, QUIETEST_LUFS = -6.0, -40.0
CEILING_DB = -1.0  # dBTP that a mix is held under
HEADER_BYTES = 4096  # of a WAV, before its samples


@dataclass(frozen=True)
class MixHow:
    """format   of the file
    lufs       integrated loudness that is wanted; None: as loud as it is
    ceiling_db  true peak that it is held under; None: not held
    """

    format: Format = "wav24"
    lufs: float | None = None
    ceiling_db: float | None = CEILING_DB

    def __post_init__(self) -> None:
        if self.format not in FORMATS:
            raise FormatError(f"a mix is one of {', '.join(FORMATS)}, not {self.format!r}")
        if self.lufs is not None and not QUIETEST_LUFS <= self.lufs <= LOUDEST_LUFS:
            raise FormatError(
                f"a loudness lies between {QUIETEST_LUFS:g} and {LOUDEST_LUFS:g} LUFS"
            )

    @property
    def ending(self) -> str:
        """Of the file's name, without its dot."""
        return KINDS[self.format][0]


class MixFile:
    """A file that is being written; a context manager."""

    def __init__(self, path: Path, how: MixHow, rate: int, channels: int, title: str):
        import soundfile  # only where sound is written

        _, kind, subtype = KINDS[how.format]
        if kind not in soundfile.available_formats():
            raise FormatError(f"{kind} cannot be written on this machine")
        self._file: soundfile.SoundFile = soundfile.SoundFile(
            path, "w", samplerate=rate, channels=channels, format=kind, subtype=subtype
        )
        self._file.title = title
        bits = BITS.get(how.format)
        self._dither = Dither(bits) if bits else None
        self._path, self._is_float = path, how.format == "wav32"
        self._is_lossy = how.format in ("ogg", "mp3")

    def write(self, sound: Samples) -> None:
        """More of it: float32 [channels, n]."""
        if self._dither is None:
            self._file.write(np.clip(sound, -1.0, 1.0).T if self._is_lossy else sound.T)
            return
        # As whole numbers: a float is scaled by the library's own idea of full scale.
        steps = np.rint(self._dither.feed(sound).astype(np.float64) * 2**31)
        self._file.write(np.clip(steps, -(2**31), 2**31 - 1).astype(np.int32).T)

    def __enter__(self) -> "MixFile":
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._file.close()
        if self._is_float:
            _without_time(self._path)


def _without_time(path: Path) -> None:
    """Whenever it is written it is the same file: its PEAK chunk says when, after its version."""
    with path.open("r+b") as file:
        at = file.read(HEADER_BYTES).find(b"PEAK")
        if at >= 0:
            file.seek(at + 12)
            file.write(bytes(4))

"""What is in a loop's file: its sound, what it claims, and what is odd about it?"""

from dataclasses import dataclass
from typing import BinaryIO

from zeroknot.core.audio import Audio
from zeroknot.core.formats.audio_file import read_audio
from zeroknot.core.formats.claims import read_claims
from zeroknot.core.formats.riff import missing_bytes, to_its_end
from zeroknot.core.listening.reading import Claims


@dataclass(frozen=True, eq=False)
class LoopFile:
    """kind  as `sniff` names it"""

    kind: str
    sound: Audio
    claims: Claims
    warnings: tuple[str, ...]


def read_loop_file(file: BinaryIO, names: tuple[str, ...]) -> LoopFile:
    """Everything in a file that can be brought in.

    names  the file's name without its ending, then its folders, nearest first
    Raises FormatError or AudioError with a sentence that says why it cannot.
    """
    kind, sound = read_audio(file)
    file = to_its_end(file) if kind == "wav" else file
    warnings: tuple[str, ...] = ()
    if kind == "wav" and missing_bytes(file):
        warnings = ("the file is cut off: its header promises more than is there",)
    return LoopFile(kind, sound, read_claims(file, kind, sound.rate, names), warnings)

"""Which files are in a ZIP archive, and which of them may come out?

A member's name is only a name: it never becomes a path. What is hidden or kept by a system
(".DS_Store", "__MACOSX") is passed over in silence.
"""

import lzma
import struct
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import BinaryIO

from zeroknot.core.errors import FormatError

MOST_MEMBERS = 20_000
COPY_BYTES = 1 << 20
ENCRYPTED = 0x1
SIGNATURE = b"PK\x03\x04"
EMPTY = b"PK\x05\x06"
# What the packings that an archive may use raise for bytes that are not what they were.
BROKEN = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, OSError, EOFError, NotImplementedError,
    RuntimeError, ValueError, KeyError, IndexError, OverflowError, struct.error,
)  # fmt: skip


@dataclass(frozen=True)
class Member:
    """name with its folders; info to open it by; refusal: why it stays in, None where it comes"""

    name: str
    info: zipfile.ZipInfo
    refusal: str | None


def is_archive(file: BinaryIO) -> bool:
    """Does a file begin like a ZIP archive? It is wound back."""
    file.seek(0)
    head = file.read(4)
    file.seek(0)
    return head in (SIGNATURE, EMPTY)


def members(archive: zipfile.ZipFile, most_bytes: int) -> list[Member]:
    """Every file inside that may come out, and every one that may not, with the reason.

    most_bytes  of all together, unpacked
    Raises FormatError where the archive as a whole is refused.
    """
    files = [i for i in archive.infolist() if not i.filename.endswith("/")]
    infos = [i for i in files if not is_hidden(i.filename)]
    if not infos:
        raise FormatError("the archive holds no files")
    if len(infos) > MOST_MEMBERS:
        raise FormatError(f"the archive holds {len(infos)} files; up to {MOST_MEMBERS} can be")
    total = sum(i.file_size for i in infos)
    if total > most_bytes:
        raise FormatError(
            f"the archive would unpack to {total / 1e9:.1f} GB; up to {most_bytes / 1e9:g} GB can "
            "be brought in at once, so unpack it and bring in parts"
        )
    return [Member(i.filename, i, _refusal(i)) for i in infos]


def is_hidden(name: str) -> bool:
    """What a system keeps for itself."""
    parts = PurePosixPath(name.replace("\\", "/")).parts
    hidden = (part.startswith(".") and part not in (".", "..") for part in parts)
    return "__MACOSX" in parts or any(hidden) or (bool(parts) and parts[-1] == "Thumbs.db")


def opened_archive(file: BinaryIO) -> zipfile.ZipFile:
    """Raises FormatError where it cannot be opened."""
    try:
        return zipfile.ZipFile(file)
    except BROKEN as error:
        raise FormatError("the archive is damaged or cut off; pack it again") from error


def parts_of(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> Iterator[bytes]:
    """A member's bytes. Raises FormatError for damage, and for more than its entry promised."""
    left = info.file_size
    try:
        with archive.open(info) as member:
            while part := member.read(COPY_BYTES):
                left -= len(part)
                if left < 0:
                    break
                yield part
    except BROKEN as error:
        raise FormatError("it is damaged in the archive") from error
    if left < 0:
        raise FormatError("it unpacks to more than the archive says; that is no honest file")


def _refusal(info: zipfile.ZipInfo) -> str | None:
    path = PurePosixPath(info.filename.replace("\\", "/"))
    if not path.name:
        return "it has no name"
    if ".." in path.parts or path.is_absolute() or info.filename[1:2] == ":":
        return "its name leads out of the archive"
    if info.flag_bits & ENCRYPTED:
        return "it is locked with a password"
    if info.file_size == 0:
        return "the file is empty"
    return None

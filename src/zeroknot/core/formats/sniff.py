"""What kind of file is this? Told from its first bytes, never from its name."""

from typing import BinaryIO

from zeroknot.core.errors import FormatError

MIDI = "midi"
FILE_KINDS = ("wav", "aiff", "flac", "ogg", "mp3", MIDI)


def sniff(file: BinaryIO) -> str:
    """One of FILE_KINDS. Raises FormatError for anything else; the file is wound back."""
    file.seek(0)
    head = file.read(12)
    file.seek(0)
    if not head:
        raise FormatError("the file is empty")
    if head[:4] in (b"RIFF", b"RF64") and head[8:12] == b"WAVE":
        return "wav"
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return "aiff"
    if head[:4] == b"fLaC":
        return "flac"
    if head[:4] == b"OggS":
        return "ogg"
    if head[:3] == b"ID3":
        return _after_id3(file)
    if len(head) > 1 and head[0] == 0xFF and head[1] & 0xE6 == 0xE2:  # sync, layer III
        return "mp3"
    if head[:4] == b"MThd":
        return MIDI
    raise FormatError(
        "this is neither an audio file known here (WAV, AIFF, FLAC, OGG or MP3) nor MIDI"
    )


def _after_id3(file: BinaryIO) -> str:
    """A tag may stand before MP3 frames and, by some writers, before FLAC."""
    head = file.read(10)
    size = 0
    for byte in head[6:10]:
        size = size << 7 | byte & 0x7F
    file.seek(10 + size)
    following = file.read(4)
    file.seek(0)
    return "flac" if following == b"fLaC" else "mp3"

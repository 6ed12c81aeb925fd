"""To which set does a file belong, and which part of it is it?

The forms ("Keys 1", "keys_02", "Keys part 3", "Keys B") are common practice, no source.
"""

import re

# Folders that say how a file is stored, not what it belongs to.
PLAIN_FOLDERS = frozenset(
    (
        "audio", "wav", "wavs", "wave", "loops", "loop", "samples", "sample", "midi", "mid", "aiff",
        "flac", "mp3", "ogg", "files", "sounds", "stems", "downloads", "desktop", "new folder",
    )
)  # fmt: skip
_PART = re.compile(
    r"^(?P<stem>.*?[^\W\d_].*?)[ _\-.]*(?:(?:part|pt|take|v|no|#)[ _\-.]*)?"
    # From 60 on a bare number is a tempo.
    r"(?P<part>(?<!\d)0?[0-5]?\d|(?<=[ _\-])[A-H])$",
    re.I,
)
SHORTEST_STEM = 3


def set_of(names: tuple[str, ...]) -> str:
    """Name of the set, "" where nothing tells.

    names  the file's name without its ending, then its folders, nearest first
    """
    for folder in names[1:]:
        if folder.strip().lower() not in PLAIN_FOLDERS:
            return folder.strip()
    stem, part = stem_and_part(names[0])
    return stem if part and len(stem) >= SHORTEST_STEM else ""


def stem_and_part(name: str) -> tuple[str, str]:
    """ "Keys part 3" is part "3" of "Keys"; a name without a part is a stem by itself."""
    bare = re.sub(r"[ _-]*\d{2,3}(?:[.,]\d+)?[ _-]?bpm\b", "", name, flags=re.I).strip(" _-")
    match = _PART.match(bare)
    if not match:
        return bare, ""
    return match["stem"].strip(" _-."), match["part"]


def natural(name: str) -> tuple[tuple[int, int, str], ...]:
    """Sorts "loop 2" before "loop 10", whatever the case."""
    return tuple(
        (0, int(piece), "") if piece.isdecimal() else (1, 0, piece)
        for piece in re.split(r"(\d+)", name.casefold())
        if piece
    )

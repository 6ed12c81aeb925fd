"""What is a file called that comes in, and what are its folders?"""

from pathlib import Path, PurePosixPath

from zeroknot.core.formats.sets import set_of

LONGEST_NAME = 300


def file_name(name: str) -> str:
    return PurePosixPath(name.replace("\\", "/")).name


def names_of(name: str) -> tuple[str, ...]:
    """A file's name without its ending, then its folders, nearest first."""
    parts = [p for p in PurePosixPath(name.replace("\\", "/")).parts if p not in ("/", "..", ".")]
    return (Path(parts[-1]).stem if parts else "loop", *reversed(parts[:-1]))


def set_name_of(names: tuple[str, ...]) -> str:
    """As the shelf has it; "" where nothing tells.

    names  as of `names_of`
    """
    return readable(set_of(names)) if set_of(names) else ""


def readable(name: str) -> str:
    """A file's name as a loop's name: control characters out, never empty, never endless."""
    shown = "".join(c for c in name if c.isprintable()).strip()
    return shown[:LONGEST_NAME] or "loop"

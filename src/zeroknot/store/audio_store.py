"""Where does the audio lie?

Conventions
-----------
- audio/ab/<sha>: recordings as they came, by the SHA-256 of their bytes; never altered.
- incoming/: files on their way in. What is not finished at a restart is not there.
- refused/: files that could not be brought in, under their own names, until a person lets them go.
- cache/: decoded sources and renders; may be deleted at any time.
- A file appears under its final name only when it is whole (written beside, then renamed).
"""

import hashlib
import os
import uuid
from collections.abc import Iterable
from pathlib import Path

from zeroknot.core.errors import NotFoundError
from zeroknot.core.render.blocks import BLOCK_FRAMES

COPY_BYTES = 1 << 20
BLOCKS = f"blocks-{BLOCK_FRAMES}"


class AudioStore:
    def __init__(self, folder: Path):
        self.folder = folder
        self.audio = folder / "audio"
        self.incoming = folder / "incoming"
        self.refused = folder / "refused"
        self.cache = folder / "cache"
        for part in (self.audio, self.incoming, self.cache):
            part.mkdir(parents=True, exist_ok=True)

    def path(self, sha: str) -> Path:
        """Where a recording lies. Raises NotFoundError where it does not."""
        path = self._place(sha)
        if not path.exists():
            raise NotFoundError("the recording of that loop is not in the data folder")
        return path

    def place_of(self, sha: str) -> Path:
        """Where a recording of that hash lies, or would."""
        return self._place(sha)

    def new_incoming(self) -> Path:
        """A path for a file on its way in."""
        return self.incoming / uuid.uuid4().hex

    def keep(self, incoming: Path, sha: str) -> None:
        """Give an incoming file its place by content; a double just goes."""
        place = self._place(sha)
        place.parent.mkdir(exist_ok=True)
        if place.exists():
            incoming.unlink(missing_ok=True)
            return
        with incoming.open("rb") as file:
            os.fsync(file.fileno())
        os.replace(incoming, place)

    def set_aside(self, incoming: Path, name: str) -> Path:
        """Keep a file that was refused where a person finds it; returns where."""
        self.refused.mkdir(exist_ok=True)
        shown = "".join(c if c.isalnum() or c in "-_. " else "_" for c in name)[-80:].strip(". ")
        place = self.refused / f"{uuid.uuid4().hex[:6]} {shown or 'file'}"
        os.replace(incoming, place)
        return place

    def keep_bytes(self, data: bytes) -> str:
        """Keep bytes made here; returns their SHA-256."""
        incoming = self.new_incoming()
        incoming.write_bytes(data)
        sha = hashlib.sha256(data).hexdigest()
        self.keep(incoming, sha)
        return sha

    def sweep(self, coming: Iterable[Path]) -> None:
        """After a restart: drop incoming files but those to come."""
        coming = set(coming)
        for part in self.incoming.iterdir():
            if part not in coming:
                part.unlink(missing_ok=True)

    def unknown(self, known: Iterable[str]) -> list[Path]:
        """Recordings that are none of these, by their hashes."""
        known = set(known)
        return sorted(path for path in self.audio.glob("??/*") if path.name not in known)

    def _place(self, sha: str) -> Path:
        if len(sha) != 64 or not all(c in "0123456789abcdef" for c in sha):
            raise NotFoundError(f"{sha[:20]!r} is not the name of a recording")
        return self.audio / sha[:2] / sha


def sha256_of(path: Path) -> str:
    """SHA-256 of a file's bytes, read in parts."""
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while part := file.read(COPY_BYTES):
            digest.update(part)
    return digest.hexdigest()


def write_whole(path: Path, data: bytes) -> None:
    """Write a file so that it is never seen half-written."""
    while True:
        path.parent.mkdir(parents=True, exist_ok=True)
        beside = path.with_name(f".{path.name}.{uuid.uuid4().hex[:8]}")
        try:
            beside.write_bytes(data)
            os.replace(beside, path)
            return
        except FileNotFoundError:  # its folder went with what the cache dropped
            continue
        except OSError:
            beside.unlink(missing_ok=True)
            raise


def block_path(folder: Path, digest: str, index: int) -> Path:
    """Where a block of a render lies or will lie."""
    return folder / "cache" / BLOCKS / digest[:2] / digest / str(index)


def peaks_path(folder: Path, sha: str, frames_per_bin: int) -> Path:
    """Where a recording's peaks lie or will lie."""
    return folder / "cache" / "peaks" / sha[:2] / f"{sha}-{frames_per_bin}"

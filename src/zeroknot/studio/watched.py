"""A watched folder: what is laid there comes in by itself, what is printed goes out to it.

Conventions
-----------
- A file comes in once it has not changed from one look to the next: it may still be written.
- What came in once does not come in again after a restart; a file that was changed does.
- Prints lie in a folder of their own inside, which is not looked at.
"""

import json
import shutil
import threading
from collections.abc import Iterator
from pathlib import Path

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.formats.handed import HandOver
from zeroknot.store.audio_store import write_whole
from zeroknot.studio.bring import Bringing
from zeroknot.studio.hand_over import HandingOver

PRINTED = "printed"
KEPT_IN = "watched.json"
LOOK_EVERY_SECONDS = 2.0
MOST_AT_ONCE = 200  # brought in by one look; the rest by the next
AS_PRINTED = HandOver("wav32")

Seen = tuple[int, int]  # size, and when it was changed in ns


class Watched:
    """folder   that is watched
    data     where is kept what came in
    """

    def __init__(self, folder: Path, data: Path, bringing: Bringing, handing: HandingOver):
        self._folder, self._kept = folder, data / KEPT_IN
        self._bringing, self._handing = bringing, handing
        self._done = self._read()
        self._last: dict[str, Seen] = {}
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._watch, name="watched folder", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(2 * LOOK_EVERY_SECONDS)

    def look(self) -> int:
        """Look once; how many files come in."""
        now = dict(self._files())
        ready = [
            name for name, seen in now.items()
            if self._last.get(name) == seen and self._done.get(name) != seen
        ][:MOST_AT_ONCE]  # fmt: skip
        self._last = now
        if ready:
            self._bringing.begin_paths([self._folder / name for name in ready])
            self._done = {n: s for n, s in self._done.items() if n in now}
            self._done |= {name: now[name] for name in ready}
            write_whole(self._kept, json.dumps(self._done).encode())
        return len(ready)

    def take_out(self, sha: str) -> Path | None:
        """A print, into the folder; None where that cannot be written now."""
        try:
            made = self._handing.files([sha], AS_PRINTED)
            place = self._free(made.name)
            shutil.move(made.file, place)
        except (OSError, ZeroKnotError):
            return None
        return place

    def _free(self, name: str) -> Path:
        """A name that is not taken: what somebody has there stays."""
        folder = self._folder / PRINTED
        folder.mkdir(parents=True, exist_ok=True)
        stem, _, ending = name.rpartition(".")
        number = 1
        place = folder / name
        while place.exists():
            number += 1
            place = folder / f"{stem} {number}.{ending}"
        return place

    def _files(self) -> Iterator[tuple[str, Seen]]:
        try:
            paths = sorted(self._folder.rglob("*"))
        except OSError:  # a drive that was taken out comes back
            return
        for path in paths:
            name = path.relative_to(self._folder)
            if name.parts[0] == PRINTED or any(part.startswith(".") for part in name.parts):
                continue
            try:
                told = path.stat()
            except OSError:
                continue
            if path.is_file():
                yield str(name), (told.st_size, told.st_mtime_ns)

    def _read(self) -> dict[str, Seen]:
        try:
            told = json.loads(self._kept.read_bytes())
            return {str(name): (int(size), int(at)) for name, (size, at) in told.items()}
        except (OSError, ValueError, TypeError, AttributeError):
            return {}

    def _watch(self) -> None:
        while not self._stop.wait(LOOK_EVERY_SECONDS):
            self.look()

"""How do shipped files reach the browser? Under a path that names their state, kept for good.

`/static/v-…/js/main.js` is what `/static/js/main.js` is now; once anything changes, pages name
another path. What one module imports of another lies under the same path, so a page that is opened
again asks for none of them. Without the state in its path a file is always asked for again.
"""

import hashlib
import mimetypes
import time
from functools import lru_cache
from pathlib import Path

from fastapi.responses import Response
from fastapi.staticfiles import StaticFiles
from starlette.types import Scope

FOLDER = Path(__file__).parent / "static"
PREFIX = "v-"
FOR_GOOD = {"cache-control": "public, max-age=31536000, immutable"}
# Not imported by a view's page.
ELSEWHERE = {"js/palette.js", "js/types.js", "js/views/projects.js"}


def static_path() -> str:
    """Where shipped files lie, as they are now."""
    return f"/static/{PREFIX}{_state()}"


def modules() -> list[str]:
    """Scripts that a view's page imports, below that path: asked for at once, not one by one."""
    return list(_modules_at(_state()))


@lru_cache(maxsize=1)
def _modules_at(state: str) -> tuple[str, ...]:
    scripts = sorted((FOLDER / "js").rglob("*.js"))
    own = [str(s.relative_to(FOLDER)) for s in scripts if not s.name.endswith("-worker.js")]
    return (*(name for name in own if name not in ELSEWHERE), "vendor/alpine-csp.js")


def _state() -> str:
    """Another where any file was added, changed or taken away; looked at once a second."""
    return _state_at(int(time.monotonic()))


@lru_cache(maxsize=1)
def _state_at(second: int) -> str:
    said = hashlib.blake2b(digest_size=8)
    for file in sorted(FOLDER.rglob("*")):
        about = file.stat()
        said.update(f"{file} {about.st_mtime_ns} {about.st_size}".encode())
    return said.hexdigest()


class ShippedFiles(StaticFiles):
    def __init__(self) -> None:
        super().__init__(directory=FOLDER)

    async def get_response(self, path: str, scope: Scope) -> Response:
        if path.startswith(PREFIX):
            state, _, path = path.partition("/")
            shipped = _shipped(state, path) if state == f"{PREFIX}{_state()}" else None
            if shipped:
                return Response(shipped[0], media_type=shipped[1], headers=FOR_GOOD)
        response = await super().get_response(path, scope)
        response.headers["cache-control"] = "no-cache"
        return response


@lru_cache(maxsize=1024)
def _shipped(state: str, path: str) -> tuple[bytes, str] | None:
    """A file as it is in that state, and its type: a page asks for a hundred at once."""
    file = (FOLDER / path).resolve()
    if not file.is_relative_to(FOLDER.resolve()) or not file.is_file():
        return None
    return file.read_bytes(), mimetypes.guess_type(file)[0] or "application/octet-stream"
